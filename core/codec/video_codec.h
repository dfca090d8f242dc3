#pragma once

#include "core/media/av.h"
#include "core/picture/hdr_data.h"
#include "core/picture/picture.h"

#include <string>
#include <vector>

namespace ulm {

/// How pictures are encoded.
struct VideoEncoding {
    std::string codec = "h264"; ///< of videoCodecs()
    int width = 0, height = 0;  ///< even
    AVPixelFormat pixelFormat = AV_PIX_FMT_YUV420P;
    ColourDescription colour;
    HdrData mastering; ///< written beside PQ pictures
    AVRational timeBase{1, 25};
    double fps = 25;
    enum class Rate { Quality, Bitrate, Lossless } rate = Rate::Quality;
    double crf = 20;        ///< for Quality
    double bitrate = 8e6;   ///< bits a second, for Bitrate
    bool constant = false;  ///< Bitrate: hold it over every second, not only on average
    int pass = 0;           ///< 0 single, 1 writes statistics, 2 reads them
    std::string statistics; ///< file, for passes 1 and 2
    std::string preset;     ///< of the encoder; empty: the one that is used here
    bool enlarged = false;  ///< twice as large as it was, or more: movement may be looked for less closely
};

/// A way to encode pictures: everything that ticket, forecast, export and memory plan ask of it. A new one is a file in
/// this folder and a line in videoCodecs().
struct VideoCodec {
    std::string name;                    ///< as `deliver.codec` and a card's "codecs" have it: "h264"
    std::string title;                   ///< "H.264"
    std::vector<std::string> containers; ///< `deliver.container`, the usual one first
    unsigned tag;                        ///< the sample entry that players look for in MP4; 0: the usual one
    AVCodecID id;                        ///< libav's name of it (avcodec_get_name) is what files and cards may say, too
    double small, good, best;            ///< constant rate factors behind `deliver.quality`
    double floor;                        ///< the lowest quality delivered under a size limit
    std::vector<AVPixelFormat> takes;    ///< pixel formats that need no conversion
    /// Opens one for an Encoder. Errors: Fault::Usage with the library's reason.
    av::Codec (*open)(const VideoEncoding&, bool globalHeader);
    /// Frames of this size that an encoder holds at once: to look ahead, to refer to, in work.
    int (*framesHeld)(int width, int height);

    double crfFor(const std::string& quality) const {
        return quality == "small" ? small : quality == "best" ? best : good;
    }
};

const std::vector<VideoCodec>& videoCodecs();
/// Errors: Fault::Usage for a name that is none of videoCodecs().
const VideoCodec& videoCodec(const std::string& name);

/// Tells an encoder of any codec what its pictures are like: size, clock, colour, threads, and how far apart key frames
/// may lie.
void describe(const VideoEncoding& v, AVCodecContext& encoder);

/// Beyond 4K encoders hold and refer to fewer frames, so that they fit into memory.
bool isHuge(int width, int height);

/// The mastering data as x264 and x265 take it: "G(x,y)B(x,y)R(x,y)WP(x,y)L(most,least)", and "most,mean". Empty where
/// it is not told.
std::string screenOption(const HdrData&);
std::string lightOption(const HdrData&);

extern const VideoCodec kH264, kH265;

} // namespace ulm
