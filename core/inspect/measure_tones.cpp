#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {

FaultMap banding(const Plane& p, const BlockGrid* blocks) {
    constexpr int kFlat = 4;
    constexpr float kStill = 0.45f / kSteps, kLeast = 0.9f / kSteps, kMost = 12.f / kSteps;
    const Rect r = p.area();
    FaultMap map(r);
    if (r.w < 32 || r.h < 32) return map;
    // A contour sample: a small step with flat samples on both sides, along a row (step 1) or a column.
    const auto contour = [&](const float* s, std::ptrdiff_t step) {
        const float d = s[step] - s[0], h = std::abs(d);
        if (h < kLeast || h > kMost) return 0.f;
        for (int k = 1; k <= kFlat; ++k)
            if (std::abs(s[-k * step] - s[0]) > kStill || std::abs(s[(k + 1) * step] - s[step]) > kStill) return 0.f;
        return d * kSteps;
    };
    // Whether the step between samples i and i + 1 lies on a line of the grid.
    const auto onLine = [&](int i, int first) {
        const double along = std::fmod(i + 1 - first + 8 * blocks->size, blocks->size);
        return along < 0.75 || along > blocks->size - 0.75;
    };
    const int every = r.pixels() > 400000 ? 3 : 2;
    for (int y = kFlat + 1; y < r.h - kFlat - 2; y += every) {
        const float* s = p.row(r.y + y);
        for (int x = kFlat + 1; x < r.w - kFlat - 2; ++x) {
            const float* c = s + x;
            // Flat samples: the ground against which contours are counted.
            const bool still = std::abs(c[1] - c[0]) < kStill && std::abs(c[p.stride()] - c[0]) < kStill;
            if (still) {
                map.add(r.x + x, r.y + y, 0);
                continue;
            }
            for (const std::ptrdiff_t step : {std::ptrdiff_t(1), p.stride()}) {
                const float d = contour(c, step);
                if (d == 0 || (blocks && (step == 1 ? onLine(r.x + x, blocks->x) : onLine(r.y + y, blocks->y))))
                    continue;
                // It goes on beside itself, the same way.
                const std::ptrdiff_t beside = step == 1 ? p.stride() : 1;
                bool goesOn = false;
                for (int k = -1; k <= 1 && !goesOn; ++k) {
                    const float e = c[beside + (k + 1) * step] - c[beside + k * step];
                    goesOn = std::abs(e * kSteps - d) < 0.35f * std::abs(d);
                }
                if (goesOn) map.add(r.x + x, r.y + y, double(d) * d - 1);
            }
        }
    }
    return map;
}

Ends ends(const Plane& p) {
    const Rect r = p.area();
    Ends out{0, 0, 0, FaultMap(r), FaultMap(r)};
    constexpr int kBins = 256;
    std::int64_t bins[kBins] = {}, all = 0;
    double level = 0;
    for (int y = r.y; y < r.bottom(); y += 2) {
        const float* s = p.row(y);
        for (int x = 0; x < r.w; x += 2, ++all) {
            const int code = std::clamp(static_cast<int>(s[x] * kSteps + 16.5f), 0, kBins - 1);
            ++bins[code];
            level += s[x];
            out.crushedMap.add(r.x + x, y, code <= 16 ? 100 : 0);
            out.clippedMap.add(r.x + x, y, code >= 235 ? 100 : 0);
        }
    }
    if (all == 0) return out;
    std::int64_t black = 0, white = 0, topCode = 235;
    for (int i = 0; i <= 16; ++i) black += bins[i];
    for (int i = 255; i > 235; --i) // whiter than white: the end lies where the samples end
        if (bins[i] > 0) {
            topCode = i;
            break;
        }
    white = bins[topCode] + (topCode == 235 ? 0 : bins[topCode - 1]);
    const double aboveBlack = double(bins[17] + bins[18] + bins[19]) / 3,
                 belowWhite = double(bins[topCode - 2] + bins[topCode - 3] + bins[topCode - 4]) / 3;
    out.crushed = 100 * std::max(0.0, double(black) - 2 * aboveBlack) / double(all);
    out.clipped = topCode >= 235 ? 100 * std::max(0.0, double(white) - 2 * belowWhite) / double(all) : 0;
    out.level = level / double(all);
    return out;
}

double cast(const Picture& p) {
    struct Mean {
        double cb = 0, cr = 0;
        std::int64_t n = 0;
        void add(double b, double r) { cb += b, cr += r, ++n; }
        double length() const { return n ? std::hypot(cb / double(n), cr / double(n)) * 224 : 0; }
    };
    const Plane &luma = p.planes[0], &cb = p.planes[1], &cr = p.planes[2];
    const Rect r = cb.area();
    std::vector<float> levels;
    const auto lumaAt = [&](int x, int y) {
        return luma.at(std::min(x << p.format.subW, luma.area().right() - 1),
                       std::min(y << p.format.subH, luma.area().bottom() - 1));
    };
    for (int y = r.y; y < r.bottom(); y += 4)
        for (int x = r.x; x < r.right(); x += 4) levels.push_back(lumaAt(x, y));
    if (levels.size() < 100) return 0;
    const auto top = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() * 19 / 20);
    std::ranges::nth_element(levels, top);
    const float bright = *top;
    Mean world, patch;
    for (int y = r.y; y < r.bottom(); y += 4)
        for (int x = r.x; x < r.right(); x += 4) {
            const float v = lumaAt(x, y), b = cb.at(x, y), c = cr.at(x, y);
            if (v > 0.15f && v < 0.85f) world.add(b, c);
            if (v >= bright && v < 0.97f) patch.add(b, c);
        }
    if (world.n < 50 || patch.n < 5) return 0;
    const double along = world.cb * patch.cb + world.cr * patch.cr,
                 lengths = std::hypot(world.cb, world.cr) * std::hypot(patch.cb, patch.cr);
    if (lengths <= 0 || along < 0.7 * lengths) return 0;
    return std::min(world.length(), patch.length());
}

} // namespace ulm::measure
