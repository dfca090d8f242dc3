#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {
namespace {

// A clean difference across a real edge says nothing of blocks: differences beyond this many 8-bit steps are left out.
constexpr float kEdge = 30.f / kSteps;

// Excess of the difference between samples i and i+1 over those beside it, per line of the plane: means over the line.
struct Profile {
    std::vector<float> sum, count;
};

inline void excess(const float* s, std::ptrdiff_t step, float& value, float& counts) {
    const float before = std::abs(s[0] - s[-step]), here = std::abs(s[step] - s[0]),
                after = std::abs(s[2 * step] - s[step]);
    counts = std::max(std::max(before, here), after) > kEdge ? 0.f : 1.f;
    value = counts * (here - 0.5f * (before + after));
}

Profile columnProfile(const Plane& p) {
    const Rect r = p.area();
    Profile out{std::vector<float>(static_cast<std::size_t>(r.w)), std::vector<float>(static_cast<std::size_t>(r.w))};
    for (int y = r.y; y < r.bottom(); ++y) {
        const float* s = p.row(y);
        float *sum = out.sum.data(), *count = out.count.data();
#pragma omp simd
        for (int x = 1; x < r.w - 2; ++x) {
            float v, c;
            excess(s + x, 1, v, c);
            sum[x] += v;
            count[x] += c;
        }
    }
    return out;
}

Profile rowProfile(const Plane& p) {
    const Rect r = p.area();
    Profile out{std::vector<float>(static_cast<std::size_t>(r.h)), std::vector<float>(static_cast<std::size_t>(r.h))};
    for (int y = 1; y < r.h - 2; ++y) {
        const float* s = p.row(r.y + y);
        float sum = 0, count = 0;
#pragma omp simd reduction(+ : sum, count)
        for (int x = 0; x < r.w; ++x) {
            float v, c;
            excess(s + x, p.stride(), v, c);
            sum += v;
            count += c;
        }
        out.sum[static_cast<std::size_t>(y)] = sum;
        out.count[static_cast<std::size_t>(y)] = count;
    }
    return out;
}

struct Comb {
    double excess = 0;
    int offset = 0;
};

// The best offset of lines `period` apart against the strongest of those that cannot be its grid (nor its neighbours,
// which its step depresses, nor the middle, where half-size transforms lie).
Comb comb(const Profile& p, double period, int origin) {
    const int offsets = static_cast<int>(std::lround(period));
    std::vector<double> mean(static_cast<std::size_t>(offsets));
    for (int o = 0; o < offsets; ++o) {
        double sum = 0, count = 0;
        for (double at = o; at < double(p.sum.size()); at += period) {
            const auto i = static_cast<std::size_t>(at);
            sum += p.sum[i];
            count += p.count[i];
        }
        mean[static_cast<std::size_t>(o)] = count > 0 ? sum / count * kSteps : 0;
    }
    const int best = static_cast<int>(std::ranges::max_element(mean) - mean.begin());
    double other = 0;
    for (int i = 2; i <= offsets - 2; ++i)
        if (std::abs(i - offsets / 2) > (offsets > 8 ? 1 : 0))
            other = std::max(other, mean[static_cast<std::size_t>((best + i) % offsets)]);
    const int line = (origin + best + 1) % offsets; // the step lies before this sample
    return {std::max(0.0, mean[static_cast<std::size_t>(best)] - other), line};
}

} // namespace

Blocking blocking(const Plane& p) {
    Blocking out;
    if (p.area().w < 16 || p.area().h < 16) return out;
    const Profile columns = columnProfile(p), rows = rowProfile(p);
    const auto tried = [&](double period) {
        const Comb h = comb(columns, period, p.area().x), v = comb(rows, period, p.area().y);
        return Blocking{std::min(100.0, 10 * std::sqrt(h.excess * v.excess)), {period, h.offset, v.offset}};
    };
    out = tried(8);
    // Grids of enlarged clips; a small picture has too few lines to tell them apart.
    if (std::min(p.area().w, p.area().h) >= 192)
        for (const double period : {12.0, 16.0, 32.0 / 3, 24.0, 20.0})
            if (const Blocking b = tried(period); b.reading > 3 && b.reading > 1.6 * out.reading) out = b;
    return out;
}

FaultMap blockingMap(const Plane& p, const BlockGrid& grid) {
    const Rect r = p.area();
    FaultMap map(r);
    const int every = r.pixels() > 400000 ? 2 : 1;
    const auto lines = [&](bool vertical, int origin, int length, int first) {
        for (double at = first - 1 - origin; at < length - 5; at += grid.size) {
            const int i = static_cast<int>(at);
            if (i < 3) continue;
            for (int j = 0; j < (vertical ? r.w : r.h); j += every) {
                const int x = vertical ? r.x + j : r.x + i, y = vertical ? r.y + i : r.y + j;
                const std::ptrdiff_t step = vertical ? p.stride() : 1;
                const float* s = p.row(y) + (x - r.x);
                float on, ok, beside, okBeside, beyond, okBeyond;
                excess(s, step, on, ok);
                excess(s + 2 * step, step, beside, okBeside);
                excess(s - 2 * step, step, beyond, okBeyond);
                if (ok > 0) map.add(x, y, 10.0 * kSteps * (on - 0.5f * (beside + beyond)));
            }
        }
    };
    if (r.w >= 16 && r.h >= 16) {
        lines(false, r.x % std::max(1, int(grid.size)), r.w, grid.x ? grid.x : int(grid.size));
        lines(true, r.y % std::max(1, int(grid.size)), r.h, grid.y ? grid.y : int(grid.size));
    }
    return map.pooled();
}

} // namespace ulm::measure
