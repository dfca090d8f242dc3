#include "core/judge/scopes.h"

#include <algorithm>
#include <cmath>

namespace ulm {

Scopes scopesOf(const std::uint8_t* rgb, int width, int height, std::ptrdiff_t stride) {
    constexpr int kColumns = Scopes::kColumns, kLevels = Scopes::kLevels;
    Scopes s;
    s.waveform.assign(std::size_t(kLevels) * kColumns, 0);
    s.colours.assign(std::size_t(kLevels) * kLevels, 0);
    for (auto& channel : s.levels) channel.fill(0);
    if (width <= 0 || height <= 0) return s;
    const float whole = 1.f / (float(width) * float(height));
    // By place in 0…1, the two ends included.
    const auto at = [](float v) { return std::clamp(int(v * kLevels), 0, kLevels - 1); };
    std::vector<float> counted(kColumns, 0);
    for (int x = 0; x < width; ++x) counted[std::size_t(x * kColumns / width)] += float(height);
    for (int y = 0; y < height; ++y) {
        const std::uint8_t* p = rgb + y * stride;
        for (int x = 0; x < width; ++x, p += 3) {
            const float r = float(p[0]) / 255, g = float(p[1]) / 255, b = float(p[2]) / 255;
            const float luma = 0.2126f * r + 0.7152f * g + 0.0722f * b;
            const float cb = (b - luma) / 1.8556f, cr = (r - luma) / 1.5748f;
            const auto column = std::size_t(x * kColumns / width);
            s.waveform[std::size_t(at(1 - luma)) * kColumns + column] += 1 / counted[column];
            s.colours[std::size_t(at(0.5f - cr)) * kLevels + std::size_t(at(cb + 0.5f))] += whole;
            for (std::size_t c = 0; c < 3; ++c) s.levels[c][p[c]] += whole;
            s.black += std::min({p[0], p[1], p[2]}) == 0 ? double(whole) : 0;
            s.white += std::max({p[0], p[1], p[2]}) == 255 ? double(whole) : 0;
        }
    }
    return s;
}

} // namespace ulm
