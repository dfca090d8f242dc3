#include "core/pipeline/frame_clock.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// A frame is looked up a quarter of its time in: rounding of times never flips it to a neighbour.
constexpr double kInside = 0.25;

} // namespace

FrameClock::FrameClock(ClipPtr clip, const Ticket& t) : clip_(std::move(clip)) {
    const Clip& c = *clip_;
    const double end = c.secondsAt(c.frameCount());
    const double from = t.stretch.on ? t.stretch.from : 0, to = t.stretch.on ? std::min(t.stretch.to, end) : end;
    if (from >= end || to <= from)
        throw Error(Fault::Usage, c.path(),
                    "the stretch lies outside the clip, which is " + shortNumber(end, 3) + " s long",
                    "Choose a stretch inside it.");
    from_ = c.frameAt(from);
    if (c.secondsAt(from_) < from - 1e-6 && from_ + 1 < c.frameCount() && c.secondsAt(from_ + 1) < to) ++from_;
    // A stretch ends before the first frame that starts at or after `to`.
    past_ = std::clamp(c.frameAt(to - 1e-6) + 1, from_ + 1, c.frameCount());
    if (past_ < c.frameCount() && c.secondsAt(past_) < to - 1e-6) ++past_;
    start_ = c.secondsAt(from_);
    if (!t.motion.on || std::abs(t.motion.fps - c.facts().video.fps) < 1e-3) {
        timeBase_ = c.timeBase();
        first_ = from_;
        count_ = past_ - from_;
        frames_ = c.frameCount();
        return;
    }
    fps_ = t.motion.fps;
    timeBase_ = av_inv_q(av_d2q(fps_, 100000));
    count_ = std::max<std::int64_t>(1, std::llround((c.secondsAt(past_) - start_) * fps_));
    first_ = static_cast<std::int64_t>(std::floor(start_ * fps_ + 1e-9));
    frames_ = first_ + std::max(count_, static_cast<std::int64_t>(std::llround((end - start_) * fps_)));
}

std::int64_t FrameClock::pts(std::int64_t k) const {
    if (fps_ > 0) return k;
    const auto& all = clip_->frames();
    return all[static_cast<std::size_t>(from_ + k)].pts - all[static_cast<std::size_t>(from_)].pts;
}

std::int64_t FrameClock::duration(std::int64_t k) const {
    return fps_ > 0 ? 1 : clip_->frames()[static_cast<std::size_t>(from_ + k)].duration;
}

double FrameClock::seconds() const { return double(pts(count_ - 1) + duration(count_ - 1)) * av_q2d(timeBase_); }

std::int64_t FrameClock::sourceOf(std::int64_t stage) const {
    if (fps_ == 0) return stage;
    return clip_->frameAt(std::max(0.0, start_ + (double(stage - first_) + kInside) / fps_));
}

std::int64_t FrameClock::stageOf(std::int64_t n) const {
    if (fps_ == 0) return n;
    const double k = std::ceil((clip_->secondsAt(n) - start_) * fps_ - kInside);
    const auto here = std::clamp<std::int64_t>(first_ + static_cast<std::int64_t>(k), 0, frames_ - 1);
    std::int64_t best = here;
    for (const std::int64_t s : {here - 1, here + 1})
        if (s >= 0 && s < frames_ && std::abs(sourceOf(s) - n) < std::abs(sourceOf(best) - n)) best = s;
    return best;
}

std::int64_t FrameClock::deliveredAt(double seconds) const {
    if (fps_ > 0)
        return std::clamp<std::int64_t>(static_cast<std::int64_t>(std::floor(seconds * fps_ + 1e-6)), 0, count_ - 1);
    return std::clamp(clip_->frameAt(start_ + std::max(0.0, seconds)) - from_, std::int64_t(0), count_ - 1);
}

Retiming FrameClock::retiming() const {
    if (fps_ == 0) return {};
    const Key key = KeyMaker("clock").add(fps_).add(start_).add(first_).add(count_).add(from_).add(past_);
    return {frames_, key, [clock = *this](std::int64_t stage) { return clock.sourceOf(stage); }};
}

} // namespace ulm
