#pragma once

#include <array>
#include <cstdint>
#include <vector>

namespace ulm {

/// How a picture's light and colour are spread, as shares of its pixels.
struct Scopes {
    static constexpr int kColumns = 96, kLevels = 96;
    std::vector<float> waveform;                  ///< kLevels rows from white to black × kColumns: of each column
    std::array<std::array<float, 256>, 3> levels; ///< of R', G', B', by 8-bit code of full range
    std::vector<float> colours;                   ///< kLevels rows from +0.5 to −0.5 of Cr × as many columns of Cb
    double black = 0, white = 0;                  ///< with a channel at its lowest, or at its highest code
};

/// rgb: 8-bit R'G'B' of full range, three bytes a pixel, rows `stride` bytes apart; luma and chroma by BT.709.
Scopes scopesOf(const std::uint8_t* rgb, int width, int height, std::ptrdiff_t stride);

} // namespace ulm
