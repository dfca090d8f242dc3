#include "core/picture/sampling.h"

#include <algorithm>
#include <array>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/picture/sampling.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef ULMWOOD_SAMPLING
#define ULMWOOD_SAMPLING
namespace ulm {

inline constexpr int kPhases = 32;
inline constexpr double kSharpness = -0.75; // Keys' a

/// Samples of a row of places, whose first one is column `left` of row `top` of the plane's area.
struct MovedRow {
    const float* base;
    std::ptrdiff_t stride;
    int width, height; ///< of the plane's area
    int left, top;
    const float *dx, *dy;
    FieldScale scale;
    float reach;

    int phased(float v) const { return static_cast<int>(std::lrint(std::clamp(v, -reach, reach) * kPhases)); }
    /// The sample that the path from place x leads to.
    float operator()(int x) const;
};

} // namespace ulm
#endif

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Keys' weights of samples nearer than one from a position, and of those between one and two.
template <class D, class V>
V Near(D d, V x) {
    const auto line = hn::MulAdd(hn::Set(d, float(kSharpness + 2)), x, hn::Set(d, float(-kSharpness - 3)));
    return hn::MulAdd(hn::Mul(line, x), x, hn::Set(d, 1.f));
}
template <class D, class V>
V Far(D d, V x) {
    constexpr float a = float(kSharpness);
    const auto line = hn::MulAdd(hn::MulAdd(hn::Set(d, a), x, hn::Set(d, -5 * a)), x, hn::Set(d, 8 * a));
    return hn::MulAdd(line, x, hn::Set(d, -4 * a));
}

// Where no place moves samples are taken as they are. Elsewhere positions and weights are worked out for a whole vector
// of places. Where neighbours come from neighbours all are weighed at once; elsewhere each place's four rows by
// themselves, four samples at a time, which is faster than gathering sixteen times, and gives the same.
void AddRow(const MovedRow& m, const float* shares, float* sums, int count) {
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    const hn::CappedTag<float, 4> four; // or one at a time where there are no vectors
    constexpr std::size_t kMost = HWY_MAX_BYTES / sizeof(float);
    const int n = static_cast<int>(hn::Lanes(d));
    HWY_ALIGN std::int32_t first[kMost];
    HWY_ALIGN float rows[4][kMost], mixed[4 * kMost];
    const auto places = hn::Iota(di, 0); // not from another number: that is stored one by one
    const auto one = hn::Set(d, 1.f), two = hn::Set(d, 2.f), reach = hn::Set(d, m.reach);
    const auto bounded = [&](auto v) { return hn::Min(hn::Max(v, hn::Neg(reach)), reach); };
    const bool large = m.width >= 4 && m.height >= 4;
    const auto onlyOnes = [&](int from, int to) {
        for (int x = from; x < to; ++x)
            if (shares[x] != 0) sums[x] += shares[x] * m(x);
    };
    int x = 0;
    for (; x + n <= count; x += n) {
        const auto share = hn::LoadU(d, shares + x);
        const auto counts = hn::Ne(share, hn::Zero(d));
        if (hn::AllFalse(d, counts)) continue;
        const auto ofPhases = hn::Set(d, float(kPhases));
        const auto mx = hn::NearestInt(
                       hn::Mul(bounded(hn::Mul(hn::Set(d, m.scale.across), hn::LoadU(d, m.dx + x))), ofPhases)),
                   my = hn::NearestInt(
                       hn::Mul(bounded(hn::Mul(hn::Set(d, m.scale.down), hn::LoadU(d, m.dy + x))), ofPhases));
        if (hn::AllTrue(di, hn::Eq(hn::Or(mx, my), hn::Zero(di))) && m.top >= 0 && m.top < m.height &&
            m.left + x >= 0 && m.left + x + n <= m.width) {
            const auto here = hn::LoadU(d, m.base + m.top * m.stride + m.left + x);
            hn::StoreU(hn::MulAdd(share, here, hn::LoadU(d, sums + x)), d, sums + x);
            continue;
        }
        const auto ix = hn::Add(hn::Add(places, hn::Set(di, m.left + x)), hn::ShiftRight<5>(mx)),
                   iy = hn::Add(hn::Set(di, m.top), hn::ShiftRight<5>(my));
        const auto inside = hn::And(hn::And(hn::Gt(ix, hn::Zero(di)), hn::Lt(ix, hn::Set(di, m.width - 2))),
                                    hn::And(hn::Gt(iy, hn::Zero(di)), hn::Lt(iy, hn::Set(di, m.height - 2))));
        if (!large) {
            onlyOnes(x, x + n);
            continue;
        }
        const auto taken = hn::And(counts, hn::RebindMask(d, inside));
        const auto above = hn::Mul(hn::Sub(iy, hn::Set(di, 1)), hn::Set(di, static_cast<std::int32_t>(m.stride)));
        const auto from = hn::IfThenElseZero(inside, hn::Add(above, hn::Sub(ix, hn::Set(di, 1))));
        const auto phase = [&](auto v) {
            return hn::Mul(hn::ConvertTo(d, hn::And(v, hn::Set(di, kPhases - 1))), hn::Set(d, 1.f / kPhases));
        };
        const auto px = phase(mx), py = phase(my);
        const auto row0 = Far(d, hn::Add(one, py)), row1 = Near(d, py), row2 = Near(d, hn::Sub(one, py)),
                   row3 = Far(d, hn::Sub(two, py));
        hn::Vec<decltype(d)> a, b, c, e;
        if (const std::int32_t start = hn::GetLane(from);
            hn::AllTrue(di, hn::And(inside, hn::Eq(from, hn::Add(places, hn::Set(di, start)))))) {
            const auto column = [&](int k) {
                const float* const s = m.base + start + k;
                auto v = hn::Mul(row0, hn::LoadU(d, s));
                v = hn::MulAdd(row1, hn::LoadU(d, s + m.stride), v);
                v = hn::MulAdd(row2, hn::LoadU(d, s + 2 * m.stride), v);
                return hn::MulAdd(row3, hn::LoadU(d, s + 3 * m.stride), v);
            };
            a = column(0), b = column(1), c = column(2), e = column(3);
        } else {
            hn::Store(from, di, first);
            hn::Store(row0, d, rows[0]), hn::Store(row1, d, rows[1]);
            hn::Store(row2, d, rows[2]), hn::Store(row3, d, rows[3]);
            for (int k = 0; k < n; ++k)
                for (std::size_t i = 0; i < 4; i += hn::Lanes(four)) {
                    const float* const s = m.base + first[k] + i;
                    auto v = hn::Mul(hn::Set(four, rows[0][k]), hn::LoadU(four, s));
                    v = hn::MulAdd(hn::Set(four, rows[1][k]), hn::LoadU(four, s + m.stride), v);
                    v = hn::MulAdd(hn::Set(four, rows[2][k]), hn::LoadU(four, s + 2 * m.stride), v);
                    v = hn::MulAdd(hn::Set(four, rows[3][k]), hn::LoadU(four, s + 3 * m.stride), v);
                    hn::Store(v, four, mixed + 4 * k + i);
                }
            hn::LoadInterleaved4(d, mixed, a, b, c, e);
        }
        auto all = hn::Mul(a, Far(d, hn::Add(one, px)));
        all = hn::MulAdd(b, Near(d, px), all);
        all = hn::MulAdd(c, Near(d, hn::Sub(one, px)), all);
        all = hn::MulAdd(e, Far(d, hn::Sub(two, px)), all);
        hn::StoreU(hn::MulAdd(share, hn::IfThenElseZero(taken, all), hn::LoadU(d, sums + x)), d, sums + x);
        if (!hn::AllTrue(di, inside)) { // at the rim
            hn::Store(hn::IfThenZeroElse(inside, hn::Set(di, 1)), di, first);
            for (int k = 0; k < n; ++k)
                if (first[k]) onlyOnes(x + k, x + k + 1);
        }
    }
    onlyOnes(x, count);
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(AddRow);
namespace {

// Weights of the four samples around a position, by its phase.
const std::array<std::array<float, 4>, kPhases>& cubic() {
    static const auto table = [] {
        std::array<std::array<float, 4>, kPhases> t{};
        constexpr double a = kSharpness;
        const auto near = [](double x) { return ((a + 2) * x - (a + 3)) * x * x + 1; };
        const auto far = [](double x) { return ((a * x - 5 * a) * x + 8 * a) * x - 4 * a; };
        for (int i = 0; i < kPhases; ++i) {
            const double x = double(i) / kPhases;
            t[std::size_t(i)] = {float(far(1 + x)), float(near(x)), float(near(1 - x)), float(far(2 - x))};
        }
        return t;
    }();
    return table;
}

MovedRow rowOf(const Plane& there, const Rect& area, int y, const float* dx, const float* dy, FieldScale scale,
               float reach) {
    const Rect from = there.area();
    return {
        there.row(from.y), there.stride(), from.w, from.h, area.x - from.x, area.y + y - from.y, dx, dy, scale, reach};
}

} // namespace

float MovedRow::operator()(int x) const {
    const int px = (left + x) * kPhases + phased(scale.across * dx[x]), py = top * kPhases + phased(scale.down * dy[x]);
    const auto &wx = cubic()[std::size_t(px & 31)], &wy = cubic()[std::size_t(py & 31)];
    float sum = 0;
    for (int j = 0; j < 4; ++j) {
        const float* s = base + std::clamp((py >> 5) - 1 + j, 0, height - 1) * stride;
        float line = 0;
        for (int i = 0; i < 4; ++i) line += wx[std::size_t(i)] * s[std::clamp((px >> 5) - 1 + i, 0, width - 1)];
        sum += wy[std::size_t(j)] * line;
    }
    return sum;
}

cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, float reach) {
    cv::Mat out = cv::Mat::zeros(area.h, area.w, CV_32F);
    addMoved(there, area, dx, dy, {}, reach, cv::Mat(area.h, area.w, CV_32F, cv::Scalar(1)), out);
    return out;
}

void addMoved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, FieldScale scale, float reach,
              const cv::Mat& share, cv::Mat& sum) {
    for (int y = 0; y < area.h; ++y) HWY_DYNAMIC_DISPATCH(AddRow)
    (rowOf(there, area, y, dx.ptr<float>(y), dy.ptr<float>(y), scale, reach), share.ptr<float>(y), sum.ptr<float>(y),
     area.w);
}

void sampled(const Plane& there, const Affine& from, Plane& out) {
    // Where each sample lies is counted in whole 2⁻³² of a pixel, so that a part says the same as the whole.
    constexpr double kOne = 4294967296.0;
    constexpr int kToPhase = 27; // of 2⁻³² to 1/32
    constexpr double kFarthest = 65536, kSteepest = 256;
    const auto fixed = [](double v, double most) {
        return std::int64_t(std::llrint(std::clamp(v, -most, most) * kOne));
    };
    const std::int64_t across = fixed(from.a, kSteepest), down = fixed(from.d, kSteepest),
                       half = std::int64_t(1) << (kToPhase - 1);
    const Rect area = out.area();
    const cv::Mat share(1, area.w, CV_32F, cv::Scalar(1));
    cv::Mat dx(1, area.w, CV_32F), dy(1, area.w, CV_32F);
    for (int y = area.y; y < area.bottom(); ++y) {
        const Point start = from({0.5, y + 0.5});
        const std::int64_t x0 = fixed(start.x - 0.5, kFarthest) + half, y0 = fixed(start.y - 0.5, kFarthest) + half;
        auto *px = dx.ptr<float>(), *py = dy.ptr<float>();
        for (int x = 0; x < area.w; ++x) {
            const std::int64_t at = area.x + x;
            px[x] = float(std::int32_t((x0 + across * at) >> kToPhase) - kPhases * std::int32_t(at)) / kPhases;
            py[x] = float(std::int32_t((y0 + down * at) >> kToPhase) - kPhases * y) / kPhases;
        }
        std::fill_n(out.row(y), area.w, 0.f);
        const MovedRow row = rowOf(there, area, y - area.y, dx.ptr<float>(), dy.ptr<float>(), {}, float(kFarthest));
        HWY_DYNAMIC_DISPATCH(AddRow)(row, share.ptr<float>(), out.row(y), area.w);
    }
}

} // namespace ulm
#endif
