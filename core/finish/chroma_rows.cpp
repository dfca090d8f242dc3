#include "core/finish/chroma_rows.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/chroma_rows.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Full = hn::ScalableTag<float>;
using One = hn::CappedTag<float, 1>;

// Whole vectors, then what is left one by one: a row may end where its buffer does.
template <class Work>
void Along(int count, Work work) {
    const Full d;
    const int n = int(hn::Lanes(d));
    int x = 0;
    for (; x + n <= count; x += n) work(d, x);
    for (; x < count; ++x) work(One(), x);
}

void MixRows(const float* a, const float* b, float part, float* to, int count) {
    Along(count, [=](auto d, int x) {
        const auto v = hn::LoadU(d, a + x);
        hn::StoreU(hn::MulAdd(hn::Set(d, part), hn::Sub(hn::LoadU(d, b + x), v), v), d, to + x);
    });
}

void BlendRows(const float* a, const float* b, const float* c, const float* weight, float* to, int count) {
    Along(count, [=](auto d, int x) {
        auto v = hn::Mul(hn::Set(d, weight[0]), hn::LoadU(d, a + x));
        v = hn::MulAdd(hn::Set(d, weight[1]), hn::LoadU(d, b + x), v);
        hn::StoreU(hn::MulAdd(hn::Set(d, weight[2]), hn::LoadU(d, c + x), v), d, to + x);
    });
}

void WidenRow(const float* even, float evenPart, const float* odd, float oddPart, float* to, int pairs) {
    Along(pairs, [=](auto d, int k) {
        const auto e = hn::LoadU(d, even + k), o = hn::LoadU(d, odd + k);
        hn::StoreInterleaved2(hn::MulAdd(hn::Set(d, evenPart), hn::Sub(hn::LoadU(d, even + k + 1), e), e),
                              hn::MulAdd(hn::Set(d, oddPart), hn::Sub(hn::LoadU(d, odd + k + 1), o), o), d, to + 2 * k);
    });
}

void HalveRow(const float* from, const float* weight, float* to, int count) {
    Along(count, [=](auto d, int k) {
        hn::Vec<decltype(d)> before, at, after, unused;
        hn::LoadInterleaved2(d, from + 2 * k - 1, before, unused);
        hn::LoadInterleaved2(d, from + 2 * k, at, after);
        auto v = hn::Mul(hn::Set(d, weight[0]), before);
        v = hn::MulAdd(hn::Set(d, weight[1]), at, v);
        hn::StoreU(hn::MulAdd(hn::Set(d, weight[2]), after, v), d, to + k);
    });
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(MixRows);
HWY_EXPORT(BlendRows);
HWY_EXPORT(WidenRow);
HWY_EXPORT(HalveRow);

void mixRows(const float* a, const float* b, float part, float* to, int count) {
    HWY_DYNAMIC_DISPATCH(MixRows)(a, b, part, to, count);
}
void blendRows(const float* a, const float* b, const float* c, const float weight[3], float* to, int count) {
    HWY_DYNAMIC_DISPATCH(BlendRows)(a, b, c, weight, to, count);
}
void widenRow(const float* even, float evenPart, const float* odd, float oddPart, float* to, int pairs) {
    HWY_DYNAMIC_DISPATCH(WidenRow)(even, evenPart, odd, oddPart, to, pairs);
}
void halveRow(const float* from, const float weight[3], float* to, int count) {
    HWY_DYNAMIC_DISPATCH(HalveRow)(from, weight, to, count);
}

} // namespace ulm
#endif
