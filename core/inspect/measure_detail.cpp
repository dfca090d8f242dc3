#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ulm::measure {
namespace {

constexpr int kSide = 64, kHalf = kSide / 2;
using Spectrum = std::array<double, kHalf + 1>;

struct Tables {
    std::array<std::array<float, kSide>, kHalf + 1> cosine, sine; ///< windowed
    Tables() {
        for (int f = 0; f <= kHalf; ++f)
            for (int i = 0; i < kSide; ++i) {
                const double window = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (i + 0.5) / kSide),
                             turn = 2 * std::numbers::pi * f * i / kSide;
                cosine[f][i] = static_cast<float>(window * std::cos(turn));
                sine[f][i] = static_cast<float>(window * std::sin(turn));
            }
    }
};

void addPower(const float* s, std::ptrdiff_t step, Spectrum& to) {
    static const Tables t;
    float line[kSide], mean = 0;
    for (int i = 0; i < kSide; ++i) line[i] = s[i * step], mean += line[i] / kSide;
    for (int i = 0; i < kSide; ++i) line[i] -= mean;
    for (int f = 1; f <= kHalf; ++f) {
        float re = 0, im = 0;
#pragma omp simd reduction(+ : re, im)
        for (int i = 0; i < kSide; ++i) re += line[i] * t.cosine[f][i], im += line[i] * t.sine[f][i];
        to[f] += double(re) * re + double(im) * im;
    }
}

// The frequency (share of the highest) beyond which the weighted spectrum has fallen away.
double cutoff(const Spectrum& power) {
    double floor = power[kHalf]; // what is left at the very top is noise and rounding
    for (int f = kHalf - 3; f < kHalf; ++f) floor = std::min(floor, power[f]);
    Spectrum w{};
    double reference = 0;
    for (int f = 1; f <= kHalf; ++f) w[f] = std::max(0.0, power[f] - 1.15 * floor) * f * f;
    for (int f = 3; f <= 7; ++f) reference += w[f] / 5;
    if (reference <= 0) return 0;
    // The first frequency from which four in a row stay below a fifth of it: an interpolated picture's images beyond
    // its own lines may rise again.
    for (int f = 8; f + 4 <= kHalf; ++f)
        if (std::max({w[f], w[f + 1], w[f + 2], w[f + 3]}) < 0.2 * reference) return double(f) / kHalf;
    return 1; // up to what any lens and sampling leave
}

} // namespace

double detail(const Plane& p) {
    struct Busy {
        double energy;
        int x, y;
    };
    const Rect r = p.area();
    std::vector<Busy> blocks;
    for (int y = r.y; y + kSide <= r.bottom(); y += kSide)
        for (int x = r.x; x + kSide <= r.right(); x += kSide) {
            double e = 0;
            for (int j = 2; j < kSide - 2; j += 4) {
                const float* s = p.row(y + j) + (x - r.x);
                for (int i = 2; i < kSide - 2; ++i) e += std::abs(s[i + 1] - s[i]) + std::abs(s[i + p.stride()] - s[i]);
            }
            blocks.push_back({e, x, y});
        }
    const std::size_t take = std::min<std::size_t>(24, (blocks.size() + 2) / 3);
    if (take == 0) return 0;
    std::ranges::partial_sort(blocks, blocks.begin() + static_cast<std::ptrdiff_t>(take), std::greater{},
                              &Busy::energy);
    if (blocks.front().energy / (15.0 * 60 * 2) * kSteps < 1.0) return 0;
    Spectrum across{}, down{};
    for (std::size_t b = 0; b < take; ++b)
        for (int i = 2; i < kSide; i += 4) {
            addPower(p.row(blocks[b].y + i) + (blocks[b].x - r.x), 1, across);
            addPower(p.row(blocks[b].y) + (blocks[b].x - r.x + i), p.stride(), down);
        }
    return std::max(cutoff(across), cutoff(down));
}

} // namespace ulm::measure
