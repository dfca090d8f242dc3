#include "core/model/damage.h"

#include "core/model/shipped_networks.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

constexpr int kPlace = 160, kLeast = 64;

// Levels are weighted means over the map: flat places say little, and the network says so itself.
struct Mean {
    double sum = 0, weight = 0;
    void add(const float* value, const float* logWeight, std::size_t count) {
        for (std::size_t i = 0; i < count; ++i) {
            const double w = std::exp(std::clamp(double(logWeight[i]), -6.0, 6.0));
            sum += w * value[i];
            weight += w;
        }
    }
    double level() const { return weight > 0 ? std::clamp(sum / weight, 0.0, 1.5) : 0; }
};

} // namespace

double estimateCompression(const Plane& luma) {
    const auto net = shippedNetwork("estimate");
    const Rect all = luma.area();
    const int w = std::min(all.w, kPlace) / 8 * 8, h = std::min(all.h, kPlace) / 8 * 8;
    if (!net || w < kLeast || h < kLeast) return 0;
    Mean compression;
    std::vector<float> in(static_cast<std::size_t>(w) * h), out(in.size() / 64 * 2);
    for (int k = 0; k < 3; ++k) { // along the diagonal, the middle among them
        const int x0 = all.x + (all.w - w) * (2 * k + 1) / 6, y0 = all.y + (all.h - h) * (2 * k + 1) / 6;
        for (int y = 0; y < h; ++y)
            std::copy_n(luma.row(y0 + y) + (x0 - all.x), w, in.data() + static_cast<std::ptrdiff_t>(y) * w);
        net->run(in.data(), h, w, out.data());
        const std::size_t plane = out.size() / 2;
        compression.add(out.data(), out.data() + plane, plane);
    }
    return compression.level();
}

} // namespace ulm
