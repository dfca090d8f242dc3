#include "core/finish/colour_stage.h"

#include "core/finish/pixel_stage.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/colour_stage.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef ULMWOOD_COLOUR_MAP
#define ULMWOOD_COLOUR_MAP
namespace ulm {

// The tone curve of each channel over [kFirst, kLast] of the signal, and all that follows it. An entry holds its value
// and the way to the next one in 16 bits each, steps of kStep: so one look gives both, and three tables fit into a
// core's nearest cache. Black, white and the knee, where curves may bend, lie on entries.
struct ColourMap {
    static constexpr int kEntries = 7 * 256 + 1;
    static constexpr float kFirst = -0.25f, kLast = 1.5f, kStep = 1.f / 8192;
    std::vector<std::int32_t> tones[3];
    float redOfCr, blueOfCb, kr, kg, kb; // Y'CbCr to R'G'B'
    float cos, sin, vibrance;
    bool turns; // chroma is changed after the tone curve
};

} // namespace ulm
#endif

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <class D, class V>
V ToneAt(D d, const std::int32_t* table, V v) {
    const hn::RebindToSigned<D> di;
    const auto scale = hn::Set(d, (ColourMap::kEntries - 1) / (ColourMap::kLast - ColourMap::kFirst));
    auto at = hn::Mul(hn::Sub(v, hn::Set(d, ColourMap::kFirst)), scale);
    at = hn::Min(hn::Max(at, hn::Zero(d)), hn::Set(d, float(ColourMap::kEntries - 1) - 0.001f));
    const auto index = hn::ConvertTo(di, at);
    const auto part = hn::Sub(at, hn::ConvertTo(d, index));
    const auto entry = hn::GatherIndex(di, table, index);
    const auto low = hn::ConvertTo(d, hn::ShiftRight<16>(entry)),
               step = hn::ConvertTo(d, hn::ShiftRight<16>(hn::ShiftLeft<16>(entry)));
    return hn::Mul(hn::MulAdd(part, step, low), hn::Set(d, ColourMap::kStep));
}

// 1 / √v of v > 0, to the precision of float: an estimate and a step of Newton's.
template <class D, class V>
V InverseRoot(D d, V v) {
    const auto e = hn::ApproximateReciprocalSqrt(v);
    return hn::Mul(e, hn::NegMulAdd(hn::Mul(hn::Set(d, 0.5f), v), hn::Mul(e, e), hn::Set(d, 1.5f)));
}

// Rows have slack: `count` may be rounded up to whole vectors.

// Through the tone curves. Apart from turning chroma: a processor that looks ahead sees more of a short loop.
void MapTones(const ColourMap& m, float* ys, float* cbs, float* crs, int count, bool onlyLuma) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    const auto redOfCr = hn::Set(d, m.redOfCr), blueOfCb = hn::Set(d, m.blueOfCb);
    const auto crOfRed = hn::Set(d, 1 / m.redOfCr), cbOfBlue = hn::Set(d, 1 / m.blueOfCb);
    const auto kr = hn::Set(d, m.kr), kg = hn::Set(d, m.kg), kb = hn::Set(d, m.kb), perKg = hn::Set(d, 1 / m.kg);
    const std::int32_t *const reds = m.tones[0].data(), *const greens = m.tones[1].data(),
                              *const blues = m.tones[2].data();
    for (int i = 0; i < count; i += n) {
        auto y = hn::LoadU(d, ys + i);
        const auto cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        auto r = hn::MulAdd(redOfCr, cr, y), b = hn::MulAdd(blueOfCb, cb, y);
        auto g = hn::Mul(hn::NegMulAdd(kb, b, hn::NegMulAdd(kr, r, y)), perKg);
        r = ToneAt(d, reds, r);
        g = ToneAt(d, greens, g);
        b = ToneAt(d, blues, b);
        y = hn::MulAdd(kr, r, hn::MulAdd(kg, g, hn::Mul(kb, b)));
        hn::StoreU(y, d, ys + i);
        if (onlyLuma) continue;
        hn::StoreU(hn::Mul(hn::Sub(b, y), cbOfBlue), d, cbs + i);
        hn::StoreU(hn::Mul(hn::Sub(r, y), crOfRed), d, crs + i);
    }
}

// Luma stays.
void TurnChroma(const ColourMap& m, float* cbs, float* crs, int count) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    const auto one = hn::Set(d, 1.f), zero = hn::Zero(d);
    const auto turnCos = hn::Set(d, m.cos), turnSin = hn::Set(d, m.sin), vibrance = hn::Set(d, m.vibrance);
    for (int i = 0; i < count; i += n) {
        const auto cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        auto raise = one;
        if (m.vibrance != 0) {
            const auto square = hn::Max(hn::MulAdd(cb, cb, hn::Mul(cr, cr)), hn::Set(d, 1e-18f));
            const auto perLength = InverseRoot(d, square), length = hn::Mul(square, perLength);
            const auto pale = hn::Max(zero, hn::NegMulAdd(length, hn::Set(d, float(1 / ChromaTurn::kFull)), one));
            const auto along = hn::Mul(hn::MulAdd(cb, hn::Set(d, float(ChromaTurn::kSkinCb)),
                                                  hn::Mul(cr, hn::Set(d, float(ChromaTurn::kSkinCr)))),
                                       perLength);
            const auto near = hn::Max(zero, hn::Mul(hn::Sub(along, hn::Set(d, float(ChromaTurn::kSkinNear))),
                                                    hn::Set(d, float(1 / (1 - ChromaTurn::kSkinNear)))));
            const auto spared = hn::NegMulAdd(hn::Set(d, float(ChromaTurn::kSkinSpared)), near, one);
            raise = hn::MulAdd(hn::Mul(vibrance, hn::Mul(pale, pale)), spared, one);
        }
        const auto cos = hn::Mul(raise, turnCos), sin = hn::Mul(raise, turnSin);
        hn::StoreU(hn::NegMulAdd(sin, cr, hn::Mul(cos, cb)), d, cbs + i);
        hn::StoreU(hn::MulAdd(sin, cb, hn::Mul(cos, cr)), d, crs + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MapTones);
HWY_EXPORT(TurnChroma);

namespace {

ColourMap mapOf(const Colour& c, const std::vector<CurvePoint>& points, int matrix) {
    ColourMap m;
    const auto gains = whiteGains(c.warmth, c.tint);
    const ToneCurve curve(points);
    const auto step = double(ColourMap::kLast - ColourMap::kFirst) / (ColourMap::kEntries - 1);
    for (std::size_t k = 0; k < 3; ++k) {
        const auto at = [&](int i) {
            const double tone = curve(toneOf(c, gains[k] * std::exp2(c.exposure), ColourMap::kFirst + step * i));
            return static_cast<int>(std::lround(std::clamp(tone / ColourMap::kStep, -32768.0, 32767.0)));
        };
        for (int i = 0, low = at(0); i < ColourMap::kEntries; ++i) {
            const int high = at(i + 1), way = std::clamp(high - low, -32768, 32767);
            m.tones[k].push_back(static_cast<std::int32_t>(std::uint32_t(low) << 16 | (std::uint32_t(way) & 0xffff)));
            low = high;
        }
    }
    const MatrixWeights w = matrixWeights(matrix);
    m.kr = float(w.kr), m.kb = float(w.kb), m.kg = 1 - m.kr - m.kb;
    m.redOfCr = 2 * (1 - m.kr), m.blueOfCb = 2 * (1 - m.kb);
    const ChromaTurn turn(c);
    m.cos = float(turn.cos), m.sin = float(turn.sin), m.vibrance = float(turn.vibrance);
    m.turns = c.saturation != 0 || c.vibrance != 0 || c.hue != 0;
    return m;
}

class Coloured : public PixelMap {
public:
    Coloured(const Colour& c, const std::vector<CurvePoint>& curve, int matrix) : map_(mapOf(c, curve, matrix)) {}
    void map(float* y, float* cb, float* cr, int count, Asked asked, const Line&) const override {
        HWY_DYNAMIC_DISPATCH(MapTones)(map_, y, cb, cr, count, asked == Asked::Luma);
        if (map_.turns && asked == Asked::Colour) HWY_DYNAMIC_DISPATCH(TurnChroma)(map_, cb, cr, count);
    }

private:
    ColourMap map_;
};

} // namespace

StagePtr coloured(StagePtr input, const Colour& colour, const std::vector<CurvePoint>& curve) {
    if (!colour.acts() && curve.empty()) return input;
    KeyMaker key("colour");
    for (const double v : {colour.exposure, colour.warmth, colour.tint, colour.contrast, colour.pivot, colour.shadows,
                           colour.lights, colour.lightness, colour.saturation, colour.vibrance, colour.hue})
        key.add(v);
    for (const CurvePoint& p : curve) key.add(p.from).add(p.to);
    const PictureFormat& f = input->format();
    return pixelStage(input, "colour", key, std::make_shared<Coloured>(colour, curve, f.colour.matrix), f);
}

} // namespace ulm
#endif
