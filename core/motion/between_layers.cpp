#include "core/motion/between_layers.h"

#include "core/motion/field.h"
#include "core/picture/opencv_view.h"
#include "core/picture/sampling.h"

#include <algorithm>
#include <cmath>
#include <opencv2/core.hpp>
#include <utility>

namespace ulm {
namespace {

// Pictures of so many lines and more are searched at a quarter, at an eighth of their size: pieces of 8×8 then reach
// over what moves as a whole. Finer costs four times as much and gains nothing on real clips, loses where small things
// move far.
constexpr int kQuarterFrom = 400, kEighthFrom = 900;

constexpr int kCubic = 4; // cubic interpolation's own reach, and a sample for rounding
constexpr float kReach = 16384;

Rect even(const Rect& r) {
    const int x = r.x & ~1, y = r.y & ~1;
    return {x, y, ((r.right() + 1) & ~1) - x, ((r.bottom() + 1) & ~1) - y};
}

} // namespace

BetweenPlan planFor(const PictureFormat& guide, Between m) {
    const int side = std::min(guide.width, guide.height);
    const int search = side >= kEighthFrom ? 8 : side >= kQuarterFrom ? 4 : 2;
    return m == Between::Fast ? BetweenPlan{search, search, 2} : BetweenPlan{search, std::max(2, search / 2), 3};
}

PictureFormat BetweenLayers::format(const PictureFormat& guide, Between m) {
    const BetweenPlan p = planFor(guide, m);
    PictureFormat f = reduced(guide, p.field);
    f.height *= static_cast<int>(2 * p.layers());
    return f;
}

BetweenLayers::BetweenLayers(const PictureFormat& input, const PictureFormat& guide, Between m)
    : input_(input), size_(double(input.width) / guide.width), layers_(planFor(guide, m).layers()) {
    height_ = format(guide, m).height / static_cast<int>(2 * layers_);
    factor_ = size_ * planFor(guide, m).field;
}

Plane BetweenLayers::part(const Picture& field, std::size_t plane, std::size_t n) const {
    return field.planes[plane].view({0, static_cast<int>(n) * height_, field.area.w, height_});
}

Rect BetweenLayers::led(const Rect& region, const Picture& field, double share) const {
    const int w = field.area.w;
    const auto first = [&](int at) { return std::max(0, static_cast<int>(std::floor(at / factor_)) - 2); };
    const auto last = [&](int at, int most) {
        return std::min(most - 1, static_cast<int>(std::ceil(at / factor_)) + 2);
    };
    const double most = double(input_.width) + input_.height;
    const cv::Range columns(first(region.x), last(region.right(), w) + 1);
    const cv::Range rows(first(region.y), last(region.bottom(), height_) + 1);
    Rect all = region;
    for (std::size_t layer = 0; layer < layers_; ++layer) {
        int low[2], high[2]; // pixels of the input, at least the place itself
        for (const std::size_t axis : {0u, 1u}) {
            double least = 0, greatest = 0;
            cv::minMaxLoc(viewOf(part(field, axis, 2 * layer))(rows, columns), &least, &greatest);
            least *= size_ * share, greatest *= size_ * share;
            if (share < 0) std::swap(least, greatest);
            if (!std::isfinite(least) || !std::isfinite(greatest)) least = -most, greatest = most; // anywhere
            low[axis] = static_cast<int>(std::floor(std::clamp(least, -most, 0.0)));
            high[axis] = static_cast<int>(std::ceil(std::clamp(greatest, 0.0, most)));
        }
        const int x = region.x + low[0], y = region.y + low[1];
        all = all.united({x, y, region.right() + high[0] - x, region.bottom() + high[1] - y});
    }
    return even(all.grown(kCubic)).intersected(input_.frame());
}

std::array<double, 2> BetweenLayers::subsampling(bool chroma) const {
    return {chroma ? double(1 << input_.subW) : 1, chroma ? double(1 << input_.subH) : 1};
}

std::vector<BetweenLayers::Layer> BetweenLayers::layersIn(const Picture& field, bool chroma, const Rect& band) const {
    const auto [subW, subH] = subsampling(chroma);
    const Spread spread({field.area.w, height_}, band, factor_ / subW, factor_ / subH);
    std::vector<Layer> all;
    for (std::size_t k = 0; k < layers_; ++k) {
        const Plane shareA = part(field, 0, 2 * k + 1), shareB = part(field, 1, 2 * k + 1);
        const bool ofA = !spread.isZero(shareA), ofB = !spread.isZero(shareB);
        if (!ofA && !ofB) continue; // most often one path tells all
        all.push_back({spread(part(field, 0, 2 * k)),
                       spread(part(field, 1, 2 * k)),
                       {ofA ? spread(shareA) : cv::Mat(), ofB ? spread(shareB) : cv::Mat()}});
    }
    return all;
}

void BetweenLayers::add(const std::vector<Layer>& layers, const Sides& s, std::size_t c, const Rect& band,
                        std::array<cv::Mat, 2> sums) const {
    const auto [subW, subH] = subsampling(c > 0);
    const Plane* const planes[] = {&s.before->planes[c], &s.after->planes[c]};
    const double along[] = {-s.part, 1 - s.part};
    for (const Layer& l : layers)
        for (const std::size_t side : {0u, 1u})
            if (!l.shares[side].empty())
                addMoved(*planes[side], band, l.dx, l.dy,
                         {float(along[side] * size_ / subW), float(along[side] * size_ / subH)}, kReach, l.shares[side],
                         sums[side]);
}

cv::Mat BetweenLayers::mendable(const Picture& field, const Rect& band) const {
    return spreadField(part(field, 2, 1), band, factor_, factor_);
}

} // namespace ulm
