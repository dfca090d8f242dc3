#include "core/pipeline/frame_clock.h"

#include "core/base/error.h"
#include "core/pipeline/even_times.h"
#include "core/ticket/between_places.h"
#include "core/ticket/motion_step.h"
#include "core/ticket/stretch_step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// A frame is looked up a quarter of its time in: rounding of times never flips it to a neighbour.
constexpr double kInside = 0.25;
// Nearer to a frame than this share of the way to the next, the frame itself is shown.
constexpr double kOnFrame = 0.004;
// A file's clock rounds times (Matroska's to milliseconds): so far beside a frame an instant may mean it. A clock of
// fewer ticks a frame counts frames, or halves of them, and rounds nothing.
double onFrame(AVRational clock, double spacing) {
    constexpr double kMostRounded = 0.125;
    const double tick = av_q2d(clock) / spacing;
    return tick <= kMostRounded ? std::max(kOnFrame, tick) : kOnFrame;
}
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
std::shared_ptr<const FrameClock::Kept> FrameClock::withoutRepeats(const Clip& c, const std::vector<std::int64_t>& out,
                                                                   const RepeatPattern& pattern) {
    if (out.empty()) return nullptr;
    const auto kept = std::make_shared<Kept>();
    for (std::int64_t n = 0; n < c.frameCount(); ++n)
        if (!std::ranges::binary_search(out, n)) kept->frames.push_back(n), kept->seconds.push_back(c.secondsAt(n));
    const auto period = static_cast<std::size_t>(std::max(0, pattern.of - pattern.repeats));
    const std::size_t count = kept->frames.size();
    if (pattern.of && period > 0 && count > 2 * period) {
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

// A second field was taken half a frame later.
std::shared_ptr<const FrameClock::Kept> FrameClock::everyField(const Clip& c) {
    const auto kept = std::make_shared<Kept>();
    for (std::int64_t n = 0; n < c.frameCount(); ++n)
        for (const double part : {0.0, 0.5}) {
            kept->frames.push_back(n);
            kept->seconds.push_back(c.secondsAt(n) + part * (c.secondsAt(n + 1) - c.secondsAt(n)));
        }
    return kept;
}

std::shared_ptr<const FrameClock::Kept> FrameClock::evened(const Clip& c, double anchor, double period) {
    const auto kept = std::make_shared<Kept>();
    for (std::int64_t n = 0; n < c.frameCount(); ++n)
        kept->frames.push_back(n), kept->seconds.push_back(c.secondsAt(n));
    kept->seconds = evenTimes(kept->seconds, anchor, period, av_q2d(c.timeBase()));
    return kept->seconds.empty() ? nullptr : kept;
}

namespace {

struct Seconds {
    double from, to;
};

Seconds stretchOf(const Ticket& t, const Clip& c) {
    const double end = c.secondsAt(c.frameCount());
    const double from = t.stretch.on ? t.stretch.from : 0, to = t.stretch.on ? std::min(t.stretch.to, end) : end;
    if (from >= end || to <= from)
        throw Error(Fault::Usage, c.path(),
                    "the stretch lies outside the clip, which is " + shortNumber(end, 3) + " s long",
                    "Choose a stretch inside it.");
    return {from, to};
}

// The parts left out, on whole frames: of one that is partly left out nothing is shown.
struct FramesOut {
    std::int64_t first, past;
};
std::vector<FramesOut> framesOut(const Ticket& t, const Clip& c) {
    std::vector<FramesOut> all;
    const auto frameFrom = [&](double s) { // the first that begins there or later
        const std::int64_t n = c.frameAt(s);
        return c.secondsAt(n) < s - 1e-6 ? n + 1 : n;
    };
    for (const LeftOut& p : leftOutFrom(t.stretch.without)) {
        if (p.from >= c.secondsAt(c.frameCount())) break;
        const std::int64_t first = frameFrom(p.from),
                           past = p.to >= c.secondsAt(c.frameCount()) ? c.frameCount() : frameFrom(p.to);
        if (past <= first) continue;
        if (!all.empty() && all.back().past >= first)
            all.back().past = past;
        else
            all.push_back({first, past});
    }
    return all;
}

std::vector<LeftOut> secondsOut(const std::vector<FramesOut>& frames, const Clip& c) {
    std::vector<LeftOut> all;
    for (const FramesOut& f : frames) all.push_back({c.secondsAt(f.first), c.secondsAt(f.past)});
    return all;
}

} // namespace

Ticket atWantedLength(const Ticket& asked, const Clip& c) {
    if (!asked.motion.on || asked.motion.seconds <= 0) return asked;
    Ticket t = asked;
    const auto [from, to] = stretchOf(t, c);
    TimeMap::Wish wish;
    wish.ramps = rampsFrom(t.motion.ramps);
    wish.eased = t.motion.ease;
    wish.without = secondsOut(framesOut(t, c), c);
    const auto length = [&, from = from, to = to] {
        const TimeMap filmed(wish);
        return filmed.movieAt(to) - filmed.movieAt(from);
    };
    const double runs = length();
    wish.halts = freezesFrom(t.motion.freezes);
    const double still = length() - runs;
    t.motion.speed = t.motion.seconds > still ? 100 * runs / (t.motion.seconds - still) : 1e9;
    if (t.motion.speed < 10 || t.motion.speed > 400)
        throw Error(Fault::Usage, c.path(),
                    "it cannot be made " + shortNumber(t.motion.seconds, 2) + " s long: that is too " +
                        (t.motion.speed > 400 ? "fast" : "slow"),
                    "Choose a length from " + shortNumber(runs / 4 + still, 1) + " s to " +
                        shortNumber(runs * 10 + still, 1) + " s.");
    return t;
}

FrameClock::FrameClock(ClipPtr clip, const Ticket& t, const Inspection& found) : clip_(std::move(clip)) {
    const Clip& c = *clip_;
    const auto [from, to] = stretchOf(t, c);
    from_ = c.frameAt(from);
    if (c.secondsAt(from_) < from - 1e-6 && from_ + 1 < c.frameCount() && c.secondsAt(from_ + 1) < to) ++from_;
    // A stretch ends before the first frame that starts at or after `to`.
    past_ = std::clamp(c.frameAt(to - 1e-6) + 1, from_ + 1, c.frameCount());
    if (past_ < c.frameCount() && c.secondsAt(past_) < to - 1e-6) ++past_;
    std::vector<FramesOut> out = framesOut(t, c);
    for (const FramesOut& f : out) {
        if (f.first <= from_) from_ = std::max(from_, f.past);
        if (f.past >= past_) past_ = std::min(past_, f.first);
    }
    if (past_ <= from_)
        throw Error(Fault::Usage, c.path(), "all of it is left out", "Leave out less, or clear the parts left out.");
    std::erase_if(out, [&](const FramesOut& f) { return f.first >= past_ || f.past <= from_; });
    for (const FramesOut& f : out) out_.emplace_back(f.first, f.past);
    start_ = c.secondsAt(from_);
    end_ = c.secondsAt(past_);
    // Without the step the clip runs as filmed, and joins nothing but what is left of it.
    static const Ticket::Motion plain = [] {
        Ticket::Motion p;
        p.method = "hold";
        return p;
    }();
    const Ticket::Motion& m = t.motion.on ? t.motion : plain;
    const double own = c.facts().video.fps;
    fields_ = takesFields(t, found, c.facts().video);
    const bool film = undoesPulldown(t, found, c.facts().video);
    const RepeatPattern pattern = film ? RepeatPattern{1, 5} : found.repeats;
    if (fields_)
        kept_ = everyField(c);
    else if (film)
        kept_ = withoutRepeats(c, found.pulldown.repeats, pattern);
    else if (m.on && m.duplicates != "keep")
        kept_ = withoutRepeats(c, found.duplicates, pattern);
    const bool makes = makesFrames(t), blurs = makes && m.shutter > 0;
    if (out.empty() && (m.fps == 0 || std::abs(m.fps - own) < 1e-3) && !changesTime(t) && !kept_ && !blurs) {
        timeBase_ = c.timeBase();
        first_ = from_;
        count_ = past_ - from_;
        frames_ = c.frameCount();
        return;
    }
    backwards_ = m.reverse;
    // Backwards it begins with the last frame's own instant.
    const std::vector<LeftOut> parts = secondsOut(out, c);
    times_ = TimeMap({backwards_ ? c.secondsAt(past_ - 1) : start_, m.speed / 100, rampsFrom(m.ramps), m.ease,
                      freezesFrom(m.freezes), parts, backwards_});
    const bool closes = kept_ && !fields_ && (film || m.duplicates == "remove") && m.fps == 0 && pattern.of;
    rate_ = frameRate(m.fps > 0 ? m.fps
                      : closes  ? own * (1 - double(pattern.repeats) / pattern.of)
                                : own * (fields_ ? 2 : 1));
    if (c.facts().video.variableRate && !kept_ && out.empty() && m.ramps.empty() && m.freezes.empty())
        kept_ = evened(c, backwards_ ? c.secondsAt(past_ - 1) : start_, m.speed / 100 / av_q2d(rate_));
    between_ = makes && (blurs || !(closes && !changesTime(t)));
    places_ = betweenPlacesFrom(m.places);
    usual_ = m.method == "hold" ? BetweenWay::Hold : BetweenWay::Rebuild;
    if (between_) gap_ = std::min(kMostSeconds, std::max(kGapSeconds, kGapFrames * usualDuration(c)));
    timeBase_ = av_inv_q(rate_);
    const double rate = av_q2d(rate_);
    const double whole = c.secondsAt(c.frameCount());
    count_ = std::max<std::int64_t>(1, std::llround(std::abs(times_.movieAt(end_) - times_.movieAt(start_)) * rate));
    // Stage frames run over the whole clip, from the end that the movie comes from.
    const double first = times_.movieAt(backwards_ ? c.secondsAt(c.frameCount() - 1) : 0),
                 last = times_.movieAt(backwards_ ? 0 : whole);
    first_ = static_cast<std::int64_t>(std::floor(-first * rate + 1e-9));
    frames_ = first_ + std::max(count_, static_cast<std::int64_t>(std::llround(last * rate)));
    if (blurs) openShutter(m, found, own * (fields_ ? 2 : 1) / rate);
    KeyMaker key("clock");
    key.add(rate)
        .add(m.places)
        .add(static_cast<int>(usual_))
        .add(m.shutter)
        .add(m.speed)
        .add(m.ramps)
        .add(int(m.ease))
        .add(m.freezes)
        .add(int(backwards_));
    for (const LeftOut& p : parts) key.add(p.from).add(p.to);
    key_ = key;
}

std::vector<LeftOut> FrameClock::leftOut() const {
    std::vector<LeftOut> all;
    for (const auto& [first, past] : out_) all.push_back({clip_->secondsAt(first), clip_->secondsAt(past)});
    return all;
}

double FrameClock::clipSeconds(double movie) const { return untouched() ? start_ + movie : times_.clipAt(movie); }

double FrameClock::movieSeconds(double clip) const { return untouched() ? clip - start_ : times_.movieAt(clip); }

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
    return times_.clipAt(double(stage - first_) * rate_.den / rate_.num);
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
        if (!kept_) {
            const double inside = (double(stage - first_) + (backwards_ ? -kInside : kInside)) * rate_.den / rate_.num;
            return {keptAt(times_.clipAt(inside)), 0};
        }
        const std::int64_t i = keptAt(at);
        return {i + 1 < keptCount() && keptSeconds(i + 1) - at < at - keptSeconds(i) ? i + 1 : i, 0};
    }
    return betweenAt(at, isDelivered(stage));
}

BetweenInstant FrameClock::betweenAt(double at, bool delivered) const {
    // The very instant of a join may fall on the side that is gone.
    const std::int64_t i = afterLeftOut(keptAt(at + 1e-9));
    // What is delivered shows nothing from behind its stretch: the next shot may begin there.
    const bool ends =
        i + 1 < keptCount() && ((clipFrame(i + 1) >= past_ && delivered) || isJoined(clipFrame(i), clipFrame(i + 1)));
    const auto place = std::ranges::find_if(places_, [&](const BetweenPlace& p) { return at >= p.from && at < p.to; });
    const BetweenWay way = place == places_.end() ? usual_ : place->way;
    if (ends || i + 1 >= keptCount() || at <= keptSeconds(i)) return {i, 0, way};
    const double a = keptSeconds(i), b = keptSeconds(i + 1), part = (at - a) / (b - a);
    const double near = onFrame(clip_->timeBase(), b - a);
    if (part < near) return {i, 0, way};
    if (part > 1 - near) return {i + 1, 0, way};
    if (way == BetweenWay::Hold || b - a > gap_) return {part < 0.5 ? i : i + 1, 0, BetweenWay::Hold};
    return {i, part, way};
}

// As many instants as smear what moves without showing them one by one, of which each is a picture in between.
void FrameClock::openShutter(const Ticket::Motion& m, const Inspection& found, double spacing) {
    constexpr double kEachFrame = 12;
    constexpr int kLeast = 4, kMost = 16;
    double fastest = m.speed / 100;
    for (const SpeedAt& s : rampsFrom(m.ramps)) fastest = std::max(fastest, s.speed * m.speed / 100);
    const double open = m.shutter / 360; // of a delivered frame
    exposures_ = std::clamp(static_cast<int>(std::ceil(kEachFrame * open * spacing * fastest)), kLeast, kMost);
    open_ = open * rate_.den / rate_.num;
    const auto begins = [this](std::int64_t frame) { // of what is kept, the first of it
        std::int64_t low = 0, high = keptCount();
        while (low < high) {
            const std::int64_t mid = (low + high) / 2;
            clipFrame(mid) < frame ? low = mid + 1 : high = mid;
        }
        return low;
    };
    runs_ = {0, begins(from_), begins(past_), keptCount()};
    for (const std::int64_t cut : found.cuts) runs_.push_back(begins(cut));
    for (const auto& [first, past] : out_) runs_.push_back(begins(first)), runs_.push_back(begins(past));
    std::ranges::sort(runs_);
}

BetweenInstant FrameClock::exposed(std::int64_t stage, int exposure) const {
    const BetweenInstant shown = between(stage);
    if (exposures_ == 1 || shown.way == BetweenWay::Hold) return shown;
    const std::int64_t frame = shown.part < 0.5 ? shown.frame : shown.frame + 1;
    const auto past = std::ranges::upper_bound(runs_, frame);
    const double away = (exposure + 0.5) / exposures_ - 0.5; // around the instant: what moves stays where it was
    const BetweenInstant i =
        betweenAt(times_.clipAt(double(stage - first_) * rate_.den / rate_.num + away * open_), isDelivered(stage));
    if (i.way == BetweenWay::Hold) return shown;
    if (past == runs_.begin() || past == runs_.end()) return i;
    if (i.frame < *(past - 1)) return {*(past - 1), 0, i.way};
    if (i.frame >= *past - 1) return {*past - 1, 0, i.way};
    return i;
}

std::int64_t FrameClock::afterLeftOut(std::int64_t index) const {
    for (const auto& [first, past] : out_)
        while (clipFrame(index) >= first && clipFrame(index) < past && index + 1 < keptCount()) ++index;
    return index;
}

bool FrameClock::isJoined(std::int64_t a, std::int64_t b) const {
    return std::ranges::any_of(out_, [&](const auto& f) { return a < f.first && b >= f.first; });
}

std::int64_t FrameClock::indexOf(std::int64_t stage) const {
    const BetweenInstant i = between(stage);
    return i.part < 0.5 ? i.frame : i.frame + 1;
}

std::int64_t FrameClock::sourceOf(std::int64_t stage) const { return untouched() ? stage : clipFrame(indexOf(stage)); }

double FrameClock::instantOf(std::int64_t stage) const {
    if (untouched()) return double(stage);
    const BetweenInstant i = between(stage);
    if (fields_) return std::min((double(i.frame) + i.part) / 2, double(clip_->frameCount() - 1));
    const auto a = double(clipFrame(i.frame));
    return i.part == 0 ? a : a + i.part * (double(clipFrame(i.frame + 1)) - a);
}

double FrameClock::filmedOf(std::int64_t stage, const FilmedAt& filmed) const {
    if (untouched()) return filmed(stage);
    const BetweenInstant i = between(stage);
    const auto when = [&](std::int64_t index) { return fields_ ? keptSeconds(index) : filmed(clipFrame(index)); };
    return i.part == 0 ? when(i.frame) : when(i.frame) + i.part * (when(i.frame + 1) - when(i.frame));
}

FilmedAt filmedAt(const ClipPtr& clip, const Inspection& found) {
    const auto kept = FrameClock::withoutRepeats(*clip, found.duplicates, found.repeats);
    if (!kept || kept->frames.empty()) return [clip](std::int64_t n) { return clip->secondsAt(n); };
    return [kept](std::int64_t n) {
        const auto after = std::ranges::upper_bound(kept->frames, n);
        return kept->seconds[static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, after - kept->frames.begin()) - 1)];
    };
}

double FrameClock::movieOf(std::int64_t stage) const {
    return untouched() ? clip_->secondsAt(stage) - start_ : double(stage - first_) * rate_.den / rate_.num;
}

std::int64_t FrameClock::stageOf(std::int64_t n) const {
    if (untouched()) return n;
    const double k = std::ceil(times_.movieAt(clip_->secondsAt(n)) * av_q2d(rate_) - kInside);
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
    KeyMaker key("retiming");
    key.add(std::int64_t(key_))
        .add(start_)
        .add(first_)
        .add(count_)
        .add(from_)
        .add(past_)
        .add(int(between_))
        .add(int(fields_));
    Retiming r;
    r.frames = frames_;
    r.pick = [clock = *this](std::int64_t stage) {
        return clock.fields_ ? clock.indexOf(stage) : clock.sourceOf(stage);
    };
    if (kept_ && !fields_) {
        key.add(kept_->frames.data(), kept_->frames.size() * sizeof(std::int64_t));
        key.add(kept_->seconds.data(), kept_->seconds.size() * sizeof(double));
        if (keptCount() != clip_->frameCount()) // else all are, at other times
            r.kept = std::shared_ptr<const std::vector<std::int64_t>>(kept_, &kept_->frames);
    }
    if (between_)
        r.between = [clock = *this](std::int64_t n) {
            return clock.exposed(n / clock.exposures_, static_cast<int>(n % clock.exposures_));
        };
    r.exposures = exposures_;
    r.key = key;
    return r;
}

} // namespace ulm
