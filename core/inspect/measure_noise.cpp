#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ulm::measure {
namespace {

constexpr int kBlock = FaultMap::kBlock;

// Immerkær's mask on one block: mean |response| · √(π/2) / 6; and the block's mean.
std::pair<double, double> blockSigma(const Plane& p, int bx, int by) {
    double sum = 0, level = 0;
    for (int y = by + 1; y < by + kBlock - 1; ++y) {
        const float *a = p.row(y - 1) + (bx - p.area().x), *b = p.row(y) + (bx - p.area().x),
                    *c = p.row(y + 1) + (bx - p.area().x);
        float line = 0, light = 0;
#pragma omp simd reduction(+ : line, light)
        for (int x = 1; x < kBlock - 1; ++x) {
            line += std::abs(a[x - 1] - 2 * a[x] + a[x + 1] - 2 * (b[x - 1] - 2 * b[x] + b[x + 1]) + c[x - 1] -
                             2 * c[x] + c[x + 1]);
            light += b[x];
        }
        sum += line;
        level += light;
    }
    constexpr double kCount = (kBlock - 2) * (kBlock - 2);
    return {sum / kCount * std::sqrt(std::numbers::pi / 2) / 6, level / kCount};
}

// The flattest tenth; it reads 12 % low on pure noise of equal blocks.
double flattest(std::vector<double>& sigmas, std::size_t least) {
    if (sigmas.size() < 4) return 0;
    const std::size_t tenth = std::max<std::size_t>(least, sigmas.size() / 10);
    std::ranges::nth_element(sigmas, sigmas.begin() + static_cast<std::ptrdiff_t>(tenth));
    double sum = 0;
    for (std::size_t i = 0; i < tenth; ++i) sum += sigmas[i];
    return std::min(50.0, sum / double(tenth) * 1.13);
}

} // namespace

Noise noise(const Plane& p, double scale) {
    struct Block {
        int x, y;
        double sigma, level;
    };
    std::vector<Block> blocks;
    const Rect r = p.area();
    Noise out{0, 0, 0, FaultMap(r), FaultMap(r)};
    std::vector<double> all, dark, bright;
    for (int y = r.y; y + kBlock <= r.bottom(); y += kBlock)
        for (int x = r.x; x + kBlock <= r.right(); x += kBlock) {
            const auto [sigma, mean] = blockSigma(p, x, y);
            const double s = sigma * scale, level = mean * scale;
            out.texture.add(x, y, s);
            // Clipped noise reads too low: only luma has ends, chroma's neutral lies at 0.
            if (scale == kSteps && (level < 6 || level > 213)) continue;
            blocks.push_back({x, y, s, level});
            all.push_back(s);
            if (level < 70) dark.push_back(s);
            if (level > 130) bright.push_back(s);
        }
    out.sigma = flattest(all, 2);
    out.dark = flattest(dark, 2);
    out.bright = flattest(bright, 2);
    for (const Block& b : blocks) {
        const double flat = b.level < 70 ? out.dark : b.level > 130 ? out.bright : out.sigma;
        if (b.sigma < 1.6 * std::max(flat, out.sigma) + 0.4) out.map.add(b.x, b.y, b.sigma);
    }
    return out;
}

} // namespace ulm::measure

double ulm::noiseReading(const Plane& plane, double scale) { return measure::noise(plane, scale).sigma; }
