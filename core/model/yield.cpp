#include "core/model/yield.h"

#include "core/model/shipped_networks.h"
#include "core/picture/resample.h"

#include <algorithm>
#include <vector>

namespace ulm {
namespace {

constexpr int kPlace = 128, kLeast = 96; // pixels of the picture
constexpr double kFaintest = 0.03 / 219; // of what a network adds: below it there is nothing to judge

Plane halved(const Plane& p, const Rect& place) {
    Plane small = Plane::make({0, 0, place.w / 2, place.h / 2});
    for (int y = 0; y < small.area().h; ++y) {
        const float *a = p.row(place.y + 2 * y) + (place.x - p.area().x),
                    *b = p.row(place.y + 2 * y + 1) + (place.x - p.area().x);
        float* to = small.row(y);
        for (int x = 0; x < small.area().w; ++x) to[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
    }
    return small;
}

std::vector<float> enlarged(const Network& net, const Plane& small) {
    const std::size_t plane = static_cast<std::size_t>(small.area().pixels());
    // Neighbouring frames are taken to be this one; no damage.
    std::vector<float> in(plane * net.inputChannels(), 0.0f), out(4 * plane);
    for (int c = 0; c < net.frames(); ++c)
        for (int y = 0; y < small.area().h; ++y)
            std::copy_n(small.row(y), small.area().w,
                        in.data() + plane * c + static_cast<std::size_t>(y) * small.area().w);
    net.run(in.data(), small.area().h, small.area().w, out.data());
    return out;
}

} // namespace

double yieldOf(const Plane& luma) {
    auto net = shippedNetwork("general", 2, true);
    const Rect all = luma.area();
    const int w = std::min(all.w, kPlace) / 4 * 4, h = std::min(all.h, kPlace) / 4 * 4;
    if (!net || w < kLeast || h < kLeast) return 100;
    const int edge = 2 * net->margin(); // what lies nearer to the border is not to be used
    double both = 0, own = 0;
    for (int k = 0; k < 3; ++k) { // along the diagonal, the middle among them
        const Rect place{all.x + (all.w - w) * (2 * k + 1) / 6, all.y + (all.h - h) * (2 * k + 1) / 6, w, h};
        const Plane small = halved(luma, place);
        Plane filtered = Plane::make({0, 0, w, h});
        resample(small, filtered, {0, 0.5}, {0, 0.5}, Kernel::Lanczos);
        const std::vector<float> learned = enlarged(*net, small);
        for (int y = edge; y < h - edge; ++y) {
            const float *truth = luma.row(place.y + y) + (place.x - all.x), *filter = filtered.row(y),
                        *network = learned.data() + static_cast<std::ptrdiff_t>(y) * w;
            for (int x = edge; x < w - edge; ++x) {
                const double added = network[x] - filter[x];
                both += added * (truth[x] - filter[x]);
                own += added * added;
            }
        }
    }
    const double judged = 3.0 * (w - 2 * edge) * (h - 2 * edge);
    return own > judged * kFaintest * kFaintest ? std::clamp(100 * both / own, 0.0, 100.0) : 100;
}

} // namespace ulm
