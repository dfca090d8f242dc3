#pragma once

#include "core/picture/hdr_data.h"
#include "core/picture/picture.h"

#include <cstdint>
#include <string>
#include <vector>

namespace ulm {

/// What a media file says about itself. Sizes are as displayed: after rotation and sample aspect.
struct VideoFacts {
    std::string codec, pixelFormat;
    int width = 0, height = 0;           ///< displayed, pixels
    int codedWidth = 0, codedHeight = 0; ///< as stored, pixels
    double fps = 0;                      ///< average, frames a second; > 0
    std::int64_t frames = 0;             ///< shown frames, > 0
    int bitDepth = 8;
    int rotation = 0;      ///< clockwise turn that shows it upright: 0, 90, 180 or 270 degrees
    bool mirrored = false; ///< left and right are exchanged first
    int sarNum = 1, sarDen = 1;
    bool interlaced = false;
    bool variableRate = false; ///< frame durations differ by more than rounding
    ColourDescription colour; ///< as told, or as assumed where it is not told: decided here, once, for all that follows
    bool colourAssumed = false; ///< the file does not tell its matrix
    HdrData mastering;          ///< of an HDR clip, where it is told
    bool alpha = false;
    std::int64_t bitrate = 0; ///< bits a second, of this stream

    /// It is shown as it is stored: neither turned nor mirrored.
    bool upright() const { return rotation == 0 && !mirrored; }
    /// High dynamic range: PQ or HLG (ITU-R BT.2100).
    bool hdr() const { return colour.transfer == 16 || colour.transfer == 18; }
};

struct AudioFacts {
    int stream = 0;
    std::string codec;
    int rate = 0, channels = 0;
    std::int64_t bitrate = 0;
    bool changes = false; ///< its rate, channels or coding change on the way
};

struct SubtitleFacts {
    int stream = 0;
    std::string codec, language;
};

struct MediaFacts {
    std::string file, container;
    std::string comment; ///< what it says of itself, at most 64 KB; may be empty
    double duration = 0; ///< seconds, > 0
    std::int64_t bytes = 0;
    bool hasVideo = false;
    VideoFacts video;
    std::vector<AudioFacts> audio;
    std::vector<SubtitleFacts> subtitles;
};

} // namespace ulm
