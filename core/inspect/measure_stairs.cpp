#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {
namespace {

constexpr int kRun = 14, kReach = 4;
constexpr float kHeight = 45 / kSteps;

// Follows an edge along `along` from the sample `s` (line `at` of `lines` across). Gives the jumps' mean deviation from
// an even slope, and that of a full staircase of the same slope; false where it is no clear, slanted, single edge.
bool follow(const float* s, std::ptrdiff_t along, std::ptrdiff_t across, int at, int lines, double noise, double& jumps,
            double& full) {
    float position[kRun], steepness = 0;
    float sign = s[across] > s[0] ? 1.f : -1.f;
    for (int i = 0; i < kRun; ++i) {
        if (at < kReach || at + kReach + 1 >= lines) return false;
        const float* c = s + i * along;
        const float low = c[-kReach * across], high = c[(kReach + 1) * across];
        if ((high - low) * sign < kHeight) return false;
        const float mid = 0.5f * (low + high);
        // The crossing nearest to where the edge was; one that is not monotone near it is texture.
        int k = 0;
        bool found = false;
        for (const int t : {0, 1, -1, 2, -2}) {
            if ((c[t * across] - mid) * sign <= 0 && (c[(t + 1) * across] - mid) * sign > 0) {
                k = t, found = true;
                break;
            }
        }
        if (!found) return false;
        const float a = c[k * across], b = c[(k + 1) * across];
        position[i] = float(at + k) + (mid - a) / (b - a);
        steepness += (b - a) * sign / kRun;
        at += k;
        s += k * across;
    }
    const double slope = (position[kRun - 1] - position[0]) / double(kRun - 1), steep = std::abs(slope);
    if (steep < 0.12 || steep > 0.85) return false;
    // A curve's slope changes evenly along the run; only what strays from that is a jump.
    constexpr double kMiddle = kRun / 2.0, kSpread = (kRun - 1) * (double(kRun - 1) * (kRun - 1) - 1) / 12;
    double bend = 0, off = 0;
    for (int i = 1; i < kRun; ++i) bend += (i - kMiddle) * (position[i] - position[i - 1]) / kSpread;
    for (int i = 1; i < kRun; ++i) off += std::abs(position[i] - position[i - 1] - slope - bend * (i - kMiddle));
    off /= kRun - 1;
    // Steps stray little from the straight line; what wanders is texture.
    double wander = 0;
    for (int i = 0; i < kRun; ++i) {
        const double t = i - (kRun - 1) / 2.0,
                     line = position[0] + slope * i + bend / 2 * (t * t - (kRun - 1) * (kRun - 1) / 4.0);
        wander += (position[i] - line) * (position[i] - line) / kRun;
    }
    if (wander > 0.45) return false;
    // Noise makes positions tremble: each by sigma over the edge's steepness.
    const double tremble = 0.8 * std::sqrt(2.0) * noise / kSteps / std::max(steepness, 1e-3f);
    full = 2 * steep * (1 - steep);
    jumps = std::min(full, std::sqrt(std::max(0.0, off * off - tremble * tremble)));
    return true;
}

} // namespace

Stairs stairs(const Plane& p, double noiseSigma) {
    const Rect r = p.area();
    Stairs out{0, FaultMap(r)};
    std::vector<double> runs;
    const auto search = [&](bool upright) {
        const std::ptrdiff_t along = upright ? p.stride() : 1, across = upright ? 1 : p.stride();
        const int length = upright ? r.h : r.w, lines = upright ? r.w : r.h;
        for (int a = 0; a + kRun < length; a += kRun / 2)
            for (int i = kReach; i + kReach + 1 < lines; ++i) {
                const float* s = p.row(upright ? r.y + a : r.y + i) + (upright ? i : a);
                const float g = std::abs(s[across] - s[0]);
                if (g < 14 / kSteps || g < std::abs(s[0] - s[-across]) || g <= std::abs(s[2 * across] - s[across]))
                    continue;
                double jumps = 0, full = 0;
                if (!follow(s, along, across, i, lines, noiseSigma, jumps, full)) continue;
                const int m = a + kRun / 2;
                runs.push_back(100 * jumps / full);
                out.map.add(upright ? r.x + i : r.x + m, upright ? r.y + m : r.y + i, 100 * jumps / full, full);
                i += kReach;
            }
    };
    if (r.w > 2 * kRun && r.h > 2 * kRun) {
        search(false);
        search(true);
    }
    if (runs.size() >= 12) {
        const auto middle = runs.begin() + static_cast<std::ptrdiff_t>(runs.size() / 2);
        std::ranges::nth_element(runs, middle);
        out.reading = *middle;
    }
    return out;
}

} // namespace ulm::measure
