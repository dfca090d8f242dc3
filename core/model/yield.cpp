#include "core/model/yield.h"

#include "core/model/shipped_networks.h"
#include "core/picture/resample.h"

#include <algorithm>
#include <vector>

namespace ulm {
namespace {

constexpr int kPlace = 192, kLeast = 96; // pixels of the picture
constexpr double kFaintest = 0.03 / 219; // of what a network adds: below it there is nothing to judge
// Averaging leaves detail that foils the network. Its share bounds the other from above, with some grace: clips are
// made smaller in sharper ways, too. On fresh training-like clips that gains 0.06 dB over averaging alone
// (docs/networks.md).
constexpr double kOfAveraged = 1.3;

Plane part(const Plane& p, const Rect& place) {
    Plane out = Plane::make({0, 0, place.w, place.h});
    for (int y = 0; y < place.h; ++y) std::copy_n(p.row(place.y + y) + (place.x - p.area().x), place.w, out.row(y));
    return out;
}

Plane averaged(const Plane& p) {
    Plane small = Plane::make({0, 0, p.area().w / 2, p.area().h / 2});
    for (int y = 0; y < small.area().h; ++y) {
        const float *a = p.row(2 * y), *b = p.row(2 * y + 1);
        float* to = small.row(y);
        for (int x = 0; x < small.area().w; ++x) to[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
    }
    return small;
}

Plane filtered(const Plane& p, int width, int height) {
    Plane out = Plane::make({0, 0, width, height});
    const double ratio = double(p.area().w) / width;
    resample(p, out, {0, ratio}, {0, ratio}, Kernel::Lanczos);
    return out;
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

// Of what the network adds to Lanczos when it enlarges `small`, the share that comes nearest to the truth.
struct Share {
    double both = 0, own = 0, judged = 0;
    void add(const Network& net, const Plane& truth, const Plane& small) {
        const int w = truth.area().w, h = truth.area().h;
        const int edge = 2 * net.margin(); // what lies nearer to the border is not to be used
        const Plane filter = filtered(small, w, h);
        const std::vector<float> learned = enlarged(net, small);
        for (int y = edge; y < h - edge; ++y)
            for (int x = edge; x < w - edge; ++x) {
                const double was = filter.row(y)[x], added = learned[static_cast<std::size_t>(y) * w + x] - was;
                both += added * (truth.row(y)[x] - was);
                own += added * added;
                ++judged;
            }
    }
    bool tells() const { return own > judged * kFaintest * kFaintest; }
    double percent() const { return 100 * both / own; }
};

} // namespace

std::optional<double> yieldOf(const Plane& luma, int turn) {
    const auto net = shippedNetwork("general-x2-full", NetPrecision::F32); // what is faint counts here
    const Rect all = luma.area();
    const int w = std::min(all.w, kPlace) / 4 * 4, h = std::min(all.h, kPlace) / 4 * 4;
    if (!net || w < kLeast || h < kLeast) return {};
    const int at = 1 + 2 * ((turn + 1) % 3); // sixths along the diagonal: 3, 5, 1
    const Plane truth = part(luma, {all.x + (all.w - w) * at / 6, all.y + (all.h - h) * at / 6, w, h});
    Share soft, sharp;
    soft.add(*net, truth, averaged(truth));
    sharp.add(*net, truth, filtered(truth, w / 2, h / 2));
    if (!soft.tells() || !sharp.tells()) return {};
    return std::clamp(std::min(sharp.percent(), kOfAveraged * soft.percent()), 0.0, 100.0);
}

} // namespace ulm
