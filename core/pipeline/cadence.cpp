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
    return FrameClock(clip, t, found);
}

} // namespace

std::vector<Cadence> cadencesOf(const ClipPtr& clip, const Ticket& t, const Inspection& found,
                                const std::vector<double>& rates) {
    std::vector<Cadence> all;
    for (const double fps : rates) {
        Cadence c{fps, 0, 0};
        const FrameClock made = clockOf(clip, t, found, fps, "careful"), held = clockOf(clip, t, found, fps, "hold");
        // The last frame has none after it to make one from.
        const std::int64_t n = std::clamp<std::int64_t>(made.count() - 1, 1, kLooked);
        for (std::int64_t k = 0; k < n; ++k) {
            const double at = made.instantOf(made.first() + k);
            c.made += std::abs(at - std::round(at)) > 1e-6 ? 1.0 / double(n) : 0;
        }
        // When a repeated frame is shown, against when it was filmed: what stays of that without its mean is judder.
        const std::int64_t m = std::min(held.count(), kLooked);
        double sum = 0, square = 0;
        for (std::int64_t k = 0; k < m; ++k) {
            const double late = held.secondsAt(k) - held.movieSeconds(clip->secondsAt(held.sourceOf(held.first() + k)));
            sum += late, square += late * late;
        }
        c.judder = 1000 * std::sqrt(std::max(0.0, square / double(m) - sum / double(m) * sum / double(m)));
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
