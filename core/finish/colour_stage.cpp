#include "core/finish/colour_stage.h"

#include "core/finish/pixel_stage.h"
#include "core/picture/colour.h"

#include <cmath>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/colour_stage.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef ULMWOOD_COLOUR_MAP
#define ULMWOOD_COLOUR_MAP
namespace ulm {

// The tone curve of each channel as a table over [kFirst, kLast] of the signal, and all that follows it.
struct ColourMap {
    static constexpr int kEntries = 8192;
    static constexpr float kFirst = -0.25f, kLast = 1.5f;
    std::vector<float> tones[3];
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
V ToneAt(D d, const std::vector<float>& table, V v) {
    const hn::RebindToSigned<D> di;
    const auto scale = hn::Set(d, (ColourMap::kEntries - 1) / (ColourMap::kLast - ColourMap::kFirst));
    auto at = hn::Mul(hn::Sub(v, hn::Set(d, ColourMap::kFirst)), scale);
    at = hn::Min(hn::Max(at, hn::Zero(d)), hn::Set(d, float(ColourMap::kEntries - 1) - 0.001f));
    const auto index = hn::ConvertTo(di, at);
    const auto part = hn::Sub(at, hn::ConvertTo(d, index));
    const auto low = hn::GatherIndex(d, table.data(), index), high = hn::GatherIndex(d, table.data() + 1, index);
    return hn::MulAdd(part, hn::Sub(high, low), low);
}

// `count` may be rounded up to whole vectors: rows have slack.
void MapRow(const ColourMap& m, float* ys, float* cbs, float* crs, int count) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    const auto one = hn::Set(d, 1.f), zero = hn::Zero(d);
    for (int i = 0; i < count; i += n) {
        auto y = hn::LoadU(d, ys + i), cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        auto r = hn::MulAdd(hn::Set(d, m.redOfCr), cr, y), b = hn::MulAdd(hn::Set(d, m.blueOfCb), cb, y);
        auto g =
            hn::Mul(hn::NegMulAdd(hn::Set(d, m.kb), b, hn::NegMulAdd(hn::Set(d, m.kr), r, y)), hn::Set(d, 1 / m.kg));
        r = ToneAt(d, m.tones[0], r);
        g = ToneAt(d, m.tones[1], g);
        b = ToneAt(d, m.tones[2], b);
        y = hn::MulAdd(hn::Set(d, m.kr), r, hn::MulAdd(hn::Set(d, m.kg), g, hn::Mul(hn::Set(d, m.kb), b)));
        cb = hn::Mul(hn::Sub(b, y), hn::Set(d, 1 / m.blueOfCb));
        cr = hn::Mul(hn::Sub(r, y), hn::Set(d, 1 / m.redOfCr));
        if (m.turns) {
            auto raise = one;
            if (m.vibrance != 0) {
                const auto length = hn::Sqrt(hn::MulAdd(cb, cb, hn::Mul(cr, cr)));
                const auto pale = hn::Max(zero, hn::NegMulAdd(length, hn::Set(d, float(1 / ChromaTurn::kFull)), one));
                const auto along = hn::Div(hn::MulAdd(cb, hn::Set(d, float(ChromaTurn::kSkinCb)),
                                                      hn::Mul(cr, hn::Set(d, float(ChromaTurn::kSkinCr)))),
                                           hn::Max(length, hn::Set(d, 1e-9f)));
                const auto near = hn::Max(zero, hn::Mul(hn::Sub(along, hn::Set(d, float(ChromaTurn::kSkinNear))),
                                                        hn::Set(d, float(1 / (1 - ChromaTurn::kSkinNear)))));
                const auto spared = hn::NegMulAdd(hn::Set(d, float(ChromaTurn::kSkinSpared)), near, one);
                raise = hn::MulAdd(hn::Mul(hn::Set(d, m.vibrance), hn::Mul(pale, pale)), spared, one);
            }
            const auto cos = hn::Mul(raise, hn::Set(d, m.cos)), sin = hn::Mul(raise, hn::Set(d, m.sin));
            const auto turned = hn::NegMulAdd(sin, cr, hn::Mul(cos, cb));
            cr = hn::MulAdd(sin, cb, hn::Mul(cos, cr));
            cb = turned;
        }
        hn::StoreU(y, d, ys + i);
        hn::StoreU(cb, d, cbs + i);
        hn::StoreU(cr, d, crs + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MapRow);

namespace {

ColourMap mapOf(const Colour& c, const std::vector<CurvePoint>& points, int matrix) {
    ColourMap m;
    const auto gains = whiteGains(c.warmth, c.tint);
    const ToneCurve curve(points);
    for (std::size_t k = 0; k < 3; ++k) {
        m.tones[k].resize(ColourMap::kEntries + 1);
        for (int i = 0; i <= ColourMap::kEntries; ++i) {
            const double signal =
                ColourMap::kFirst + double(ColourMap::kLast - ColourMap::kFirst) * i / (ColourMap::kEntries - 1);
            m.tones[k][std::size_t(i)] = float(curve(toneOf(c, gains[k] * std::exp2(c.exposure), signal)));
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

class ColourStage : public PixelStage {
public:
    ColourStage(StagePtr input, const Colour& c, const std::vector<CurvePoint>& curve)
        : PixelStage(input, keyOf(input, c, curve)), map_(mapOf(c, curve, input->format().colour.matrix)) {}
    const char* name() const override { return "colour"; }

private:
    static Key keyOf(const StagePtr& input, const Colour& c, const std::vector<CurvePoint>& curve) {
        KeyMaker key("colour");
        key.add(input);
        for (const double v : {c.exposure, c.warmth, c.tint, c.contrast, c.pivot, c.shadows, c.lights, c.lightness,
                               c.saturation, c.vibrance, c.hue})
            key.add(v);
        for (const CurvePoint& p : curve) key.add(p.from).add(p.to);
        return key;
    }
    void map(float* y, float* cb, float* cr, int count) const override {
        HWY_DYNAMIC_DISPATCH(MapRow)(map_, y, cb, cr, count);
    }
    ColourMap map_;
};

} // namespace

StagePtr coloured(StagePtr input, const Colour& colour, const std::vector<CurvePoint>& curve) {
    return colour.acts() || !curve.empty() ? std::make_shared<ColourStage>(input, colour, curve) : input;
}

} // namespace ulm
#endif
