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

// Which tetrahedron of the grid each of a vector of colours lies in: its four corners, as indices of entries, and their
// weights. Colours are Y', Cb, Cr.
template <class D>
struct Tetrahedra {
    using V = hn::Vec<D>;
    using Index = hn::Vec<hn::RebindToSigned<D>>;

    Tetrahedra(D d, const ColourGrid& grid, V r, V g, V b) {
        const hn::RebindToSigned<D> di;
        const Along<D, V> ar(d, grid, 0, r), ag(d, grid, 1, g), ab(d, grid, 2, b);
        const auto biggest = hn::Max(hn::Max(ar.part, ag.part), ab.part),
                   smallest = hn::Min(hn::Min(ar.part, ag.part), ab.part);
        const auto middle = hn::Sub(hn::Add(hn::Add(ar.part, ag.part), ab.part), hn::Add(biggest, smallest));
        ofFirst = hn::Sub(hn::Set(d, 1.f), biggest), ofSecond = hn::Sub(biggest, middle);
        ofThird = hn::Sub(middle, smallest), ofLast = smallest;

        const int side = grid.side, square = side * side;
        const auto red = hn::Set(di, 1), green = hn::Set(di, side), blue = hn::Set(di, square);
        first = hn::Add(ar.cube, hn::Add(hn::Mul(ag.cube, green), hn::Mul(ab.cube, blue)));
        const auto isBiggest = [&](V part) { return hn::RebindMask(di, hn::Eq(part, biggest)); };
        const auto isSmallest = [&](V part) { return hn::RebindMask(di, hn::Eq(part, smallest)); };
        // Of equal parts any may go first, for the corner between them then weighs nothing.
        const auto ahead = hn::IfThenElse(isBiggest(ar.part), red, hn::IfThenElse(isBiggest(ag.part), green, blue)),
                   behind = hn::IfThenElse(isSmallest(ab.part), blue, hn::IfThenElse(isSmallest(ag.part), green, red));
        last = hn::Add(first, hn::Set(di, 1 + side + square));
        second = hn::Add(first, ahead), third = hn::Sub(last, behind);
    }
    Index first, second, third, last;
    V ofFirst, ofSecond, ofThird, ofLast;
};

// Weights of a matrix, of vectors.
template <class D>
struct Weights {
    using V = hn::Vec<D>;
    Weights(D d, const MatrixWeights& m)
        : kr(hn::Set(d, float(m.kr))), kg(hn::Set(d, 1 - float(m.kr) - float(m.kb))), kb(hn::Set(d, float(m.kb))),
          ofCr(hn::Set(d, 2 * (1 - float(m.kr)))), ofCb(hn::Set(d, 2 * (1 - float(m.kb)))),
          perKg(hn::Set(d, 1 / (1 - float(m.kr) - float(m.kb)))) {}
    Tetrahedra<D> find(D d, const ColourGrid& grid, V y, V cb, V cr) const {
        const auto r = hn::MulAdd(ofCr, cr, y), b = hn::MulAdd(ofCb, cb, y);
        return {d, grid, r, hn::Mul(hn::NegMulAdd(kb, b, hn::NegMulAdd(kr, r, y)), perKg), b};
    }
    V kr, kg, kb, ofCr, ofCb, perKg;
};

// Each colour's corners, R, G and B side by side, are mixed by themselves: that is several times as fast as gathering
// channel by channel.
void MapThrough(const ColourGrid& grid, const MatrixWeights& m, float strength, float* ys, float* cbs, float* crs,
                int count) {
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    const hn::CappedTag<float, 4> corner; // four values, or one at a time where there are no vectors
    constexpr std::size_t kMost = HWY_MAX_BYTES / sizeof(float);
    const std::size_t n = hn::Lanes(d);
    HWY_ALIGN std::int32_t first[kMost], second[kMost], third[kMost];
    HWY_ALIGN float ofFirst[kMost], ofSecond[kMost], ofThird[kMost], ofLast[kMost], mixed[4 * kMost];

    const Weights<decltype(d)> w(d, m);
    const auto kept = hn::Set(d, strength), toCr = hn::Set(d, 0.5f / (1 - float(m.kr))),
               toCb = hn::Set(d, 0.5f / (1 - float(m.kb)));
    const int all = 4 * (1 + grid.side + grid.side * grid.side);
    const float* const corners = grid.corners.data();
    for (int i = 0; i < count; i += int(n)) {
        const auto y = hn::LoadU(d, ys + i), cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        const auto t = w.find(d, grid, y, cb, cr);
        hn::Store(t.ofFirst, d, ofFirst), hn::Store(t.ofSecond, d, ofSecond);
        hn::Store(t.ofThird, d, ofThird), hn::Store(t.ofLast, d, ofLast);
        hn::Store(hn::ShiftLeft<2>(t.first), di, first), hn::Store(hn::ShiftLeft<2>(t.second), di, second);
        hn::Store(hn::ShiftLeft<2>(t.third), di, third);

        for (std::size_t k = 0; k < n; ++k)
            for (std::size_t c = 0; c < 4; c += hn::Lanes(corner)) {
                const float* const lowest = corners + first[k] + c;
                auto v = hn::Mul(hn::Set(corner, ofFirst[k]), hn::LoadU(corner, lowest));
                v = hn::MulAdd(hn::Set(corner, ofSecond[k]), hn::LoadU(corner, corners + second[k] + c), v);
                v = hn::MulAdd(hn::Set(corner, ofThird[k]), hn::LoadU(corner, corners + third[k] + c), v);
                v = hn::MulAdd(hn::Set(corner, ofLast[k]), hn::LoadU(corner, lowest + all), v);
                hn::Store(v, corner, mixed + 4 * k + c);
            }
        hn::Vec<decltype(d)> r, g, b, nothing;
        hn::LoadInterleaved4(d, mixed, r, g, b, nothing);
        const auto luma = hn::MulAdd(w.kr, r, hn::MulAdd(w.kg, g, hn::Mul(w.kb, b)));
        const auto towards = [&](auto from, auto to) { return hn::MulAdd(kept, hn::Sub(to, from), from); };
        hn::StoreU(towards(y, luma), d, ys + i);
        hn::StoreU(towards(cb, hn::Mul(hn::Sub(b, luma), toCb)), d, cbs + i);
        hn::StoreU(towards(cr, hn::Mul(hn::Sub(r, luma), toCr)), d, crs + i);
    }
}

void MapLuma(const ColourGrid& grid, const float* lumas, const MatrixWeights& m, float strength, float* ys,
             const float* cbs, const float* crs, int count) {
    const hn::ScalableTag<float> d;
    const Weights<decltype(d)> w(d, m);
    const auto kept = hn::Set(d, strength);
    for (int i = 0; i < count; i += int(hn::Lanes(d))) {
        const auto y = hn::LoadU(d, ys + i);
        const auto t = w.find(d, grid, y, hn::LoadU(d, cbs + i), hn::LoadU(d, crs + i));
        auto luma = hn::Mul(t.ofFirst, hn::GatherIndex(d, lumas, t.first));
        luma = hn::MulAdd(t.ofSecond, hn::GatherIndex(d, lumas, t.second), luma);
        luma = hn::MulAdd(t.ofThird, hn::GatherIndex(d, lumas, t.third), luma);
        luma = hn::MulAdd(t.ofLast, hn::GatherIndex(d, lumas, t.last), luma);
        hn::StoreU(hn::MulAdd(kept, hn::Sub(luma, y), y), d, ys + i);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MapThrough);
HWY_EXPORT(MapLuma);

ColourGrid::ColourGrid(int n, const std::vector<float>& entries, const std::array<float, 3>& from,
                       const std::array<float, 3>& to)
    : side(n), corners(entries.size() / 3 * 4), low(from) {
    for (std::size_t c = 0; c < 3; ++c) {
        scale[c] = float(n - 1) / (to[c] - from[c]);
        for (std::size_t i = 0; i < entries.size() / 3; ++i) {
            const float v = entries[3 * i + c];
            corners[4 * i + c] = v > kLeast ? std::min(v, kMost) : kLeast;
        }
    }
}

void ColourGrid::map(const MatrixWeights& matrix, float strength, float* y, float* cb, float* cr, int count) const {
    HWY_DYNAMIC_DISPATCH(MapThrough)(*this, matrix, strength, y, cb, cr, count);
}

void ColourGrid::mapLuma(const std::vector<float>& lumas, const MatrixWeights& matrix, float strength, float* y,
                         const float* cb, const float* cr, int count) const {
    HWY_DYNAMIC_DISPATCH(MapLuma)(*this, lumas.data(), matrix, strength, y, cb, cr, count);
}

std::vector<float> ColourGrid::lumas(const MatrixWeights& m) const {
    std::vector<float> all;
    all.reserve(corners.size() / 4);
    for (std::size_t i = 0; i < corners.size(); i += 4)
        all.push_back(float(m.kr * double(corners[i]) + (1 - m.kr - m.kb) * double(corners[i + 1]) +
                            m.kb * double(corners[i + 2])));
    return all;
}

} // namespace ulm
#endif
