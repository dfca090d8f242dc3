#include "core/finish/vignette_stage.h"

#include "core/finish/colour.h"
#include "core/finish/pixel_stage.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/vignette_stage.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef ULMWOOD_VIGNETTE
#define ULMWOOD_VIGNETTE
namespace ulm {
inline constexpr std::size_t kVignetteTerms = 8;
}
#endif

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Times a polynomial of the squared distance: shareX · place² across, which begins at x, and `down`. Rows have slack.
void DimRow(const float* gain, float x, float step, float shareX, float down, float* row, int count) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    const auto first = hn::MulAdd(hn::Iota(d, 0.f), hn::Set(d, step), hn::Set(d, x));
    for (int i = 0; i < count; i += n) {
        const auto place = hn::Add(first, hn::Set(d, float(i) * step));
        const auto at = hn::MulAdd(hn::Mul(place, place), hn::Set(d, shareX), hn::Set(d, down));
        auto by = hn::Set(d, gain[kVignetteTerms - 1]);
        for (std::size_t k = kVignetteTerms - 1; k-- > 0;) by = hn::MulAdd(by, at, hn::Set(d, gain[k]));
        hn::StoreU(hn::Mul(hn::LoadU(d, row + i), by), d, row + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(DimRow);

namespace {

class Vignette : public PixelMap {
public:
    Vignette(double amount, double width, double height)
        : gain_(gainOf(amount)), shareX_(float(width * width / (width * width + height * height))) {}
    bool mixes() const override { return false; }
    // Gains depend on the squared distance alone, in fractions of the way to a corner.
    void map(float* y, float* cb, float* cr, int count, Asked asked, const Line& at) const override {
        const float down = (1 - shareX_) * at.y * at.y;
        const auto dim = [&](float* row) {
            HWY_DYNAMIC_DISPATCH(DimRow)(gain_.data(), at.x, at.step, shareX_, down, row, count);
        };
        dim(y);
        if (asked == Asked::Colour) dim(cb), dim(cr);
    }

private:
    static constexpr std::size_t kTerms = kVignetteTerms;

    // 1 / (1 + spread · distance²)² of light, where the corner's distance is 1, as a polynomial of distance²: through
    // the Chebyshev nodes of [0, 1], in Newton's form, multiplied out. Off by less than 2e-6.
    static std::array<float, kTerms> gainOf(double amount) {
        const double spread = std::exp2(std::abs(amount)) - 1, power = (amount > 0 ? -2 : 2) / kDisplayGamma;
        std::array<double, kTerms> node{}, divided{}, all{};
        for (std::size_t k = 0; k < kTerms; ++k) {
            node[k] = 0.5 + 0.5 * std::cos(std::numbers::pi * (double(k) + 0.5) / kTerms);
            divided[k] = std::pow(1 + spread * node[k], power);
        }
        for (std::size_t order = 1; order < kTerms; ++order)
            for (std::size_t k = kTerms - 1; k >= order; --k)
                divided[k] = (divided[k] - divided[k - 1]) / (node[k] - node[k - order]);
        for (std::size_t k = kTerms; k-- > 0;) {
            for (std::size_t i = kTerms - 1; i > 0; --i) all[i] = all[i - 1] - node[k] * all[i];
            all[0] = divided[k] - node[k] * all[0];
        }
        std::array<float, kTerms> gain{};
        std::copy(all.begin(), all.end(), gain.begin());
        return gain;
    }

    std::array<float, kTerms> gain_; ///< of the signal: coefficients of powers of the squared distance
    float shareX_;                   ///< of a corner's squared distance, that across
};

} // namespace

StagePtr vignette(StagePtr input, double amount) {
    if (amount == 0) return input;
    const PictureFormat& f = input->format();
    return pixelStage(input, "vignette", KeyMaker("vignette").add(amount),
                      std::make_shared<Vignette>(amount, f.width, f.height), f);
}

} // namespace ulm
#endif
