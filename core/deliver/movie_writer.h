#pragma once

#include "core/codec/video_codec.h"
#include "core/engine/cancel.h"
#include "core/media/clip.h"
#include "core/ticket/sound_step.h"
#include "core/ticket/stretch_step.h"

#include <functional>
#include <map>
#include <optional>
#include <string>

namespace ulm {

/// Which part of which file's sound goes along, and how.
struct SoundSource {
    std::string path;
    std::map<int, SoundPlan> tracks; ///< by stream of the file; those not named are left out
    double from = 0, to = 0;         ///< seconds on the file's own clock; `whole` takes everything
    bool whole = true;
    double zero = 0; ///< file time that becomes 0
    // Only of sound that is encoded anew:
    std::function<double(double)> movieAt; ///< seconds of the movie, of those since `zero`; null: as filmed
    bool stretched = false;                ///< made faster and slower as movieAt says
    std::vector<LeftOut> without;          ///< seconds since `zero`, in order; what remains is joined
    double fadeIn = 0, fadeOut = 0;        ///< seconds of the movie, from and to silence
    double seconds = 0;                    ///< of the movie; where it fades out
};
/// A file's whole sound, untouched where MP4 carries it.
SoundSource wholeSound(const MediaFacts&);

/// Writes a movie file: pictures as they are handed over, sound alongside. Nothing is kept under the path unless
/// finish() returned. Not thread safe.
class MovieWriter {
public:
    /// muxer: "mp4" (with the index moved to the front) or "matroska". told: the name that errors give; empty: the
    /// path.
    MovieWriter(const std::string& path, const std::string& muxer, const VideoEncoding&,
                const std::optional<SoundSource>&, const CancelToken& = {}, const std::string& told = {});
    ~MovieWriter();
    MovieWriter(const MovieWriter&) = delete;
    MovieWriter& operator=(const MovieWriter&) = delete;

    /// Called for each picture that is encoded and written: encoders hold dozens back, so this runs behind write(),
    /// and on through finish().
    void onWritten(std::function<void()> then);
    /// Kept in the file's own facts, as its comment. Before the first write().
    void note(const std::string& comment);
    /// pts and duration in the encoding's time base; pts must increase. The frame's samples are not changed.
    /// Errors: Fault::Output (disk full and the like). Throws Cancelled.
    void write(const AVFrame& picture, std::int64_t pts, std::int64_t duration);

    struct Result {
        std::int64_t bytes = 0;      ///< of the file
        std::int64_t videoBytes = 0; ///< of its picture packets
    };
    Result finish();

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace ulm
