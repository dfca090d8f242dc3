#include "core/finish/vignette_stage.h"

#include "core/finish/colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

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

// to = from × a polynomial of across + down.
void DimRow(const float* gain, const float* across, float down, const float* from, float* to, int count) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    int x = 0;
    for (; x + n <= count; x += n) {
        const auto at = hn::Add(hn::LoadU(d, across + x), hn::Set(d, down));
        auto by = hn::Set(d, gain[kVignetteTerms - 1]);
        for (std::size_t k = kVignetteTerms - 1; k-- > 0;) by = hn::MulAdd(by, at, hn::Set(d, gain[k]));
        hn::StoreU(hn::Mul(hn::LoadU(d, from + x), by), d, to + x);
    }
    for (; x < count; ++x) {
        float by = gain[kVignetteTerms - 1];
        for (std::size_t k = kVignetteTerms - 1; k-- > 0;) by = by * (across[x] + down) + gain[k];
        to[x] = from[x] * by;
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(DimRow);

namespace {

class VignetteStage : public Stage {
public:
    VignetteStage(StagePtr input, double amount)
        : Stage({input}, input->format(), KeyMaker("vignette").add(input).add(amount)), gain_(gainOf(amount)) {}
    const char* name() const override { return "vignette"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            const Rect r = out.planes[c].area(), whole = out.planeArea(c, format().frame());
            // Gains depend on the squared distance alone, in fractions of the way to a corner.
            const double kx = 2.0 / whole.w, ky = 2.0 / whole.h;
            const double wide = double(format().width) * format().width,
                         high = double(format().height) * format().height;
            const double shareX = wide / (wide + high), shareY = high / (wide + high);
            std::vector<float> across; // each column's part of the squared distance
            for (int x = r.x; x < r.right(); ++x) {
                const double dx = (x + 0.5) * kx - 1;
                across.push_back(float(shareX * dx * dx));
            }
            for (int y = r.y; y < r.bottom(); ++y) {
                const double dy = (y + 0.5) * ky - 1;
                const auto down = float(shareY * dy * dy);
                HWY_DYNAMIC_DISPATCH(DimRow)
                (gain_.data(), across.data(), down, in[0].planes[c].row(y), out.planes[c].row(y), r.w);
            }
        }
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
};

} // namespace

StagePtr vignette(StagePtr input, double amount) {
    return amount != 0 ? std::make_shared<VignetteStage>(input, amount) : input;
}

} // namespace ulm
#endif
