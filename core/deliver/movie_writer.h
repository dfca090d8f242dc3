#pragma once

#include "core/media/clip.h"

#include <optional>
#include <string>

namespace ulm {

/// How pictures are encoded (H.264 through libx264).
struct VideoEncoding {
    int width = 0, height = 0; ///< even
    AVPixelFormat pixelFormat = AV_PIX_FMT_YUV420P;
    ColourDescription colour;
    AVRational timeBase{1, 25};
    double fps = 25;
    enum class Rate { Quality, Bitrate, Lossless } rate = Rate::Quality;
    double crf = 20;        ///< for Quality
    double bitrate = 8e6;   ///< bits a second, for Bitrate
    bool constant = false;  ///< Bitrate: hold it over every second, not only on average
    int pass = 0;           ///< 0 single, 1 writes statistics, 2 reads them
    std::string statistics; ///< file, for passes 1 and 2
    std::string preset = "medium";
};

enum class SoundMode { Drop, Keep, Aac };

/// Which part of which file's sound goes along.
struct SoundSource {
    std::string path;
    SoundMode mode = SoundMode::Keep;
    double from = 0, to = 0; ///< seconds on the file's own clock; `whole` takes everything
    bool whole = true;
    double zero = 0; ///< file time that becomes 0
};

/// Frames that the encoder holds to look ahead: fewer of very large ones, so that they fit into memory.
int framesLookedAhead(int width, int height);
/// Frames that it holds besides: those it refers to, works on, and their copies at steps of a quarter pixel.
int framesHeld(int width, int height);

/// Opens an H.264 encoder. Errors: Fault::Usage with libx264's reason.
av::Codec openVideoEncoder(const VideoEncoding&, bool globalHeader);

/// Writes a movie file: pictures as they are handed over, sound alongside. Nothing is kept under the path unless
/// finish() returned. Not thread safe.
class MovieWriter {
public:
    /// muxer: "mp4" (with the index moved to the front) or "matroska".
    MovieWriter(const std::string& path, const std::string& muxer, const VideoEncoding&,
                const std::optional<SoundSource>&);
    ~MovieWriter();
    MovieWriter(const MovieWriter&) = delete;
    MovieWriter& operator=(const MovieWriter&) = delete;

    /// pts and duration in the encoding's time base; pts must increase. The frame's samples are not changed.
    /// Errors: Fault::Output (disk full and the like).
    void write(const AVFrame& picture, std::int64_t pts, std::int64_t duration);

    struct Result {
        std::int64_t bytes = 0;      ///< of the file
        std::int64_t videoBytes = 0; ///< of its picture packets
        std::string soundNote;       ///< why sound was changed or left out, or empty
    };
    Result finish();

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

/// The constant rate factor behind a quality name: small 26, good 20, best 16.
double crfFor(const std::string& quality);

} // namespace ulm
