#include "core/picture/hash_noise.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/picture/hash_noise.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Mixing as in PCG's output permutations (O'Neill 2014), applied to the place; `place`: of all but the column.
template <class D>
hn::Vec<D> Noise(D d, std::uint32_t x, std::uint32_t place) {
    const hn::RebindToUnsigned<D> u;
    auto h = hn::Xor(hn::Mul(hn::Add(hn::Set(u, x), hn::Iota(u, 0)), hn::Set(u, 0x9E3779B1u)), hn::Set(u, place));
    h = hn::Mul(hn::Xor(h, hn::ShiftRight<16>(h)), hn::Set(u, 0x7FEB352Du));
    h = hn::Mul(hn::Xor(h, hn::ShiftRight<15>(h)), hn::Set(u, 0x846CA68Bu));
    h = hn::Xor(h, hn::ShiftRight<16>(h));
    return hn::Mul(hn::ConvertTo(d, hn::BitCast(hn::RebindToSigned<D>(), h)), hn::Set(d, 1.f / 2147483648.f));
}

void AddNoise(float* row, int count, std::uint32_t x, std::uint32_t place, float gain) {
    const auto add = [&](auto d, int i) {
        const auto noise = Noise(d, x + std::uint32_t(i), place);
        hn::StoreU(hn::Add(hn::LoadU(d, row + i), hn::Mul(hn::Set(d, gain), noise)), d, row + i);
    };
    const hn::ScalableTag<float> d;
    const int n = int(hn::Lanes(d));
    int i = 0;
    for (; i + n <= count; i += n) add(d, i);
    for (; i < count; ++i) add(hn::CappedTag<float, 1>(), i);
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(AddNoise);

void addHashNoise(float* row, int count, std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed,
                  float gain) {
    const std::uint32_t place = (y * 0x85EBCA77u + 0x165667B1u) ^ (frame * 0xC2B2AE3Du + seed * 0x27D4EB2Fu);
    HWY_DYNAMIC_DISPATCH(AddNoise)(row, count, x, place, gain);
}

float hashNoise(std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed) {
    float noise = 0;
    addHashNoise(&noise, 1, x, y, frame, seed, 1);
    return noise;
}

} // namespace ulm
#endif
