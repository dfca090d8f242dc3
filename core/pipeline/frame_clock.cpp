#include "core/pipeline/frame_clock.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// A frame is looked up a quarter of its time in: rounding of times never flips it to a neighbour.
constexpr double kInside = 0.25;
// Nearer to a frame than this share of the way to the next, the frame itself is shown.
constexpr double kOnFrame = 0.004;
// Frames further apart than so many usual ones and so many seconds are no movement: something is missing. Nor are those
// that are very far apart.
constexpr double kGapFrames = 6, kGapSeconds = 0.3, kMostSeconds = 2.5;

double usualDuration(const Clip& c) {
    std::vector<std::int64_t> all;
    for (const FrameTime& f : c.frames()) all.push_back(f.duration);
    std::ranges::nth_element(all, all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2));
    return double(all[all.size() / 2]) * av_q2d(c.timeBase());
}

} // namespace

AVRational frameRate(double fps) {
    const double whole = std::round(fps * 1.001);
    if (std::abs(fps - whole * 1000 / 1001) < 0.005 && std::abs(fps - std::round(fps)) > 0.01)
        return {static_cast<int>(whole) * 1000, 1001};
    return av_d2q(fps, 100000);
}

// Where repeats come in a steady pattern, the others were filmed evenly: each takes the mean time of a period's frames
// around it. Where they do not, frames went missing, and those left keep their times.
std::shared_ptr<const FrameClock::Kept> FrameClock::withoutRepeats(const Clip& c, const Inspection& found) {
    if (found.duplicates.empty()) return nullptr;
    const auto kept = std::make_shared<Kept>();
    for (std::int64_t n = 0; n < c.frameCount(); ++n)
        if (!std::ranges::binary_search(found.duplicates, n))
            kept->frames.push_back(n), kept->seconds.push_back(c.secondsAt(n));
    const auto period = static_cast<std::size_t>(std::max(0, found.repeats.of - found.repeats.repeats));
    const std::size_t count = kept->frames.size();
    if (found.repeats.of && period > 0 && count > 2 * period) {
        std::vector<double> even(count);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t at = std::min(i, count - period - 1);
            double sum = 0;
            for (std::size_t k = at; k < at + period; ++k) sum += kept->seconds[k];
            const double step = (kept->seconds[at + period] - kept->seconds[at]) / double(period);
            even[i] = sum / double(period) - step * double(period - 1) / 2 + step * double(i - at);
        }
        for (std::size_t i = 1; i < count; ++i) even[i] = std::max(even[i], even[i - 1] + 1e-6);
        kept->seconds = std::move(even);
    }
    return kept;
}

FrameClock::FrameClock(ClipPtr clip, const Ticket& t, const Inspection& found) : clip_(std::move(clip)) {
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
    const Ticket::Motion& m = t.motion;
    const double own = c.facts().video.fps;
    if (m.on && m.duplicates != "keep") kept_ = withoutRepeats(c, found);
    if (!m.on || ((m.fps == 0 || std::abs(m.fps - own) < 1e-3) && m.speed == 100 && !kept_)) {
        timeBase_ = c.timeBase();
        first_ = from_;
        count_ = past_ - from_;
        frames_ = c.frameCount();
        return;
    }
    speed_ = m.speed / 100;
    const bool closes = kept_ && m.duplicates == "remove" && m.fps == 0 && found.repeats.of;
    rate_ = frameRate(m.fps > 0 ? m.fps : closes ? own * (1 - double(found.repeats.repeats) / found.repeats.of) : own);
    between_ = m.method != "hold" && !(closes && speed_ == 1);
    if (between_) gap_ = std::min(kMostSeconds, std::max(kGapSeconds, kGapFrames * usualDuration(c)));
    timeBase_ = av_inv_q(rate_);
    const double perSecond = av_q2d(rate_) / speed_; // delivered frames a second of the clip
    count_ = std::max<std::int64_t>(1, std::llround((c.secondsAt(past_) - start_) * perSecond));
    first_ = static_cast<std::int64_t>(std::floor(start_ * perSecond + 1e-9));
    frames_ = first_ + std::max(count_, static_cast<std::int64_t>(std::llround((end - start_) * perSecond)));
}

std::int64_t FrameClock::pts(std::int64_t k) const {
    if (!untouched()) return k;
    const auto& all = clip_->frames();
    return all[static_cast<std::size_t>(from_ + k)].pts - all[static_cast<std::size_t>(from_)].pts;
}

std::int64_t FrameClock::duration(std::int64_t k) const {
    return untouched() ? clip_->frames()[static_cast<std::size_t>(from_ + k)].duration : 1;
}

double FrameClock::seconds() const { return double(pts(count_ - 1) + duration(count_ - 1)) * av_q2d(timeBase_); }

double FrameClock::secondsOf(std::int64_t stage) const {
    return start_ + double(stage - first_) * speed_ * rate_.den / rate_.num;
}

std::int64_t FrameClock::keptCount() const {
    return kept_ ? static_cast<std::int64_t>(kept_->frames.size()) : clip_->frameCount();
}

double FrameClock::keptSeconds(std::int64_t i) const {
    return kept_ ? kept_->seconds[static_cast<std::size_t>(i)] : clip_->secondsAt(i);
}

std::int64_t FrameClock::clipFrame(std::int64_t i) const {
    return kept_ ? kept_->frames[static_cast<std::size_t>(i)] : i;
}

std::int64_t FrameClock::keptAt(double seconds) const {
    if (!kept_) return clip_->frameAt(std::max(0.0, seconds));
    const auto& s = kept_->seconds;
    const auto it = std::ranges::upper_bound(s, seconds);
    return it == s.begin() ? 0 : it - s.begin() - 1;
}

BetweenInstant FrameClock::between(std::int64_t stage) const {
    const double at = secondsOf(stage);
    if (!between_) { // of frames at times of their own the nearest; of all, the one on show
        if (!kept_) return {keptAt(at + kInside * speed_ * rate_.den / rate_.num), 0};
        const std::int64_t i = keptAt(at);
        return {i + 1 < keptCount() && keptSeconds(i + 1) - at < at - keptSeconds(i) ? i + 1 : i, 0};
    }
    const std::int64_t i = keptAt(at + 1e-9);
    // What is delivered shows nothing from behind its stretch: the next shot may begin there.
    const bool ends = i + 1 < keptCount() && clipFrame(i + 1) >= past_ && stage >= first_ && stage - first_ < count_;
    if (ends || i + 1 >= keptCount() || at <= keptSeconds(i)) return {i, 0};
    const double a = keptSeconds(i), b = keptSeconds(i + 1), part = (at - a) / (b - a);
    if (part < kOnFrame) return {i, 0};
    if (part > 1 - kOnFrame) return {i + 1, 0};
    if (b - a > gap_) return {part < 0.5 ? i : i + 1, 0};
    return {i, part};
}

std::int64_t FrameClock::sourceOf(std::int64_t stage) const {
    if (untouched()) return stage;
    const BetweenInstant i = between(stage);
    return clipFrame(i.part < 0.5 ? i.frame : i.frame + 1);
}

double FrameClock::instantOf(std::int64_t stage) const {
    if (untouched()) return double(stage);
    const BetweenInstant i = between(stage);
    const auto a = double(clipFrame(i.frame));
    return i.part == 0 ? a : a + i.part * (double(clipFrame(i.frame + 1)) - a);
}

std::int64_t FrameClock::stageOf(std::int64_t n) const {
    if (untouched()) return n;
    const double k = std::ceil((clip_->secondsAt(n) - start_) * av_q2d(rate_) / speed_ - kInside);
    const auto here = std::clamp<std::int64_t>(first_ + static_cast<std::int64_t>(k), 0, frames_ - 1);
    const auto away = [&](std::int64_t s) { return std::abs(instantOf(s) - double(n)); };
    std::int64_t best = here;
    for (const std::int64_t s : {here - 1, here + 1})
        if (s >= 0 && s < frames_ && away(s) < away(best)) best = s;
    return best;
}

std::int64_t FrameClock::deliveredAt(double seconds) const {
    if (!untouched())
        return std::clamp<std::int64_t>(static_cast<std::int64_t>(std::floor(seconds * av_q2d(rate_) + 1e-6)), 0,
                                        count_ - 1);
    return std::clamp(clip_->frameAt(start_ + std::max(0.0, seconds)) - from_, std::int64_t(0), count_ - 1);
}

Retiming FrameClock::retiming() const {
    if (untouched()) return {};
    KeyMaker key("clock");
    key.add(av_q2d(rate_)).add(speed_).add(start_).add(first_).add(count_).add(from_).add(past_).add(int(between_));
    Retiming r;
    r.frames = frames_;
    r.pick = [clock = *this](std::int64_t stage) { return clock.sourceOf(stage); };
    if (kept_) {
        key.add(kept_->frames.data(), kept_->frames.size() * sizeof(std::int64_t));
        key.add(kept_->seconds.data(), kept_->seconds.size() * sizeof(double));
        r.kept = std::shared_ptr<const std::vector<std::int64_t>>(kept_, &kept_->frames);
    }
    if (between_) r.between = [clock = *this](std::int64_t stage) { return clock.between(stage); };
    r.key = key;
    return r;
}

} // namespace ulm
