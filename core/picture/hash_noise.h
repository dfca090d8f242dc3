#pragma once

#include <cstdint>

namespace ulm {

/// A number in [−1, 1) that depends on these alone: the same dither or grain wherever a region is cut out.
float hashNoise(std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed);
/// Adds gain · hashNoise() to each sample of a row that begins at x.
void addHashNoise(float* row, int count, std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed,
                  float gain);

} // namespace ulm
