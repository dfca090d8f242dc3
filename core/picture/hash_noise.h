#pragma once

#include <cstdint>

namespace ulm {

/// A number in [−1, 1) that depends on these alone: the same dither or grain wherever a region is cut out.
float hashNoise(std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed);

} // namespace ulm
