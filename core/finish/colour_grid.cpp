#include "core/finish/colour_grid.h"

#include "core/picture/colour.h"

#include <algorithm>
#include <cmath>
#include <cstring>

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

// Which tetrahedron of the grid each of a vector of colours lies in, and the weights of its four corners: the cube's
// lowest entry, the one ahead of it along the longest part, that, and one along the middle part too, and the highest.
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
        first = hn::Add(ar.cube, hn::Add(hn::Mul(ag.cube, hn::Set(di, grid.side)),
                                         hn::Mul(ab.cube, hn::Set(di, grid.side * grid.side))));
        const auto bit = [&](V one, V other, int value) {
            return hn::IfThenElseZero(hn::RebindMask(di, hn::Ge(one, other)), hn::Set(di, value));
        };
        order = hn::Or(bit(ar.part, ag.part, 1), hn::Or(bit(ag.part, ab.part, 2), bit(ar.part, ab.part, 4)));
    }
    Index first; ///< entry
    Index order; ///< of the parts: ColourGrid::steps()
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
    HWY_ALIGN std::int32_t first[kMost], order[kMost];
    HWY_ALIGN float ofFirst[kMost], ofSecond[kMost], ofThird[kMost], ofLast[kMost], mixed[4 * kMost];

    const Weights<decltype(d)> w(d, m);
    const auto kept = hn::Set(d, strength), toCr = hn::Set(d, 0.5f / (1 - float(m.kr))),
               toCb = hn::Set(d, 0.5f / (1 - float(m.kb)));
    const auto steps = grid.steps();
    const float* const corners = grid.corners.data();
    for (int i = 0; i < count; i += int(n)) {
        const auto y = hn::LoadU(d, ys + i), cb = hn::LoadU(d, cbs + i), cr = hn::LoadU(d, crs + i);
        const auto t = w.find(d, grid, y, cb, cr);
        hn::Store(t.ofFirst, d, ofFirst), hn::Store(t.ofSecond, d, ofSecond);
        hn::Store(t.ofThird, d, ofThird), hn::Store(t.ofLast, d, ofLast);
        hn::Store(t.first, di, first), hn::Store(t.order, di, order);

        for (std::size_t k = 0; k < n; ++k) {
            const auto& [second, third, last] = steps[std::size_t(order[k])];
            for (std::size_t c = 0; c < 4; c += hn::Lanes(corner)) {
                const float* const lowest = corners + 4 * first[k] + c;
                auto v = hn::Mul(hn::Set(corner, ofFirst[k]), hn::LoadU(corner, lowest));
                v = hn::MulAdd(hn::Set(corner, ofSecond[k]), hn::LoadU(corner, lowest + 4 * second), v);
                v = hn::MulAdd(hn::Set(corner, ofThird[k]), hn::LoadU(corner, lowest + 4 * third), v);
                v = hn::MulAdd(hn::Set(corner, ofLast[k]), hn::LoadU(corner, lowest + 4 * last), v);
                hn::Store(v, corner, mixed + 4 * k + c);
            }
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

// In three passes over a short run: where each colour lies, what stands there, what that comes to. One load a colour
// fetches all its corners; a vector's gathers would take as long as all else.
void MapLuma(const ColourGrid& grid, const ColourGrid::LumaCell* cells, const MatrixWeights& m, float strength,
             float* ys, const float* cbs, const float* crs, int count) {
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    const int n = int(hn::Lanes(d));
    constexpr int kRun = 128 + HWY_MAX_BYTES / int(sizeof(float));
    HWY_ALIGN std::int32_t found[kRun], corners[2 * kRun];
    HWY_ALIGN float ofFirst[kRun], ofSecond[kRun], ofThird[kRun], ofLast[kRun];
    const Weights<decltype(d)> w(d, m);
    const auto kept = hn::Set(d, strength), step = hn::Set(d, ColourGrid::kLumaStep);
    for (int from = 0; from < count; from += 128) {
        const int run = std::min(128, count - from);
        float* const y = ys + from;
        for (int i = 0; i < run; i += n) {
            const auto t =
                w.find(d, grid, hn::LoadU(d, y + i), hn::LoadU(d, cbs + from + i), hn::LoadU(d, crs + from + i));
            hn::Store(hn::Or(hn::ShiftLeft<3>(t.first), t.order), di, found + i);
            hn::Store(t.ofFirst, d, ofFirst + i), hn::Store(t.ofSecond, d, ofSecond + i);
            hn::Store(t.ofThird, d, ofThird + i), hn::Store(t.ofLast, d, ofLast + i);
        }
        for (int i = 0; i < run; ++i) std::memcpy(corners + 2 * i, cells + found[i], sizeof cells[0]);
        for (int i = 0; i < run; i += n) {
            hn::Vec<decltype(di)> two, others; // each the lower one in its lower half
            hn::LoadInterleaved2(di, corners + 2 * i, two, others);
            const auto lower = [&](auto v) { return hn::ConvertTo(d, hn::ShiftRight<16>(hn::ShiftLeft<16>(v))); };
            const auto upper = [&](auto v) { return hn::ConvertTo(d, hn::ShiftRight<16>(v)); };
            auto luma = hn::Mul(hn::Load(d, ofFirst + i), lower(two));
            luma = hn::MulAdd(hn::Load(d, ofSecond + i), upper(two), luma);
            luma = hn::MulAdd(hn::Load(d, ofThird + i), lower(others), luma);
            luma = hn::MulAdd(hn::Load(d, ofLast + i), upper(others), luma);
            const auto was = hn::LoadU(d, y + i);
            hn::StoreU(hn::MulAdd(kept, hn::MulSub(luma, step, was), was), d, y + i);
        }
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

std::array<ColourGrid::Steps, 8> ColourGrid::steps() const {
    const int red = 1, green = side, blue = side * side, last = red + green + blue;
    const auto of = [&](int ahead, int behind) { return Steps{ahead, last - behind, last}; };
    // 3 and 4 cannot be: no order has r >= g >= b > r, or b > g > r >= b.
    return {of(blue, red),  of(blue, green), of(green, red),  of(green, red),
            of(red, green), of(red, green),  of(green, blue), of(red, blue)};
}

void ColourGrid::map(const MatrixWeights& matrix, float strength, float* y, float* cb, float* cr, int count) const {
    HWY_DYNAMIC_DISPATCH(MapThrough)(*this, matrix, strength, y, cb, cr, count);
}

void ColourGrid::mapLuma(const std::vector<LumaCell>& cells, const MatrixWeights& matrix, float strength, float* y,
                         const float* cb, const float* cr, int count) const {
    HWY_DYNAMIC_DISPATCH(MapLuma)(*this, cells.data(), matrix, strength, y, cb, cr, count);
}

std::vector<ColourGrid::LumaCell> ColourGrid::lumaCells(const MatrixWeights& m) const {
    std::vector<std::int16_t> luma;
    for (std::size_t i = 0; i < corners.size(); i += 4)
        luma.push_back(std::int16_t(std::lround(
            (m.kr * double(corners[i]) + (1 - m.kr - m.kb) * double(corners[i + 1]) + m.kb * double(corners[i + 2])) /
            double(kLumaStep))));
    std::vector<LumaCell> all(8 * luma.size());
    const auto ways = steps();
    const std::size_t lowest = luma.size() - std::size_t(ways[0].last);
    for (std::size_t e = 0; e < lowest; ++e)
        for (std::size_t k = 0; k < 8; ++k)
            all[8 * e + k] = {luma[e], luma[e + std::size_t(ways[k].second)], luma[e + std::size_t(ways[k].third)],
                              luma[e + std::size_t(ways[k].last)]};
    return all;
}

} // namespace ulm
#endif
