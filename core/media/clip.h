#pragma once

#include "core/base/file_state.h"
#include "core/engine/cancel.h"
#include "core/media/av.h"
#include "core/media/facts.h"

#include <memory>
#include <vector>

namespace ulm {

/// One shown frame of a clip.
struct FrameTime {
    std::int64_t pts;           ///< in Clip::timeBase() units, strictly increasing
    std::int64_t duration;      ///< in the same units, > 0
    bool key = false;           ///< decoding can start here
    std::int64_t position = -1; ///< byte offset of its packet; −1 unknown
};

/// An opened media file: its facts, and the time of every frame, known without decoding where the container allows.
/// Immutable and thread safe; decoders open the file for themselves.
class Clip {
public:
    /// Reads facts and the frame index. A file without pictures (sound only) opens too: facts().hasVideo is false.
    /// Errors: Fault::Input naming file, reason and remedy. Throws Cancelled.
    static std::shared_ptr<const Clip> open(const std::string& path, const CancelToken& cancel = {});
    /// As open(), and refuses a file without pictures.
    static std::shared_ptr<const Clip> openVideo(const std::string& path, const CancelToken& cancel = {});

    const std::string& path() const { return path_; }
    /// The file as it was opened.
    const FileState& state() const { return state_; }
    /// Whether the file is another one now, under the same name: what is read of it from now on is not this clip.
    bool wasRewritten() const;
    const MediaFacts& facts() const { return facts_; }
    int videoStream() const { return videoStream_; }
    AVRational timeBase() const { return timeBase_; }
    const std::vector<FrameTime>& frames() const { return frames_; }
    std::int64_t frameCount() const { return static_cast<std::int64_t>(frames_.size()); }
    /// Seconds from the clip's first frame to frame n; n may be frameCount(): then the end.
    double secondsAt(std::int64_t n) const;
    /// Seconds on the file's own clock at which frame n is shown.
    double fileSecondsAt(std::int64_t n) const;
    /// The frame on show `seconds` after the first one; clipped to the clip.
    std::int64_t frameAt(double seconds) const;
    /// The index of the frame with exactly this pts, or −1.
    std::int64_t indexOfPts(std::int64_t pts) const;
    std::int64_t indexOfPosition(std::int64_t position) const;
    /// True where packets carry no usable timestamps, so frames are recognised by their place in the file.
    bool indexedByPosition() const { return byPosition_; }
    /// Frames are still but for one picture.
    bool isStill() const { return frames_.size() == 1; }

private:
    friend class ClipOpener;
    std::string path_;
    FileState state_;
    MediaFacts facts_;
    int videoStream_ = -1;
    AVRational timeBase_{1, 1};
    std::vector<FrameTime> frames_;
    bool byPosition_ = false;
};
using ClipPtr = std::shared_ptr<const Clip>;

/// Opens a demuxer on `path` with bounded probing. Errors as Clip::open.
av::Input openInput(const std::string& path);

} // namespace ulm
