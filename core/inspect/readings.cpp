#include "core/inspect/readings.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ulm {
namespace {

constexpr float kSteps = 219.f;

// A clean difference across a real edge says nothing of blocks: differences beyond this many 8-bit steps are left out.
constexpr float kEdgeSteps = 30.f;

// Mean excess of |difference| over its neighbours at each of the eight grid phases, along one direction.
std::array<double, 8> excessByPhase(const Plane& p, const Rect& r, bool vertical) {
    std::array<double, 8> sum{}, count{};
    const Rect whole = p.area();
    const std::ptrdiff_t step = vertical ? p.stride() : 1;
    const Rect safe =
        (vertical ? Rect{whole.x, whole.y + 1, whole.w, whole.h - 3} : Rect{whole.x + 1, whole.y, whole.w - 3, whole.h})
            .intersected(r);
    for (int y = safe.y; y < safe.bottom(); ++y) {
        const float* row = p.row(y) + (safe.x - whole.x);
        for (int x = 0; x < safe.w; ++x) {
            const float* s = row + x;
            const float before = std::abs(s[0] - s[-step]), here = std::abs(s[step] - s[0]),
                        after = std::abs(s[2 * step] - s[step]);
            if (std::max({before, here, after}) * kSteps > kEdgeSteps) continue;
            const std::size_t phase = static_cast<std::size_t>((vertical ? y : safe.x + x) & 7);
            sum[phase] += here - 0.5f * (before + after);
            count[phase] += 1;
        }
    }
    for (int i = 0; i < 8; ++i) sum[i] = count[i] > 0 ? sum[i] / count[i] * kSteps : 0;
    return sum;
}

// The best phase against the strongest of those that cannot be its grid (nor its neighbours, which its step depresses).
double gridExcess(const std::array<double, 8>& e) {
    const int best = static_cast<int>(std::ranges::max_element(e) - e.begin());
    double other = 0;
    for (int i = 2; i <= 6; ++i)
        if (i != 4) other = std::max(other, e[static_cast<std::size_t>((best + i) & 7)]);
    return std::max(0.0, e[static_cast<std::size_t>(best)] - other);
}

double blockingIn(const Plane& p, const Rect& r) {
    const double h = gridExcess(excessByPhase(p, r, false)), v = gridExcess(excessByPhase(p, r, true));
    return std::min(100.0, 10 * std::sqrt(h * v));
}

// Immerkær's mask on one block: mean |response| · √(π/2) / 6.
double blockSigma(const Plane& p, int bx, int by, int size) {
    double sum = 0;
    for (int y = by + 1; y < by + size - 1; ++y) {
        const float *a = p.row(y - 1) + (bx - p.area().x), *b = p.row(y) + (bx - p.area().x),
                    *c = p.row(y + 1) + (bx - p.area().x);
        float line = 0;
        for (int x = 1; x < size - 1; ++x)
            line += std::abs(a[x - 1] - 2 * a[x] + a[x + 1] - 2 * (b[x - 1] - 2 * b[x] + b[x + 1]) + c[x - 1] -
                             2 * c[x] + c[x + 1]);
        sum += line;
    }
    return sum / double((size - 2) * (size - 2)) * std::sqrt(std::acos(-1.0) / 2) / 6;
}

double blockMean(const Plane& p, int bx, int by, int size) {
    double sum = 0;
    for (int y = by; y < by + size; ++y)
        for (int x = 0; x < size; ++x) sum += p.row(y)[bx - p.area().x + x];
    return sum / (size * size);
}

struct EdgeWidths {
    double sum = 0;
    int count = 0;
    std::vector<float> overshoots; ///< shares of the edge's height
};

// Walks along rows: at each strong horizontal gradient maximum, the width between the extrema that bound it.
void measureEdges(const Plane& p, const Rect& r, EdgeWidths& out) {
    constexpr float kStrong = 10 / kSteps, kHeight = 36 / kSteps;
    for (int y = r.y; y < r.bottom(); ++y) {
        const float* s = p.row(y) - p.area().x;
        for (int x = std::max(r.x, p.area().x + 2); x < std::min(r.right(), p.area().right() - 3); ++x) {
            const float g = s[x + 1] - s[x];
            if (std::abs(g) < kStrong || std::abs(g) < std::abs(s[x] - s[x - 1]) ||
                std::abs(g) <= std::abs(s[x + 2] - s[x + 1]))
                continue;
            const float sign = g > 0 ? 1.f : -1.f;
            int left = x, right = x + 1;
            while (left > p.area().x && (s[left] - s[left - 1]) * sign > 0) --left;
            while (right < p.area().right() - 1 && (s[right + 1] - s[right]) * sign > 0) ++right;
            const float height = std::abs(s[right] - s[left]);
            if (height < kHeight) continue;
            out.sum += right - left;
            ++out.count;
            // Overshoot: how far the extrema stand out from the level a little further away.
            const int fl = std::max(p.area().x, left - 4), fr = std::min(p.area().right() - 1, right + 4);
            const float low = (s[fl] - s[left]) * sign, high = (s[right] - s[fr]) * sign;
            out.overshoots.push_back(std::max(0.f, std::min(low, high)) / height);
        }
    }
}

} // namespace

double blockingReading(const Plane& luma) { return blockingIn(luma, luma.area()); }

double noiseReading(const Plane& p, double scale) {
    constexpr int kBlock = 16;
    std::vector<double> sigmas;
    const Rect r = p.area();
    for (int y = r.y; y + kBlock <= r.bottom(); y += kBlock)
        for (int x = r.x; x + kBlock <= r.right(); x += kBlock) {
            const double mean = blockMean(p, x, y, kBlock) * scale;
            // Clipped noise reads too low: only luma has ends, chroma's neutral lies at 0.
            if (scale == kSteps && (mean < 6 || mean > 213)) continue;
            sigmas.push_back(blockSigma(p, x, y, kBlock) * scale);
        }
    if (sigmas.size() < 4) return 0;
    const std::size_t tenth = std::max<std::size_t>(2, sigmas.size() / 10);
    std::ranges::nth_element(sigmas, sigmas.begin() + static_cast<std::ptrdiff_t>(tenth));
    double sum = 0;
    for (std::size_t i = 0; i < tenth; ++i) sum += sigmas[i];
    // The flattest tenth of equal blocks reads 12 % low on pure noise.
    return std::min(50.0, sum / double(tenth) * 1.13);
}

double softnessReading(const Plane& luma) {
    EdgeWidths e;
    measureEdges(luma, luma.area(), e);
    return e.count >= 20 ? e.sum / e.count : 0;
}

Readings readPicture(const Picture& p) {
    Readings r;
    const Plane& y = p.planes[0];
    r.blocking = blockingReading(y);
    r.noise = noiseReading(y, kSteps);
    r.chromaNoise = std::max(noiseReading(p.planes[1], 224), noiseReading(p.planes[2], 224));
    EdgeWidths e;
    measureEdges(y, y.area(), e);
    if (e.count >= 20) {
        r.softness = e.sum / e.count;
        std::ranges::nth_element(e.overshoots, e.overshoots.begin() + e.count / 2);
        r.ringing = 100 * e.overshoots[static_cast<std::size_t>(e.count / 2)];
    }
    return r;
}

std::vector<Neighbourhood> lookAround(const Plane& luma) {
    constexpr int kCell = 48;
    const Rect all = luma.area();
    std::vector<Neighbourhood> out;
    for (int cy = all.y + 8; cy + kCell <= all.bottom() - 8; cy += kCell / 2)
        for (int cx = all.x + 8; cx + kCell <= all.right() - 8; cx += kCell / 2) {
            const Rect cell{cx, cy, kCell, kCell};
            Neighbourhood n{cx + kCell / 2, cy + kCell / 2};
            n.blocks = blockingIn(luma, cell);
            std::array<double, 9> sigma{};
            for (int i = 0; i < 9; ++i)
                sigma[static_cast<std::size_t>(i)] = blockSigma(luma, cx + i % 3 * 16, cy + i / 3 * 16, 16) * kSteps;
            std::ranges::sort(sigma);
            const double mean = blockMean(luma, cx, cy, kCell) * kSteps;
            if (mean > 6 && mean < 213) {
                // Noise shows most where the picture itself is dark and flat; texture where every block is busy.
                if (sigma[8] < 2.5 * sigma[0] + 0.5) n.noise = sigma[4] * (mean < 80 ? 1.5 : 1.0);
                n.texture = sigma[0];
            }
            EdgeWidths e;
            measureEdges(luma, cell, e);
            n.edge = e.count;
            out.push_back(n);
        }
    return out;
}

} // namespace ulm
