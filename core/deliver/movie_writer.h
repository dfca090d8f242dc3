#pragma once

#include "core/codec/video_codec.h"
#include "core/media/clip.h"

#include <optional>
#include <string>

namespace ulm {

enum class SoundMode { Drop, Keep, Aac };

/// Which part of which file's sound goes along.
struct SoundSource {
    std::string path;
    SoundMode mode = SoundMode::Keep;
    double from = 0, to = 0; ///< seconds on the file's own clock; `whole` takes everything
    bool whole = true;
    double zero = 0; ///< file time that becomes 0
};

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

} // namespace ulm
