#include "core/picture/gaussian.h"

#include <cmath>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/picture/gaussian.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// to[i] = taps[0]·rows[reach][i] + Σ taps[k]·(rows[reach−k][i] + rows[reach+k][i])
void SymmetricRows(const float* const* rows, const float* taps, int reach, std::size_t count, float* to) {
    const hn::ScalableTag<float> d;
    const std::size_t n = hn::Lanes(d);
    for (std::size_t i = 0; i < count; i += n) { // rows and target have slack for whole vectors
        auto sum = hn::Mul(hn::Set(d, taps[0]), hn::LoadU(d, rows[reach] + i));
        for (int k = 1; k <= reach; ++k)
            sum = hn::MulAdd(hn::Set(d, taps[k]),
                             hn::Add(hn::LoadU(d, rows[reach - k] + i), hn::LoadU(d, rows[reach + k] + i)), sum);
        hn::StoreU(sum, d, to + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(SymmetricRows);

namespace {

std::vector<double> gaussianTaps(double sigma) {
    std::vector<double> taps(static_cast<std::size_t>(gaussianReach(sigma)) + 1);
    double total = 0;
    for (std::size_t k = 0; k < taps.size(); ++k) {
        taps[k] = std::exp(-0.5 * double(k * k) / (sigma * sigma));
        total += k ? 2 * taps[k] : taps[k];
    }
    for (double& t : taps) t /= total;
    return taps;
}

} // namespace

int gaussianReach(double sigma) { return static_cast<int>(std::ceil(3 * sigma)); }

void gaussianBlur(const Plane& in, const Rect& whole, double sigma, Plane& out) {
    const std::vector<double> exact = gaussianTaps(sigma);
    const std::vector<float> taps(exact.begin(), exact.end());
    const int reach = gaussianReach(sigma);
    const Rect r = out.area();
    constexpr std::size_t kSlack = 64;
    const std::size_t padded = static_cast<std::size_t>(r.w + 2 * reach);
    const std::size_t lines = static_cast<std::size_t>(2 * reach + 1);
    const auto column = [&](int x) { return std::clamp(x, whole.x, whole.right() - 1) - in.area().x; };
    // The needed rows in a ring, each widened by the reach, so both passes run over plain arrays.
    std::vector<float> ring(lines * (padded + kSlack)), mixed(padded + 2 * kSlack),
        result(static_cast<std::size_t>(r.w) + kSlack);
    std::vector<const float*> rows(lines);
    const auto slot = [&](int y) {
        return ring.data() + static_cast<std::size_t>((y % int(lines) + int(lines)) % int(lines)) * (padded + kSlack);
    };
    const auto load = [&](int y) {
        const float* from = in.row(std::clamp(y, whole.y, whole.bottom() - 1));
        float* to = slot(y);
        for (int x = 0; x < static_cast<int>(padded); ++x) to[x] = from[column(r.x - reach + x)];
    };
    for (int y = r.y - reach; y < r.y + reach; ++y) load(y);
    std::vector<const float*> shifted(lines);
    for (int y = r.y; y < r.bottom(); ++y) {
        load(y + reach);
        for (int k = -reach; k <= reach; ++k) rows[static_cast<std::size_t>(k + reach)] = slot(y + k);
        HWY_DYNAMIC_DISPATCH(SymmetricRows)(rows.data(), taps.data(), reach, padded, mixed.data());
        for (std::size_t k = 0; k < lines; ++k) shifted[k] = mixed.data() + k;
        HWY_DYNAMIC_DISPATCH(SymmetricRows)
        (shifted.data(), taps.data(), reach, static_cast<std::size_t>(r.w), result.data());
        std::copy_n(result.data(), r.w, out.row(y));
    }
}

void gaussianBlurReference(const Plane& in, const Rect& whole, double sigma, Plane& out) {
    const std::vector<double> taps = gaussianTaps(sigma);
    const int reach = gaussianReach(sigma);
    const Rect r = out.area();
    for (int y = r.y; y < r.bottom(); ++y)
        for (int x = r.x; x < r.right(); ++x) {
            double sum = 0;
            for (int dy = -reach; dy <= reach; ++dy)
                for (int dx = -reach; dx <= reach; ++dx)
                    sum += taps[std::abs(dy)] * taps[std::abs(dx)] *
                           in.at(std::clamp(x + dx, whole.x, whole.right() - 1),
                                 std::clamp(y + dy, whole.y, whole.bottom() - 1));
            out.row(y)[x - r.x] = static_cast<float>(sum);
        }
}

} // namespace ulm
#endif
