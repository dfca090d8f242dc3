#include "core/restore/dct_shrink.h"

#include <cmath>
#include <cstring>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/restore/dct_shrink.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using D = hn::ScalableTag<float>;
using V = hn::Vec<D>;

// Orthonormal 8-point DCT-II by even/odd splitting: 22 multiplications. In place.
HWY_INLINE void forward8(V& x0, V& x1, V& x2, V& x3, V& x4, V& x5, V& x6, V& x7) {
    const D d;
    const V r8 = hn::Set(d, 0.35355339059f);
    const V a1 = hn::Set(d, 0.49039264020f), a3 = hn::Set(d, 0.41573480615f), a5 = hn::Set(d, 0.27778511651f),
            a7 = hn::Set(d, 0.09754516101f), a2 = hn::Set(d, 0.46193976626f), a6 = hn::Set(d, 0.19134171618f);
    const V s0 = hn::Add(x0, x7), s1 = hn::Add(x1, x6), s2 = hn::Add(x2, x5), s3 = hn::Add(x3, x4);
    const V d0 = hn::Sub(x0, x7), d1 = hn::Sub(x1, x6), d2 = hn::Sub(x2, x5), d3 = hn::Sub(x3, x4);
    const V e0 = hn::Add(s0, s3), e1 = hn::Add(s1, s2), f0 = hn::Sub(s0, s3), f1 = hn::Sub(s1, s2);
    x0 = hn::Mul(hn::Add(e0, e1), r8);
    x4 = hn::Mul(hn::Sub(e0, e1), r8);
    x2 = hn::MulAdd(f0, a2, hn::Mul(f1, a6));
    x6 = hn::MulSub(f0, a6, hn::Mul(f1, a2));
    x1 = hn::MulAdd(d0, a1, hn::MulAdd(d1, a3, hn::MulAdd(d2, a5, hn::Mul(d3, a7))));
    x3 = hn::NegMulAdd(d3, a5, hn::NegMulAdd(d2, a1, hn::NegMulAdd(d1, a7, hn::Mul(d0, a3))));
    x5 = hn::MulAdd(d3, a3, hn::MulAdd(d2, a7, hn::NegMulAdd(d1, a1, hn::Mul(d0, a5))));
    x7 = hn::NegMulAdd(d3, a1, hn::MulAdd(d2, a3, hn::NegMulAdd(d1, a5, hn::Mul(d0, a7))));
}

HWY_INLINE void inverse8(V& x0, V& x1, V& x2, V& x3, V& x4, V& x5, V& x6, V& x7) {
    const D d;
    const V r8 = hn::Set(d, 0.35355339059f);
    const V a1 = hn::Set(d, 0.49039264020f), a3 = hn::Set(d, 0.41573480615f), a5 = hn::Set(d, 0.27778511651f),
            a7 = hn::Set(d, 0.09754516101f), a2 = hn::Set(d, 0.46193976626f), a6 = hn::Set(d, 0.19134171618f);
    const V g0 = hn::Mul(hn::Add(x0, x4), r8), g1 = hn::Mul(hn::Sub(x0, x4), r8);
    const V h0 = hn::MulAdd(x2, a2, hn::Mul(x6, a6)), h1 = hn::MulSub(x2, a6, hn::Mul(x6, a2));
    const V e0 = hn::Add(g0, h0), e3 = hn::Sub(g0, h0), e1 = hn::Add(g1, h1), e2 = hn::Sub(g1, h1);
    const V o0 = hn::MulAdd(x1, a1, hn::MulAdd(x3, a3, hn::MulAdd(x5, a5, hn::Mul(x7, a7))));
    const V o1 = hn::NegMulAdd(x7, a5, hn::NegMulAdd(x5, a1, hn::NegMulAdd(x3, a7, hn::Mul(x1, a3))));
    const V o2 = hn::MulAdd(x7, a3, hn::MulAdd(x5, a7, hn::NegMulAdd(x3, a1, hn::Mul(x1, a5))));
    const V o3 = hn::NegMulAdd(x7, a1, hn::MulAdd(x5, a3, hn::NegMulAdd(x3, a5, hn::Mul(x1, a7))));
    x0 = hn::Add(e0, o0), x7 = hn::Sub(e0, o0), x1 = hn::Add(e1, o1), x6 = hn::Sub(e1, o1);
    x2 = hn::Add(e2, o2), x5 = hn::Sub(e2, o2), x3 = hn::Add(e3, o3), x4 = hn::Sub(e3, o3);
}

// Eight rows of even and eight of odd columns: blocks start at even columns, so a block's samples are contiguous lanes
// in both halves.
struct Halves {
    std::vector<float> even, odd;
    std::size_t stride = 0;
    void resize(std::size_t columns) {
        stride = columns;
        even.assign(8 * columns, 0.f);
        odd.assign(8 * columns, 0.f);
    }
    float* e(int k) { return even.data() + k * stride; }
    float* o(int k) { return odd.data() + k * stride; }
};

// Vertical transform of eight padded rows into halves.
HWY_INLINE void columnsForward(const float* rows, std::size_t rowStride, std::size_t pairs, Halves& out) {
    const D d;
    const std::size_t n = hn::Lanes(d);
    for (std::size_t i = 0; i < pairs; i += n) {
        V e[8], o[8];
        for (int k = 0; k < 8; ++k) hn::LoadInterleaved2(d, rows + k * rowStride + 2 * i, e[k], o[k]);
        forward8(e[0], e[1], e[2], e[3], e[4], e[5], e[6], e[7]);
        forward8(o[0], o[1], o[2], o[3], o[4], o[5], o[6], o[7]);
        for (int k = 0; k < 8; ++k) {
            hn::StoreU(e[k], d, out.e(k) + i);
            hn::StoreU(o[k], d, out.o(k) + i);
        }
    }
}

HWY_INLINE void loadBlockRow(Halves& h, int k, std::size_t i, V* c) {
    const D d;
    for (int j = 0; j < 4; ++j) {
        c[2 * j] = hn::LoadU(d, h.e(k) + i + j);
        c[2 * j + 1] = hn::LoadU(d, h.o(k) + i + j);
    }
    forward8(c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]);
}

// Shrinks all blocks that start at this row of the padded picture; adds weighted results to `acc` and weights to
// `wsum`.
template <bool kThree>
HWY_INLINE void blockRow(Halves& mean, Halves& bend, std::size_t blocks, float threshold, Halves& acc, Halves& wsum) {
    const D d;
    const std::size_t n = hn::Lanes(d);
    const V t = hn::Set(d, threshold), one = hn::Set(d, 1.f), zero = hn::Zero(d);
    const V s3 = hn::Set(d, 0.57735026919f), s6 = hn::Set(d, -0.81649658093f);
    for (std::size_t i = 0; i < blocks; i += n) {
        V c[8][8];
        V count = zero;
        for (int k = 0; k < 8; ++k) {
            loadBlockRow(mean, k, i, c[k]);
            for (int j = 0; j < 8; ++j) {
                if (k + j > 0) {
                    const auto kept = hn::Ge(hn::Abs(c[k][j]), t);
                    count = hn::Add(count, hn::IfThenElseZero(kept, one));
                    c[k][j] = hn::IfThenElseZero(kept, c[k][j]);
                } else {
                    count = hn::Add(count, one);
                }
            }
            if constexpr (kThree) {
                V b[8];
                loadBlockRow(bend, k, i, b);
                for (int j = 0; j < 8; ++j) {
                    const auto kept = hn::Ge(hn::Abs(b[j]), t);
                    count = hn::Add(count, hn::IfThenElseZero(kept, one));
                    c[k][j] = hn::MulAdd(hn::IfThenElseZero(kept, b[j]), s6, hn::Mul(c[k][j], s3));
                }
            }
        }
        const V w = hn::Div(one, count);
        for (int k = 0; k < 8; ++k) {
            V* r = c[k];
            inverse8(r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7]);
            for (int j = 0; j < 4; ++j) {
                float *e = acc.e(k) + i + j, *o = acc.o(k) + i + j;
                hn::StoreU(hn::MulAdd(r[2 * j], w, hn::LoadU(d, e)), d, e);
                hn::StoreU(hn::MulAdd(r[2 * j + 1], w, hn::LoadU(d, o)), d, o);
            }
        }
        for (int j = 0; j < 4; ++j) {
            float *e = wsum.e(0) + i + j, *o = wsum.o(0) + i + j;
            hn::StoreU(hn::Add(w, hn::LoadU(d, e)), d, e);
            hn::StoreU(hn::Add(w, hn::LoadU(d, o)), d, o);
        }
    }
}

// Back from halves to rows: adds to `sums` and `weights` (eight rows each).
HWY_INLINE void columnsInverse(Halves& acc, Halves& wsum, std::size_t pairs, float* sums, float* weights,
                               std::size_t stride) {
    const D d;
    const std::size_t n = hn::Lanes(d);
    for (std::size_t i = 0; i < pairs; i += n) {
        V e[8], o[8];
        for (int k = 0; k < 8; ++k) e[k] = hn::LoadU(d, acc.e(k) + i), o[k] = hn::LoadU(d, acc.o(k) + i);
        inverse8(e[0], e[1], e[2], e[3], e[4], e[5], e[6], e[7]);
        inverse8(o[0], o[1], o[2], o[3], o[4], o[5], o[6], o[7]);
        const V we = hn::LoadU(d, wsum.e(0) + i), wo = hn::LoadU(d, wsum.o(0) + i);
        for (int k = 0; k < 8; ++k) {
            V a, b;
            float* s = sums + k * stride + 2 * i;
            hn::LoadInterleaved2(d, s, a, b);
            hn::StoreInterleaved2(hn::Add(a, e[k]), hn::Add(b, o[k]), d, s);
            float* w = weights + k * stride + 2 * i;
            hn::LoadInterleaved2(d, w, a, b);
            hn::StoreInterleaved2(hn::Add(a, we), hn::Add(b, wo), d, w);
        }
    }
}

void ShrinkPadded(const float* mean, const float* bend, std::size_t stride, std::size_t width, std::size_t height,
                  float threshold, float* sums, float* weights) {
    const std::size_t lanes = hn::Lanes(D()), pairs = width / 2, blocks = pairs - 3;
    Halves m, b, acc, w;
    m.resize(pairs + 2 * lanes + 8);
    b.resize(bend ? m.stride : 0);
    for (std::size_t y = 0; y + 8 <= height; y += 2) {
        columnsForward(mean + y * stride, stride, pairs, m);
        acc.resize(m.stride);
        w.resize(m.stride);
        if (bend) {
            columnsForward(bend + y * stride, stride, pairs, b);
            blockRow<true>(m, b, blocks, threshold, acc, w);
        } else {
            blockRow<false>(m, b, blocks, threshold, acc, w);
        }
        columnsInverse(acc, w, pairs, sums + y * stride, weights + y * stride, stride);
    }
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(ShrinkPadded);

namespace {

int mirrored(int i, int first, int end) {
    const int n = end - first;
    if (n == 1) return first;
    const int k = ((i - first) % (2 * n) + 2 * n) % (2 * n);
    return first + (k < n ? k : 2 * n - 1 - k);
}

// Copies `wanted` of the (mirrored) plane into `to`; samples the plane was not asked to hold are zero.
void gatherMirrored(const Plane& p, const Rect& whole, const Rect& wanted, float* to, std::size_t stride) {
    const Rect direct = wanted.intersected(p.area());
    for (int y = wanted.y; y < wanted.bottom(); ++y) {
        const int sy = std::clamp(mirrored(y, whole.y, whole.bottom()), p.area().y, p.area().bottom() - 1);
        const float* from = p.row(sy);
        float* row = to + static_cast<std::size_t>(y - wanted.y) * stride;
        std::memcpy(row + (direct.x - wanted.x), from + (direct.x - p.area().x), sizeof(float) * direct.w);
        const auto edge = [&](int x) {
            const int sx = std::clamp(mirrored(x, whole.x, whole.right()), p.area().x, p.area().right() - 1);
            row[x - wanted.x] = from[sx - p.area().x];
        };
        for (int x = wanted.x; x < direct.x; ++x) edge(x);
        for (int x = direct.right(); x < wanted.right(); ++x) edge(x);
    }
}

} // namespace

void dctShrink(std::span<const Plane> frames, const Rect& whole, float threshold, Plane& out) {
    const Rect r = out.area();
    // All blocks that touch the result: from the even column six before it to the one that starts on its last column.
    const int x0 = (r.x - 6) & ~1, y0 = (r.y - 6) & ~1;
    const Rect padded{x0, y0, ((r.right() + 1) & ~1) + 6 - x0, ((r.bottom() + 1) & ~1) + 6 - y0};
    const std::size_t stride = (static_cast<std::size_t>(padded.w) + 2 * 64 + 15) / 16 * 16;
    const std::size_t rows = static_cast<std::size_t>(padded.h) + 1, total = stride * rows;
    thread_local std::vector<float> buffer;
    buffer.assign(total * 5, 0.f);
    float *mean = buffer.data(), *bend = mean + total, *spare = bend + total, *sums = spare + total,
          *weights = sums + total;
    if (frames.size() == 3) {
        gatherMirrored(frames[0], whole, padded, mean, stride);
        gatherMirrored(frames[1], whole, padded, bend, stride);
        gatherMirrored(frames[2], whole, padded, spare, stride);
        const float s3 = static_cast<float>(std::sqrt(1.0 / 3)), s6 = static_cast<float>(std::sqrt(1.0 / 6));
        for (std::size_t i = 0; i < total; ++i) {
            const float a = mean[i], b = bend[i], c = spare[i];
            mean[i] = (a + b + c) * s3;
            bend[i] = (a - 2 * b + c) * s6;
        }
    } else {
        gatherMirrored(frames[0], whole, padded, mean, stride);
    }
    HWY_DYNAMIC_DISPATCH(ShrinkPadded)
    (mean, frames.size() == 3 ? bend : nullptr, stride, static_cast<std::size_t>(padded.w),
     static_cast<std::size_t>(padded.h), threshold, sums, weights);
    for (int y = r.y; y < r.bottom(); ++y) {
        const std::size_t at = static_cast<std::size_t>(y - y0) * stride + static_cast<std::size_t>(r.x - x0);
        float* to = out.row(y);
        for (int x = 0; x < r.w; ++x) to[x] = sums[at + x] / weights[at + x];
    }
}

} // namespace ulm
#endif
