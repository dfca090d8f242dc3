#include "core/pipeline/even_times.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>

namespace ulm {
namespace {

constexpr double kStray = 0.15;     // of a step: a frame this far from its run's times still belongs to it
constexpr double kSameRate = 0.002; // share by which a step may differ from whole periods
constexpr std::size_t kRun = 4;     // frames: fewer say nothing of a rhythm

double middle(std::vector<double> all) {
    const auto half = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
    std::ranges::nth_element(all, half);
    return *half;
}

// The mean of the steps that are about as long as most: rounding of times cancels out.
double usualStep(const std::vector<double>& steps) {
    const double about = middle(steps);
    double sum = 0;
    std::int64_t count = 0;
    for (const double s : steps)
        if (std::abs(s - about) < 0.25 * about) sum += s, ++count;
    return sum / double(count);
}

} // namespace

std::vector<double> evenTimes(const std::vector<double>& seconds, double anchor, double period, double tick) {
    const std::size_t count = seconds.size();
    if (count < kRun) return {};
    std::vector<double> steps;
    for (std::size_t i = 1; i < count; ++i) steps.push_back(seconds[i] - seconds[i - 1]);
    if (*std::ranges::min_element(steps) <= 0) return {};
    const double usual = usualStep(steps);
    if (std::ranges::all_of(steps, [&](double s) { return std::abs(s - usual) <= 1.5 * tick; })) return {};
    const double periods = std::round(usual / period);
    if (periods < 1 || std::abs(usual - periods * period) > kSameRate * usual) return {};
    const double step = periods * period;
    std::vector<double> even = seconds;
    bool moved = false;
    for (std::size_t first = 0; first < count;) {
        // How far each is behind the first one's rhythm; a run ends where these differ too much.
        double low = 0, high = 0;
        std::size_t past = first + 1;
        for (; past < count; ++past) {
            const double behind = seconds[past] - seconds[first] - double(past - first) * step;
            if (std::max(high, behind) - std::min(low, behind) > 2 * kStray * step) break;
            low = std::min(low, behind), high = std::max(high, behind);
        }
        if (past - first >= kRun) {
            const double own = seconds[first] + (low + high) / 2;
            const double at = anchor + std::round((own - anchor) / period) * period;
            for (std::size_t i = first; i < past; ++i) even[i] = at + double(i - first) * step;
            moved = true;
        }
        first = past;
    }
    // Runs that were moved towards each other never change places.
    for (std::size_t i = 1; i < count; ++i) even[i] = std::max(even[i], even[i - 1] + 1e-6);
    return moved ? even : std::vector<double>{};
}

} // namespace ulm
