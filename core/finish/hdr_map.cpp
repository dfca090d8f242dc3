#include "core/finish/hdr_map.h"

#include "core/finish/colour.h"
#include "core/finish/hdr_stage.h"

#include <algorithm>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/hdr_map.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>
// clang-format off: in this order
#include <hwy/contrib/math/math-inl.h>
// clang-format on

#ifndef ULMWOOD_HDR_MAP
#define ULMWOOD_HDR_MAP
namespace ulm {

struct HdrMap {
    static constexpr int kEntries = 8192;
    bool hlg;
    float redOfCr, blueOfCb, kr, kg, kb; // Y'CbCr to R'G'B'
    /// Light of a signal in [0, 1]: of PQ cd/m², of HLG before the display's gamma. What the roll-off makes of that, as
    /// a factor: over the signal of the largest of R, G, B; for HLG over the square root of its light on the display.
    std::vector<float> light, gain;
};

} // namespace ulm
#endif

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Values outside [0, 1], and none at all, count as its ends.
template <class D, class V>
V LookUp(D d, const std::vector<float>& table, V v) {
    const auto at = hn::Mul(hn::Min(hn::Max(v, hn::Zero(d)), hn::Set(d, 1.f)), hn::Set(d, float(HdrMap::kEntries)));
    const auto index = hn::ConvertTo(hn::RebindToSigned<D>(), at);
    const auto low = hn::GatherIndex(d, table.data(), index), high = hn::GatherIndex(d, table.data() + 1, index);
    return hn::MulAdd(hn::Sub(at, hn::ConvertTo(d, index)), hn::Sub(high, low), low);
}

// Of v >= 0; what is next to nothing becomes 0.
template <class D, class V>
V Power(D d, V v, float exponent) {
    const auto least = hn::Set(d, 1e-9f);
    const auto power = hn::Exp(d, hn::Mul(hn::Set(d, exponent), hn::Log(d, hn::Max(v, least))));
    return hn::IfThenElseZero(hn::Gt(v, least), power);
}

template <class D, class V>
V Mixed(D d, const double* weights, double scale, V r, V g, V b) {
    const auto by = [&](int k) { return hn::Set(d, float(weights[k] * scale)); };
    return hn::MulAdd(by(0), r, hn::MulAdd(by(1), g, hn::Mul(by(2), b)));
}

// Rows have slack: `count` may be rounded up to whole vectors.
void MapHdr(const HdrMap& m, float* ys, float* cbs, float* crs, int count, bool onlyLuma) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.f);
    const auto most = [](auto a, auto b, auto c) { return hn::Max(a, hn::Max(b, c)); };
    for (int i = 0; i < count; i += n) {
        const auto y = hn::LoadU(d, ys + i), cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        const auto red = hn::MulAdd(hn::Set(d, m.redOfCr), cr, y), blue = hn::MulAdd(hn::Set(d, m.blueOfCb), cb, y);
        const auto green = hn::Mul(hn::NegMulAdd(hn::Set(d, m.kb), blue, hn::NegMulAdd(hn::Set(d, m.kr), red, y)),
                                   hn::Set(d, 1 / m.kg));
        auto r = LookUp(d, m.light, red), g = LookUp(d, m.light, green), b = LookUp(d, m.light, blue);
        auto gain = one;
        if (m.hlg) {
            const auto luminance = Mixed(d, kHdrLuminance, 1, r, g, b);
            const auto system = hn::Mul(hn::Set(d, float(kHdrPeak)), Power(d, luminance, 0.2f));
            r = hn::Mul(r, system), g = hn::Mul(g, system), b = hn::Mul(b, system);
            gain = LookUp(d, m.gain, hn::Sqrt(hn::Mul(most(r, g, b), hn::Set(d, float(1 / kHdrPeak)))));
        } else
            gain = LookUp(d, m.gain, most(red, green, blue));
        r = hn::Mul(r, gain), g = hn::Mul(g, gain), b = hn::Mul(b, gain);
        const auto r709 = Mixed(d, kHdrTo709[0], 1 / kHdrWhite, r, g, b),
                   g709 = Mixed(d, kHdrTo709[1], 1 / kHdrWhite, r, g, b),
                   b709 = Mixed(d, kHdrTo709[2], 1 / kHdrWhite, r, g, b);
        const auto grey = Mixed(d, kLuminance709, 1, r709, g709, b709);
        const auto lowest = hn::Min(r709, hn::Min(g709, b709)), highest = most(r709, g709, b709);
        const auto lifted = hn::IfThenElse(hn::And(hn::Lt(lowest, zero), hn::Gt(grey, lowest)),
                                           hn::Div(grey, hn::Sub(grey, lowest)), one);
        const auto lowered = hn::IfThenElse(hn::And(hn::Gt(highest, one), hn::Gt(highest, grey)),
                                            hn::Max(zero, hn::Div(hn::Sub(one, grey), hn::Sub(highest, grey))), one);
        const auto keep = hn::Min(one, hn::Min(lifted, lowered));
        const auto signal = [&](auto c) {
            const auto paled = hn::MulAdd(keep, hn::Sub(c, grey), grey);
            return Power(d, hn::Min(hn::Max(paled, zero), one), float(1 / kDisplayGamma));
        };
        const auto outR = signal(r709), outG = signal(g709), outB = signal(b709);
        const auto luma = Mixed(d, kLuminance709, 1, outR, outG, outB);
        hn::StoreU(luma, d, ys + i);
        if (onlyLuma) continue;
        hn::StoreU(hn::Mul(hn::Sub(outB, luma), hn::Set(d, float(0.5 / (1 - kLuminance709[2])))), d, cbs + i);
        hn::StoreU(hn::Mul(hn::Sub(outR, luma), hn::Set(d, float(0.5 / (1 - kLuminance709[0])))), d, crs + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MapHdr);
namespace {

class ToStandard : public PixelMap {
public:
    ToStandard(const ColourDescription& from, double peak) {
        const MatrixWeights w = matrixWeights(from.matrix);
        m_.hlg = from.transfer == 18;
        m_.kr = float(w.kr), m_.kb = float(w.kb), m_.kg = 1 - m_.kr - m_.kb;
        m_.redOfCr = 2 * (1 - m_.kr), m_.blueOfCb = 2 * (1 - m_.kb);
        for (int i = 0; i < HdrMap::kEntries + 2; ++i) {
            const double signal = double(i) / HdrMap::kEntries;
            m_.light.push_back(float(m_.hlg ? hlgLinear(signal) : pqLight(signal)));
            const double shown = m_.hlg ? kHdrPeak * signal * signal : pqLight(signal);
            m_.gain.push_back(float(shown > 0 ? rolledOff(shown, peak) / shown : 1));
        }
    }
    void map(float* y, float* cb, float* cr, int count, Asked asked, const Line&) const override {
        HWY_DYNAMIC_DISPATCH(MapHdr)(m_, y, cb, cr, count, asked == Asked::Luma);
    }

private:
    HdrMap m_;
};

} // namespace

std::shared_ptr<const PixelMap> standardRangeMap(const ColourDescription& from, double peak) {
    return std::make_shared<ToStandard>(from, peak);
}

} // namespace ulm
#endif
