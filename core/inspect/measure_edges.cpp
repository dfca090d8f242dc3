#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {
namespace {

constexpr float kHeight = 36 / kSteps;

struct Found {
    std::vector<float> overshoots, rings;
    double widths = 0;
    int count = 0, strong = 0, straight = 0;
};

// Walks along one line: at each strong gradient maximum, the width between the extrema that bound it, and what lies
// beyond them. `at` turns an index of the line into a pixel.
template <class At>
void walk(const float* s, std::ptrdiff_t step, std::ptrdiff_t across, int length, bool inner, const At& at, float quiet,
          float strong, Found& f, Edges& out) {
    const auto v = [&](int i) { return s[i * step]; };
    for (int i = 2; i < length - 3; ++i) {
        const float g = v(i + 1) - v(i);
        if (std::abs(g) < strong || std::abs(g) < std::abs(v(i) - v(i - 1)) ||
            std::abs(g) <= std::abs(v(i + 2) - v(i + 1)))
            continue;
        if (inner) { // the same step on the lines beside it: the edge runs exactly along the grid
            ++f.strong;
            const float* t = s + i * step;
            const float up = t[step - across] - t[-across], down = t[step + across] - t[across];
            f.straight += std::abs(up - g) < 0.1f * std::abs(g) && std::abs(down - g) < 0.1f * std::abs(g);
        }
        const float sign = g > 0 ? 1.f : -1.f;
        int left = i, right = i + 1;
        while (left > 0 && (v(left) - v(left - 1)) * sign > 0) --left;
        while (right < length - 1 && (v(right + 1) - v(right)) * sign > 0) ++right;
        const float height = std::abs(v(right) - v(left));
        if (height < kHeight) continue;
        const auto [x, y] = at(i);
        f.widths += right - left;
        ++f.count;
        out.widthMap.add(x, y, right - left);
        // Overshoot: how far the extrema stand out from the level a little further away.
        const float low = (v(std::max(0, left - 4)) - v(left)) * sign,
                    high = (v(right) - v(std::min(length - 1, right + 4))) * sign;
        const float over = std::max(0.f, std::min(low, high)) / height;
        f.overshoots.push_back(over);
        out.haloMap.add(x, y, 100 * over);
        // Ringing: unrest just beyond an extremum where it is calm a little further away; elsewhere it is texture.
        for (const int dir : {-1, 1}) {
            const int from = dir < 0 ? left - 2 : right + 2, last = from + dir * 14;
            if (last < 1 || last > length - 2) continue;
            // How far seven samples stray from the straight line through them.
            const auto unrest = [&](int first) {
                float mean = 0, slope = 0, sum = 0;
                for (int k = 0; k < 7; ++k) mean += v(from + dir * (first + k)) / 7;
                for (int k = 0; k < 7; ++k) slope += float(k - 3) * v(from + dir * (first + k)) / 28;
                for (int k = 0; k < 7; ++k) sum += std::abs(v(from + dir * (first + k)) - mean - slope * float(k - 3));
                return sum / 7 * kSteps;
            };
            const float far = unrest(8);
            if (far > quiet + 0.6f) continue;
            // A step of its own is another edge.
            float steepest = 0;
            for (int k = -1; k < 7; ++k)
                steepest = std::max(steepest, std::abs(v(from + dir * k) - v(from + dir * k - 1)));
            if (steepest > std::max(8 / kSteps, 0.22f * height) + quiet / kSteps) continue;
            const float ring = std::max(0.f, unrest(0) - std::max(far, quiet));
            f.rings.push_back(ring);
            out.ringMap.add(x, y, ring);
        }
    }
}

double quantile(std::vector<float>& v, double share) {
    if (v.empty()) return 0;
    const auto m = v.begin() + static_cast<std::ptrdiff_t>(double(v.size()) * share);
    std::ranges::nth_element(v, m);
    return *m;
}

} // namespace

Edges edges(const Plane& p, double noiseSigma, double strong) {
    const Rect r = p.area();
    Edges out;
    out.widthMap = out.haloMap = out.ringMap = FaultMap(r);
    if (r.w < 16 || r.h < 16) return out;
    Found f;
    // The mean deviation that noise leaves after a line is fitted to seven samples.
    const auto quiet = static_cast<float>(0.68 * noiseSigma);
    const int every = r.pixels() > 400000 ? 2 : 1; // large pictures hold edges enough
    for (int y = 0; y < r.h; y += every)
        walk(
            p.row(r.y + y), 1, p.stride(), r.w, y > 0 && y < r.h - 1,
            [&](int i) {
                return std::pair{r.x + i, r.y + y};
            },
            quiet, float(strong / kSteps), f, out);
    for (int x = 0; x < r.w; x += every)
        walk(
            p.row(r.y) + x, p.stride(), 1, r.h, x > 0 && x < r.w - 1,
            [&](int i) {
                return std::pair{r.x + x, r.y + i};
            },
            quiet, float(strong / kSteps), f, out);
    out.count = f.count;
    out.straight = f.strong > 200 ? double(f.straight) / f.strong : 0;
    if (f.count < 20) return out;
    out.softness = f.widths / f.count;
    out.haloes = 100 * quantile(f.overshoots, 0.5);
    out.ringing = f.rings.size() >= 20 ? quantile(f.rings, 0.7) : 0;
    return out;
}

} // namespace ulm::measure

double ulm::softnessReading(const Plane& luma) { return measure::edges(luma, 0).softness; }
