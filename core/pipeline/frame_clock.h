#pragma once

#include "core/media/clip.h"
#include "core/ticket/step.h"

namespace ulm {

/// The delivery's own frames. Frames are counted twice: *delivered* ones from 0, and *stage* frames, which run over the
/// whole clip, so that what lies outside the stretch can be looked at too; delivered frame k is stage frame first() +
/// k. Nothing is tabled: a clip of ten hours at 240 frames a second costs no more than a short one. Immutable.
class FrameClock {
public:
    FrameClock() = default;
    /// Errors: Fault::Usage for a stretch outside the clip.
    FrameClock(ClipPtr clip, const Ticket&);

    std::int64_t count() const { return count_; }        ///< delivered frames, > 0
    std::int64_t first() const { return first_; }        ///< stage frame of delivered frame 0
    std::int64_t stageFrames() const { return frames_; } ///< over the whole clip
    /// Every frame of the clip is shown once, at its own time.
    bool untouched() const { return fps_ == 0; }
    AVRational timeBase() const { return timeBase_; }
    /// Of delivered frame k, in timeBase() units from the first one.
    std::int64_t pts(std::int64_t k) const;
    std::int64_t duration(std::int64_t k) const;
    double seconds() const; ///< of all that is delivered
    double fps() const { return double(count_) / seconds(); }
    /// Seconds of the delivered movie at which frame k begins.
    double secondsAt(std::int64_t k) const { return double(pts(k)) * av_q2d(timeBase_); }

    /// The clip's frame that a stage frame shows.
    std::int64_t sourceOf(std::int64_t stage) const;
    /// The stage frame that shows the clip's frame n; where none does, the one nearest to it in time.
    std::int64_t stageOf(std::int64_t source) const;
    /// The delivered frame on show at this instant of the movie; clipped to it.
    std::int64_t deliveredAt(double seconds) const;

    /// For the stages; no frames where the clip's own are kept.
    Retiming retiming() const;

private:
    ClipPtr clip_;
    double fps_ = 0;   ///< 0: the clip's own times
    double start_ = 0; ///< seconds of the clip at which the stretch begins
    std::int64_t count_ = 0, first_ = 0, frames_ = 0;
    std::int64_t from_ = 0, past_ = 0; ///< the clip's frames that the stretch holds: [from, past)
    AVRational timeBase_{1, 1};
};

} // namespace ulm
