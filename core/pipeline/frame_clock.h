#pragma once

#include "core/media/clip.h"
#include "core/pipeline/time_map.h"
#include "core/ticket/between_places.h"
#include "core/ticket/step.h"

namespace ulm {

/// When a frame of a clip was filmed, seconds: at its own time, but one that repeats another before when that was.
using FilmedAt = std::function<double(std::int64_t frame)>;
FilmedAt filmedAt(const ClipPtr&, const Inspection&);

/// The delivery's own frames. Frames are counted twice: *delivered* ones from 0, and *stage* frames, which run over the
/// whole clip, so that what lies outside the stretch can be looked at too; delivered frame k is stage frame first() +
/// k. Times of delivered frames are exact fractions, so that nothing drifts. Nothing is tabled but the clip's own
/// frames where repeats are taken out, or times are uneven. Immutable.
class FrameClock {
public:
    FrameClock() = default;
    /// `found`: for frames that repeat the one before. Errors: Fault::Usage for a stretch outside the clip.
    FrameClock(ClipPtr clip, const Ticket&, const Inspection& found = {});

    std::int64_t count() const { return count_; }        ///< delivered frames, > 0
    std::int64_t first() const { return first_; }        ///< stage frame of delivered frame 0
    std::int64_t stageFrames() const { return frames_; } ///< over the whole clip
    /// Every frame of the clip is shown once, at its own time.
    bool untouched() const { return rate_.num == 0; }
    AVRational timeBase() const { return timeBase_; }
    /// Of delivered frame k, in timeBase() units from the first one.
    std::int64_t pts(std::int64_t k) const;
    std::int64_t duration(std::int64_t k) const;
    double seconds() const; ///< of all that is delivered
    double fps() const { return double(count_) / seconds(); }
    /// Seconds of the delivered movie at which frame k begins.
    double secondsAt(std::int64_t k) const { return double(pts(k)) * av_q2d(timeBase_); }
    /// Parts of the clip inside the stretch that are left out, on whole frames, seconds of the clip.
    std::vector<LeftOut> leftOut() const;
    /// The second of the clip that an instant of the movie shows.
    double clipSeconds(double movie) const;
    /// The second of the movie at which an instant of the clip is first shown; outside it where it is not shown.
    double movieSeconds(double clip) const;

    /// The clip's frame that a stage frame shows; of one in between, the nearer.
    std::int64_t sourceOf(std::int64_t stage) const;
    /// The instant that a stage frame shows, in frames of the clip: fractional in between two.
    double instantOf(std::int64_t stage) const;
    /// A stage frame shows what lies between two frames of the clip.
    bool isBetween(std::int64_t stage) const { return !untouched() && between(stage).part != 0; }
    /// Seconds of the movie at which a stage frame begins; below 0, or beyond the end, outside the stretch.
    double movieOf(std::int64_t stage) const;
    /// The second of the clip at which what a stage frame shows was filmed, where frame n of the clip was at filmed(n).
    double filmedOf(std::int64_t stage, const FilmedAt& filmed) const;
    /// The stage frame that shows the clip's frame n; where none does, the one nearest to it in time.
    std::int64_t stageOf(std::int64_t source) const;
    /// The delivered frame on show at this instant of the movie; clipped to it.
    std::int64_t deliveredAt(double seconds) const;

    /// For the stages; no frames where the clip's own are kept.
    Retiming retiming() const;

private:
    friend FilmedAt filmedAt(const ClipPtr&, const Inspection&);
    /// What is left of a clip's frames without those that repeat the one before, or twice all of them where each
    /// gives two fields, or all where times are uneven; and when each is meant to be shown.
    struct Kept {
        std::vector<std::int64_t> frames;
        std::vector<double> seconds;
    };
    static std::shared_ptr<const Kept> withoutRepeats(const Clip&, const std::vector<std::int64_t>& repeats,
                                                      const RepeatPattern&);
    static std::shared_ptr<const Kept> everyField(const Clip&);
    /// All frames, those of an uneven clip at instants of the movie: see evenTimes(). Null where none is to be moved.
    static std::shared_ptr<const Kept> evened(const Clip&, double anchor, double period);

    std::int64_t indexOf(std::int64_t stage) const; ///< of what is kept, that a stage frame shows
    double secondsOf(std::int64_t stage) const;     ///< of the clip, at which a stage frame begins
    /// By index of what is kept.
    std::int64_t keptAt(double seconds) const;
    double keptSeconds(std::int64_t index) const;
    std::int64_t keptCount() const;
    std::int64_t clipFrame(std::int64_t index) const;
    BetweenInstant between(std::int64_t stage) const; ///< by index of what is kept
    /// Of what is kept, at an instant of the clip. `delivered`: nothing from behind the stretch is looked at.
    BetweenInstant betweenAt(double seconds, bool delivered) const;
    /// One of the instants that a frame is the mean of: inside of the shot, and of what was joined, that it shows.
    BetweenInstant exposed(std::int64_t stage, int exposure) const;
    bool isDelivered(std::int64_t stage) const { return stage >= first_ && stage - first_ < count_; }
    /// `spacing`: delivered frame in frames of what is kept, at the speed it was filmed at.
    void openShutter(const Ticket::Motion&, const Inspection&, double spacing);
    std::int64_t afterLeftOut(std::int64_t index) const; ///< of what is kept: the next one that is not left out
    bool isJoined(std::int64_t a, std::int64_t b) const; ///< frames of the clip with something left out between

    ClipPtr clip_;
    AVRational rate_{0, 1}; ///< frames a second; 0: the clip's own times
    TimeMap times_;         ///< of the movie that is delivered: 0 where it begins
    bool backwards_ = false;
    bool fields_ = false;              ///< kept_ has two entries a frame
    bool between_ = false;             ///< frames are made in between, not repeated
    std::vector<BetweenPlace> places_; ///< where they are made otherwise
    BetweenWay usual_ = BetweenWay::Rebuild;
    int exposures_ = 1;
    double open_ = 0;                  ///< seconds of the movie
    std::vector<std::int64_t> runs_;   ///< of what is kept: first frames of shots, and of what is joined; for a shutter
    std::shared_ptr<const Kept> kept_; ///< null: all frames, at their own times
    double gap_ = 0;                   ///< seconds between frames from which on nothing is made between them
    double start_ = 0, end_ = 0;       ///< seconds of the clip: the stretch
    std::int64_t count_ = 0, first_ = 0, frames_ = 0;
    std::int64_t from_ = 0, past_ = 0;                       ///< the clip's frames that the stretch holds: [from, past)
    std::vector<std::pair<std::int64_t, std::int64_t>> out_; ///< of those, left out: [first, past)
    AVRational timeBase_{1, 1};
    Key key_ = 0; ///< of what the movie's times come from
};

/// The ticket with motion.seconds, where that is set, made into the speed that it takes on this clip.
/// Errors: Fault::Usage where that speed is not possible.
Ticket atWantedLength(const Ticket&, const Clip&);

/// A frame rate as a fraction: those that are so written for short are what they stand for (29.97: 30000/1001).
AVRational frameRate(double fps);

} // namespace ulm
