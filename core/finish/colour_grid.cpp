#include "core/finish/colour_grid.h"

#include "core/picture/colour.h"

#include <algorithm>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/colour_grid.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Which cube of the grid a colour lies in along one axis, and how far in it, of vectors.
template <class D, class V>
struct Along {
    Along(D d, const ColourGrid& g, std::size_t axis, V v) {
        const hn::RebindToSigned<D> di;
        const auto at =
            hn::Min(hn::Max(hn::Mul(hn::Sub(v, hn::Set(d, g.low[axis])), hn::Set(d, g.scale[axis])), hn::Zero(d)),
                    hn::Set(d, float(g.side - 1)));
        cube = hn::Min(hn::ConvertTo(di, at), hn::Set(di, g.side - 2));
        part = hn::Sub(at, hn::ConvertTo(d, cube));
    }
    hn::Vec<hn::RebindToSigned<D>> cube;
    V part;
};

// The four corners and their weights are found for a whole vector of colours; then each colour's corners, R, G and B
// side by side, are mixed by themselves: that is several times as fast as gathering channel by channel.
void MapThrough(const ColourGrid& grid, const MatrixWeights& m, float strength, float* ys, float* cbs, float* crs,
                int count) {
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    const hn::CappedTag<float, 4> corner; // four values, or one at a time where there are no vectors
    constexpr std::size_t kMost = HWY_MAX_BYTES / sizeof(float);
    const std::size_t n = hn::Lanes(d);
    HWY_ALIGN std::int32_t first[kMost], second[kMost], third[kMost];
    HWY_ALIGN float ofFirst[kMost], ofSecond[kMost], ofThird[kMost], ofLast[kMost], mixed[4 * kMost];

    const float fr = float(m.kr), fb = float(m.kb), fg = 1 - fr - fb;
    const auto kr = hn::Set(d, fr), kb = hn::Set(d, fb), kg = hn::Set(d, fg), one = hn::Set(d, 1.f);
    const auto ofCr = hn::Set(d, 2 * (1 - fr)), ofCb = hn::Set(d, 2 * (1 - fb)), kept = hn::Set(d, strength);
    const auto toCr = hn::Set(d, 0.5f / (1 - fr)), toCb = hn::Set(d, 0.5f / (1 - fb));
    const auto least = hn::Set(d, ColourGrid::kLeast), most = hn::Set(d, ColourGrid::kMost);
    const int side = grid.side, stepG = 4 * side, stepB = 4 * side * side, all = 4 + stepG + stepB;
    const float* const corners = grid.corners.data();
    for (int i = 0; i < count; i += int(n)) {
        const auto y = hn::LoadU(d, ys + i), cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        auto r = hn::MulAdd(ofCr, cr, y), b = hn::MulAdd(ofCb, cb, y);
        auto g = hn::Mul(hn::NegMulAdd(kb, b, hn::NegMulAdd(kr, r, y)), hn::Set(d, 1 / fg));
        const Along<decltype(d), decltype(r)> ar(d, grid, 0, r), ag(d, grid, 1, g), ab(d, grid, 2, b);

        const auto biggest = hn::Max(hn::Max(ar.part, ag.part), ab.part),
                   smallest = hn::Min(hn::Min(ar.part, ag.part), ab.part);
        const auto middle = hn::Sub(hn::Add(hn::Add(ar.part, ag.part), ab.part), hn::Add(biggest, smallest));
        hn::Store(hn::Sub(one, biggest), d, ofFirst);
        hn::Store(hn::Sub(biggest, middle), d, ofSecond);
        hn::Store(hn::Sub(middle, smallest), d, ofThird);
        hn::Store(smallest, d, ofLast);

        const auto base = hn::Add(hn::Mul(ar.cube, hn::Set(di, 4)),
                                  hn::Add(hn::Mul(ag.cube, hn::Set(di, stepG)), hn::Mul(ab.cube, hn::Set(di, stepB))));
        const auto red = hn::Set(di, 4), green = hn::Set(di, stepG), blue = hn::Set(di, stepB);
        const auto isBiggest = [&](auto part) { return hn::RebindMask(di, hn::Eq(part, biggest)); };
        const auto isSmallest = [&](auto part) { return hn::RebindMask(di, hn::Eq(part, smallest)); };
        // Of equal parts any may go first, for the corner between them then weighs nothing.
        const auto ahead = hn::IfThenElse(isBiggest(ar.part), red, hn::IfThenElse(isBiggest(ag.part), green, blue)),
                   behind = hn::IfThenElse(isSmallest(ab.part), blue, hn::IfThenElse(isSmallest(ag.part), green, red));
        hn::Store(base, di, first);
        hn::Store(hn::Add(base, ahead), di, second);
        hn::Store(hn::Add(base, hn::Sub(hn::Set(di, all), behind)), di, third);

        for (std::size_t k = 0; k < n; ++k)
            for (std::size_t c = 0; c < 4; c += hn::Lanes(corner)) {
                const float* const lowest = corners + first[k] + c;
                auto v = hn::Mul(hn::Set(corner, ofFirst[k]), hn::LoadU(corner, lowest));
                v = hn::MulAdd(hn::Set(corner, ofSecond[k]), hn::LoadU(corner, corners + second[k] + c), v);
                v = hn::MulAdd(hn::Set(corner, ofThird[k]), hn::LoadU(corner, corners + third[k] + c), v);
                v = hn::MulAdd(hn::Set(corner, ofLast[k]), hn::LoadU(corner, lowest + all), v);
                hn::Store(v, corner, mixed + 4 * k + c);
            }
        hn::Vec<decltype(d)> nothing;
        hn::LoadInterleaved4(d, mixed, r, g, b, nothing);
        r = hn::Min(hn::Max(r, least), most), g = hn::Min(hn::Max(g, least), most);
        b = hn::Min(hn::Max(b, least), most);
        const auto luma = hn::MulAdd(kr, r, hn::MulAdd(kg, g, hn::Mul(kb, b)));
        const auto towards = [&](auto from, auto to) { return hn::MulAdd(kept, hn::Sub(to, from), from); };
        hn::StoreU(towards(y, luma), d, ys + i);
        hn::StoreU(towards(cb, hn::Mul(hn::Sub(b, luma), toCb)), d, cbs + i);
        hn::StoreU(towards(cr, hn::Mul(hn::Sub(r, luma), toCr)), d, crs + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MapThrough);

ColourGrid::ColourGrid(int n, const std::vector<float>& entries, const std::array<float, 3>& from,
                       const std::array<float, 3>& to)
    : side(n), corners(entries.size() / 3 * 4), low(from) {
    for (std::size_t c = 0; c < 3; ++c) {
        scale[c] = float(n - 1) / (to[c] - from[c]);
        // Bounds far beyond all that is shown keep sums of what is in the file finite.
        for (std::size_t i = 0; i < entries.size() / 3; ++i) {
            const float v = entries[3 * i + c];
            corners[4 * i + c] = v > -1e4f ? std::min(v, 1e4f) : v <= -1e4f ? -1e4f : kLeast;
        }
    }
}

void ColourGrid::map(const MatrixWeights& matrix, float strength, float* y, float* cb, float* cr, int count) const {
    HWY_DYNAMIC_DISPATCH(MapThrough)(*this, matrix, strength, y, cb, cr, count);
}

} // namespace ulm
#endif
