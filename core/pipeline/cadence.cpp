#include "core/pipeline/cadence.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr std::int64_t kLooked = 600;

FrameClock clockOf(const ClipPtr& clip, Ticket t, const Inspection& found, double fps, const char* method) {
    t.motion.on = true;
    t.motion.fps = fps;
    t.motion.method = method;
    t.motion.places.clear();
    t.motion.shutter = 0;
    return FrameClock(clip, t, found);
}

// When frames are shown, against when they were filmed: what stays of that without its mean.
double strayOf(const FrameClock& c, const FilmedAt& filmed) {
    std::int64_t n = std::min(c.count(), kLooked);
    // Nothing comes after the last frame, so that it stands for a while.
    const auto when = [&](std::int64_t k) { return c.filmedOf(c.first() + k, filmed); };
    if (n == c.count())
        for (const double last = when(n - 1); n > 1 && when(n - 1) == last;) --n;
    double sum = 0, square = 0;
    for (std::int64_t k = 0; k < n; ++k) {
        const double late = c.secondsAt(k) - c.movieSeconds(when(k));
        sum += late, square += late * late;
    }
    return 1000 * std::sqrt(std::max(0.0, square / double(n) - sum / double(n) * sum / double(n)));
}

} // namespace

Judder judderOf(const ClipPtr& clip, const Ticket& t, const Inspection& found) {
    Ticket plain;
    plain.stretch = t.stretch;
    const FilmedAt filmed = filmedAt(clip, found);
    return {strayOf(FrameClock(clip, plain, found), filmed), strayOf(FrameClock(clip, t, found), filmed)};
}

std::vector<Cadence> cadencesOf(const ClipPtr& clip, const Ticket& t, const Inspection& found,
                                const std::vector<double>& rates) {
    std::vector<Cadence> all;
    const FilmedAt filmed = filmedAt(clip, found);
    for (const double fps : rates) {
        Cadence c{fps, 0, 0};
        const FrameClock made = clockOf(clip, t, found, fps, "careful"), held = clockOf(clip, t, found, fps, "hold");
        // The last frame has none after it to make one from.
        const std::int64_t n = std::clamp<std::int64_t>(made.count() - 1, 1, kLooked);
        for (std::int64_t k = 0; k < n; ++k) {
            const double at = made.instantOf(made.first() + k);
            c.made += std::abs(at - std::round(at)) > 1e-6 ? 1.0 / double(n) : 0;
        }
        c.judder = strayOf(held, filmed);
        all.push_back(c);
    }
    return all;
}

std::string told(const Cadence& c) {
    const std::string rate = shortNumber(c.fps, 2) + ": ";
    if (c.made < 0.005 && c.judder < 0.5) return rate + "as filmed";
    if (c.made < 0.005) return rate + "none made up, " + shortNumber(c.judder, 0) + " ms of judder";
    return rate + shortNumber(100 * c.made, 0) + " % made up, or " + shortNumber(c.judder, 0) + " ms of judder";
}

} // namespace ulm
