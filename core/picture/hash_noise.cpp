#include "core/picture/hash_noise.h"

namespace ulm {

float hashNoise(std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed) {
    // Mixing as in PCG's output permutations (O'Neill 2014), applied to the place.
    std::uint32_t h = x * 0x9E3779B1u ^ (y * 0x85EBCA77u + 0x165667B1u) ^ (frame * 0xC2B2AE3Du + seed * 0x27D4EB2Fu);
    h = (h ^ (h >> 16)) * 0x7FEB352Du;
    h = (h ^ (h >> 15)) * 0x846CA68Bu;
    h ^= h >> 16;
    return static_cast<float>(static_cast<std::int32_t>(h)) * (1.f / 2147483648.f);
}

} // namespace ulm
