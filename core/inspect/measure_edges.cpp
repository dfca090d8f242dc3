#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {
namespace {

constexpr float kHeight = 36 / kSteps;
// An edge ends where the picture rises by less than this share of its steepest rise: the slope of a shaded surface
// beside it is no part of it, however far it goes on the same way.
constexpr float kStillEdge = 0.04f;

struct Found {
    std::vector<float> overshoots, rings;
    double widths = 0;
    int count = 0, strong = 0, straight = 0;
};

// A line of samples in either direction.
struct Line {
    const float* s;
    std::ptrdiff_t step;
    int length;
    float operator()(int i) const { return s[i * step]; }
    float rise(int i) const { return (*this)(i + 1) - (*this)(i); }
    bool isPeak(int i, float strong) const {
        const float g = std::abs(rise(i));
        return g >= strong && g >= std::abs(rise(i - 1)) && g > std::abs(rise(i + 1));
    }
};

// Where the edge that is steepest between i and i + 1 begins and ends.
std::pair<int, int> extentOf(const Line& v, int i) {
    const float sign = v.rise(i) > 0 ? 1.f : -1.f, still = kStillEdge * std::abs(v.rise(i));
    int left = i, right = i + 1;
    while (left > 0 && v.rise(left - 1) * sign > still) --left;
    while (right < v.length - 1 && v.rise(right) * sign > still) ++right;
    return {left, right};
}

// Walks along one line: at each strong gradient maximum, the width between the extrema that bound it, and what lies
// beyond them. `at` turns an index of the line into a pixel.
template <class At>
void walk(const float* s, std::ptrdiff_t step, std::ptrdiff_t across, int length, bool inner, const At& at, float quiet,
          float strong, Found& f, Edges& out) {
    const Line v{s, step, length};
    for (int i = 2; i < length - 3; ++i) {
        const float g = v.rise(i);
        if (!v.isPeak(i, strong)) continue;
        if (inner) { // the same step on the lines beside it: the edge runs exactly along the grid
            ++f.strong;
            const float* t = s + i * step;
            const float up = t[step - across] - t[-across], down = t[step + across] - t[across];
            f.straight += std::abs(up - g) < 0.1f * std::abs(g) && std::abs(down - g) < 0.1f * std::abs(g);
        }
        const float sign = g > 0 ? 1.f : -1.f;
        const auto [left, right] = extentOf(v, i);
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

// The same edge in the other picture: its steepest place nearby, rising the same way and at least half as high.
int widthNear(const Line& v, int i, float rise, float height, int near) {
    int best = -1;
    for (int k = std::max(1, i - near); k <= std::min(v.length - 3, i + near); ++k)
        if (v.rise(k) * rise > 0 && (best < 0 || std::abs(v.rise(k)) > std::abs(v.rise(best)))) best = k;
    if (best < 0) return 0;
    const auto [left, right] = extentOf(v, best);
    return std::abs(v(right) - v(left)) >= height / 2 ? right - left : 0;
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

std::pair<double, double> widthsOfSameEdges(const Plane& before, const Plane& after, double strong, int near) {
    std::vector<float> was, is;
    const auto along = [&](const Line& b, const Line& a) {
        for (int i = 2; i < b.length - 3; ++i) {
            if (!b.isPeak(i, float(strong / kSteps))) continue;
            const auto [left, right] = extentOf(b, i);
            const float height = std::abs(b(right) - b(left));
            if (height < kHeight) continue;
            const int now = widthNear(a, i, b.rise(i), height, near);
            if (now == 0) continue;
            was.push_back(float(right - left));
            is.push_back(float(now));
        }
    };
    const Rect r = before.area().intersected(after.area());
    const auto row = [&](const Plane& p, int y) { return Line{p.row(y) + (r.x - p.area().x), 1, r.w}; };
    const auto column = [&](const Plane& p, int x) { return Line{p.row(r.y) + (x - p.area().x), p.stride(), r.h}; };
    for (int y = r.y; y < r.bottom(); ++y) along(row(before, y), row(after, y));
    for (int x = r.x; x < r.right(); ++x) along(column(before, x), column(after, x));
    if (was.size() < 12) return {std::nan(""), std::nan("")};
    return {quantile(was, 0.5), quantile(is, 0.5)};
}

} // namespace ulm::measure

double ulm::softnessReading(const Plane& luma) { return measure::edges(luma, 0).softness; }
