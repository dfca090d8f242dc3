#include "core/motion/between_guess.h"

#include "core/motion/between_field.h"

#include <opencv2/imgproc.hpp>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/motion/between_guess.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>
// clang-format off: in this order
#include <hwy/contrib/math/math-inl.h>
// clang-format on

#ifndef ULMWOOD_BETWEEN_GUESS
#define ULMWOOD_BETWEEN_GUESS
namespace ulm {

inline constexpr float kFlowWeight = 0.5f; // 8-bit steps that count as much as flows which differ by a pixel
inline constexpr float kMostGap = 8;       // pixels: flows that differ by more are as bad
inline constexpr float kEitherWay = 8;     // so many steps worse, and a guess has 1/e of the best one's weight
inline constexpr float kSamePath = 1.0f / 16, kHardly = 0.1f; // pixels of the field; share of all
inline constexpr float kHidden = 4;                           // pixels of a gap from which on a side hardly counts
inline constexpr std::size_t kMostGuesses = 8, kMostLayers = 3;

struct FourOfEach { // luma, flow and another of a picture's places
    const float* base;
    std::int32_t stride, right, low; // the last column and row
};

struct WeighedRow {
    const float* path; // two of each place
    float *unlike, *cost, *shareA;
    FourOfEach a, b;
    int y;
    float part;
};

struct SideRow {
    const float* here; // four of each place
    FourOfEach other;
    float *gap, *unlike;
    int y;
};

struct GuessRow {
    const float *path, *cost, *unlike, *shareA;
};

struct LayerRow {
    float *dx, *dy, *shareA, *shareB;
};

struct ChosenRow {
    GuessRow guess[kMostGuesses];
    std::size_t guesses;
    LayerRow layer[kMostLayers];
    std::size_t layers;
    float *doubt, *gap;
};

} // namespace ulm
#endif

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Four values of each place, looked up bilinearly; the rim is repeated outwards. Positions that are no number count as
// 0. Weights are worked out for a whole vector of places, then each is mixed by itself, its four values at once.
template <class D, class V>
void LookUp(D d, const FourOfEach& m, V x, V y, V& luma, V& across, V& down) {
    const hn::RebindToSigned<D> di;
    const hn::CappedTag<float, 4> four;
    constexpr std::size_t kMost = HWY_MAX_BYTES / sizeof(float);
    HWY_ALIGN std::int32_t first[kMost], next[kMost], below[kMost];
    HWY_ALIGN float right[kMost], low[kMost], mixed[4 * kMost];
    const auto within = [&](V v, std::int32_t most) {
        const auto number = hn::IfThenElseZero(hn::Eq(v, v), v);
        return hn::Min(hn::Max(number, hn::Zero(d)), hn::Set(d, float(most)));
    };
    const V cx = within(x, m.right), cy = within(y, m.low);
    const auto ix = hn::ConvertTo(di, cx), iy = hn::ConvertTo(di, cy);
    hn::Store(hn::Sub(cx, hn::ConvertTo(d, ix)), d, right);
    hn::Store(hn::Sub(cy, hn::ConvertTo(d, iy)), d, low);
    hn::Store(hn::Add(hn::Mul(iy, hn::Set(di, m.stride)), hn::ShiftLeft<2>(ix)), di, first);
    hn::Store(hn::IfThenElseZero(hn::Lt(ix, hn::Set(di, m.right)), hn::Set(di, 4)), di, next);
    hn::Store(hn::IfThenElseZero(hn::Lt(iy, hn::Set(di, m.low)), hn::Set(di, m.stride)), di, below);
    for (std::size_t k = 0; k < hn::Lanes(d); ++k)
        for (std::size_t c = 0; c < 4; c += hn::Lanes(four)) {
            const float* const s = m.base + first[k] + c;
            const auto r = hn::Set(four, right[k]);
            const auto line = [&](const float* p) {
                const auto v = hn::LoadU(four, p);
                return hn::MulAdd(hn::Sub(hn::LoadU(four, p + next[k]), v), r, v);
            };
            const auto upper = line(s);
            hn::Store(hn::MulAdd(hn::Sub(line(s + below[k]), upper), hn::Set(four, low[k]), upper), four,
                      mixed + 4 * k + c);
        }
    V nothing;
    hn::LoadInterleaved4(d, mixed, luma, across, down, nothing);
}

template <class D, class V>
V Length(D, V x, V y) {
    return hn::Sqrt(hn::MulAdd(x, x, hn::Mul(y, y)));
}

// Places from `x` on: across and down.
template <class D>
void At(D d, int x, int y, hn::Vec<D>& across, hn::Vec<D>& down) {
    const hn::RebindToSigned<D> di;
    across = hn::ConvertTo(d, hn::Add(hn::Iota(di, 0), hn::Set(di, x))), down = hn::Set(d, float(y));
}

template <class D>
void Side(D d, const SideRow& row, int x) {
    hn::Vec<D> atX, atY, luma, u, v, unused, otherLuma, otherU, otherV;
    At(d, x, row.y, atX, atY);
    hn::LoadInterleaved4(d, row.here + 4 * x, luma, u, v, unused);
    LookUp(d, row.other, hn::Add(atX, u), hn::Add(atY, v), otherLuma, otherU, otherV);
    hn::StoreU(Length(d, hn::Add(u, otherU), hn::Add(v, otherV)), d, row.gap + x);
    hn::StoreU(hn::AbsDiff(luma, otherLuma), d, row.unlike + x);
}

template <class D>
void Weigh(D d, const WeighedRow& row, int x) {
    using V = hn::Vec<D>;
    const V one = hn::Set(d, 1.f), part = hn::Set(d, row.part), rest = hn::Set(d, 1 - row.part);
    V u, v, atX, atY;
    hn::LoadInterleaved2(d, row.path + 2 * x, u, v);
    At(d, x, row.y, atX, atY);
    V lumaA, uA, vA, lumaB, uB, vB;
    LookUp(d, row.a, hn::NegMulAdd(part, u, atX), hn::NegMulAdd(part, v, atY), lumaA, uA, vA);
    LookUp(d, row.b, hn::MulAdd(rest, u, atX), hn::MulAdd(rest, v, atY), lumaB, uB, vB);
    const V gapA = Length(d, hn::Sub(uA, u), hn::Sub(vA, v)), gapB = Length(d, hn::Add(uB, u), hn::Add(vB, v));
    hn::StoreU(hn::AbsDiff(lumaA, lumaB), d, row.unlike + x);
    hn::StoreU(hn::Mul(hn::Set(d, kFlowWeight), hn::Min(hn::Min(gapA, gapB), hn::Set(d, kMostGap))), d, row.cost + x);
    // Of (k / (k + gap))², the share that A has of both.
    const auto hidden = [&](V gap) { return hn::MulAdd(gap, hn::Set(d, 1 / kHidden), one); };
    const V a = hidden(gapA), b = hidden(gapB), forA = hn::Mul(rest, hn::Mul(b, b)),
            forB = hn::Mul(part, hn::Mul(a, a));
    hn::StoreU(hn::Div(forA, hn::Add(forA, forB)), d, row.shareA + x);
}

template <class D>
struct Best {
    hn::Vec<D> cost, u, v, shareA, unlike;
};

template <class D, class M>
void SwapWhere(M better, Best<D>& a, Best<D>& b) {
    const auto swap = [&](auto& p, auto& q) {
        const auto kept = p;
        p = hn::IfThenElse(better, q, p);
        q = hn::IfThenElse(better, kept, q);
    };
    swap(a.cost, b.cost), swap(a.u, b.u), swap(a.v, b.v), swap(a.shareA, b.shareA), swap(a.unlike, b.unlike);
}

template <class D>
void Choose(D d, const ChosenRow& row, int x) {
    using V = hn::Vec<D>;
    const V zero = hn::Zero(d), one = hn::Set(d, 1.f);
    const Best<D> none{hn::Set(d, 1e30f), zero, zero, zero, zero};
    Best<D> best[kMostLayers] = {none, none, none};
    V unlike = hn::Set(d, 1e30f);
    for (std::size_t i = 0; i < row.guesses; ++i) {
        const GuessRow& g = row.guess[i];
        Best<D> here;
        here.cost = hn::LoadU(d, g.cost + x);
        hn::LoadInterleaved2(d, g.path + 2 * x, here.u, here.v);
        here.shareA = hn::LoadU(d, g.shareA + x);
        here.unlike = hn::LoadU(d, g.unlike + x);
        unlike = hn::Min(unlike, here.unlike);
        for (std::size_t k = 0; k < row.layers; ++k) SwapWhere(hn::Lt(here.cost, best[k].cost), best[k], here);
    }
    const Best<D>& front = best[0];
    hn::StoreU(unlike, d, row.doubt + x);
    hn::StoreU(hn::Mul(hn::Sub(front.cost, front.unlike), hn::Set(d, 1 / kFlowWeight)), d, row.gap + x);
    V weight[kMostLayers] = {one, zero, zero}, sum = one;
    for (std::size_t k = 1; k < row.layers; ++k) {
        weight[k] = hn::Exp(d, hn::Mul(hn::Sub(front.cost, best[k].cost), hn::Set(d, 1 / kEitherWay)));
        sum = hn::Add(sum, weight[k]);
    }
    // Guesses that say the same are one, and one that hardly counts is none: that saves looking them up.
    for (std::size_t k = 1; k < row.layers; ++k) {
        const V p = hn::Sub(best[k].u, front.u), q = hn::Sub(best[k].v, front.v);
        const auto kept = hn::And(hn::Gt(hn::MulAdd(p, p, hn::Mul(q, q)), hn::Set(d, kSamePath * kSamePath)),
                                  hn::Gt(weight[k], hn::Mul(hn::Set(d, kHardly), sum)));
        weight[0] = hn::Add(weight[0], hn::IfThenZeroElse(kept, weight[k]));
        weight[k] = hn::IfThenElseZero(kept, weight[k]);
        best[k].u = hn::IfThenElse(kept, best[k].u, front.u);
        best[k].v = hn::IfThenElse(kept, best[k].v, front.v);
    }
    for (std::size_t k = 0; k < row.layers; ++k) {
        const LayerRow& l = row.layer[k];
        const V share = hn::Div(weight[k], sum);
        hn::StoreU(best[k].u, d, l.dx + x);
        hn::StoreU(best[k].v, d, l.dy + x);
        hn::StoreU(hn::Mul(share, best[k].shareA), d, l.shareA + x);
        hn::StoreU(hn::Mul(share, hn::Sub(one, best[k].shareA)), d, l.shareB + x);
    }
}

// A row in whole vectors, the last of which overlaps the one before; of fewer places than that, one by one.
template <class F>
void ForRow(int width, const F& f) {
    const hn::ScalableTag<float> d;
    const int n = static_cast<int>(hn::Lanes(d));
    if (width < n)
        for (int x = 0; x < width; ++x) f(hn::CappedTag<float, 1>(), x);
    else
        for (int x = 0; x < width; x += n) f(d, std::min(x, width - n));
}

void SidesRow(const SideRow& row, int width) {
    ForRow(width, [&](auto d, int x) { Side(d, row, x); });
}
void WeighRow(const WeighedRow& row, int width) {
    ForRow(width, [&](auto d, int x) { Weigh(d, row, x); });
}
void ChooseRow(const ChosenRow& row, int width) {
    ForRow(width, [&](auto d, int x) { Choose(d, row, x); });
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(SidesRow);
HWY_EXPORT(WeighRow);
HWY_EXPORT(ChooseRow);

namespace {

FourOfEach placesOf(const cv::Mat& m) {
    return {m.ptr<float>(), static_cast<std::int32_t>(m.step1()), m.cols - 1, m.rows - 1};
}

// The fourth, how little it is to be trusted, is written later.
cv::Mat seenOf(const cv::Mat& luma, const cv::Mat& flow) {
    cv::Mat all(luma.size(), CV_32FC4);
    for (int y = 0; y < luma.rows; ++y) {
        const float* l = luma.ptr<float>(y);
        const auto* f = flow.ptr<cv::Vec2f>(y);
        auto* o = all.ptr<cv::Vec4f>(y);
        for (int x = 0; x < luma.cols; ++x) o[x] = {l[x], f[x][0], f[x][1], 0};
    }
    return all;
}

} // namespace

std::array<BetweenSide, 2> sidesOf(const cv::Mat& a, const cv::Mat& b, const FlowPair& flow, int patch) {
    const cv::Size size = a.size();
    std::array<BetweenSide, 2> sides{BetweenSide{seenOf(a, flow.ab), cv::Mat(size, CV_32F)},
                                     BetweenSide{seenOf(b, flow.ba), cv::Mat(size, CV_32F)}};
    std::array<cv::Mat, 2> unlike;
    for (const std::size_t n : {0u, 1u}) {
        const FourOfEach other = placesOf(sides[1 - n].seen);
        unlike[n].create(size, CV_32F);
        for (int y = 0; y < size.height; ++y) HWY_DYNAMIC_DISPATCH(SidesRow)
        ({sides[n].seen.ptr<float>(y), other, sides[n].gap.ptr<float>(y), unlike[n].ptr<float>(y), y}, size.width);
        cv::blur(unlike[n], unlike[n], {patch, patch});
    }
    for (const std::size_t n : {0u, 1u})
        for (int y = 0; y < size.height; ++y) {
            const float *const gap = sides[n].gap.ptr<float>(y), *const u = unlike[n].ptr<float>(y);
            auto* const s = sides[n].seen.ptr<cv::Vec4f>(y);
            for (int x = 0; x < size.width; ++x) s[x][3] = gap[x] + u[x];
        }
    return sides;
}

BetweenGuess weighed(const cv::Mat& path, const BetweenSide& a, const BetweenSide& b, float part, int patch) {
    const cv::Size size = path.size();
    BetweenGuess g{path, cv::Mat(size, CV_32F), cv::Mat(size, CV_32F), cv::Mat(size, CV_32F)};
    for (int y = 0; y < size.height; ++y) HWY_DYNAMIC_DISPATCH(WeighRow)
    ({path.ptr<float>(y), g.unlike.ptr<float>(y), g.cost.ptr<float>(y), g.shareA.ptr<float>(y), placesOf(a.seen),
      placesOf(b.seen), y, part},
     size.width);
    cv::blur(g.unlike, g.unlike, {patch, patch});
    g.cost += g.unlike;
    return g;
}

void choose(const std::vector<BetweenGuess>& guesses, BetweenField& field, cv::Mat& gap) {
    CV_Assert(!guesses.empty() && guesses.size() <= kMostGuesses && field.layers.size() <= kMostLayers);
    for (int y = 0; y < gap.rows; ++y) {
        ChosenRow row{};
        for (const BetweenGuess& g : guesses)
            row.guess[row.guesses++] = {g.path.ptr<float>(y), g.cost.ptr<float>(y), g.unlike.ptr<float>(y),
                                        g.shareA.ptr<float>(y)};
        for (BetweenLayer& l : field.layers)
            row.layer[row.layers++] = {l.dx.ptr<float>(y), l.dy.ptr<float>(y), l.shareA.ptr<float>(y),
                                       l.shareB.ptr<float>(y)};
        row.doubt = field.doubt.ptr<float>(y), row.gap = gap.ptr<float>(y);
        HWY_DYNAMIC_DISPATCH(ChooseRow)(row, gap.cols);
    }
}

} // namespace ulm
#endif
