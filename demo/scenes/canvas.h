#pragma once

#include "core/picture/text.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <string>
#include <tbb/parallel_for.h>
#include <vector>

namespace ulm::demo {

/// Linear-ish display colour, 0…1.
struct Rgb {
    float r = 0, g = 0, b = 0;
    Rgb operator*(float k) const { return {r * k, g * k, b * k}; }
    Rgb operator*(const Rgb& o) const { return {r * o.r, g * o.g, b * o.b}; }
    Rgb operator+(const Rgb& o) const { return {r + o.r, g + o.g, b + o.b}; }
};

inline float clamp01(float v) { return v < 0 ? 0 : v > 1 ? 1 : v; }
inline float smooth(float a, float b, float v) {
    const float t = clamp01((v - a) / (b - a));
    return t * t * (3 - 2 * t);
}
/// std::hypot guards against overflow at ten times the cost.
inline float len(float x, float y) { return std::sqrt(x * x + y * y); }
inline Rgb mix(const Rgb& a, const Rgb& b, float t) { return a * (1 - t) + b * t; }
inline Rgb hex(std::uint32_t c) {
    return {float(c >> 16 & 255) / 255, float(c >> 8 & 255) / 255, float(c & 255) / 255};
}

/// A picture in the making. Scene coordinates: y runs 0…1 over the height, x 0…width/height.
class Canvas {
public:
    Canvas(int w, int h) : w(w), h(h), pixels(static_cast<std::size_t>(w) * h) {}
    Rgb& at(int x, int y) { return pixels[static_cast<std::size_t>(y) * w + x]; }
    const Rgb& at(int x, int y) const { return pixels[static_cast<std::size_t>(y) * w + x]; }
    /// Bilinear, clamped; pixel coordinates.
    Rgb sample(float x, float y) const;
    float aspect() const { return float(w) / float(h); }

    int w, h;
    std::vector<Rgb> pixels;
};

inline Rgb Canvas::sample(float x, float y) const {
    x = std::clamp(x - 0.5f, 0.f, float(w) - 1.001f);
    y = std::clamp(y - 0.5f, 0.f, float(h) - 1.001f);
    const int ix = static_cast<int>(x), iy = static_cast<int>(y);
    const float fx = x - float(ix), fy = y - float(iy), right = fx * fy;
    const Rgb *a = &at(ix, iy), *b = a + (iy + 1 < h ? w : 0);
    const int next = ix + 1 < w;
    return a[0] * (1 - fx - fy + right) + a[next] * (fx - right) + b[0] * (fy - right) + b[next] * right;
}

/// Calls shade(x, y) for every pixel, in parallel, and stores what it returns. `samples`: each pixel is the mean of
/// samples × samples points.
template <class Shade>
void paint(Canvas& c, const Shade& shade, int samples = 1) {
    const float inv = 1 / float(c.h), step = 1 / float(samples);
    tbb::parallel_for(0, c.h, [&](int y) {
        for (int x = 0; x < c.w; ++x) {
            Rgb sum;
            for (int j = 0; j < samples; ++j)
                for (int i = 0; i < samples; ++i)
                    sum = sum + shade((float(x) + (float(i) + 0.5f) * step) * inv,
                                      (float(y) + (float(j) + 0.5f) * step) * inv);
            c.at(x, y) = sum * (step * step);
        }
    });
}

/// The same inside a box of scene coordinates only; shade(x, y, there) gets what is there already.
template <class Shade>
void paintOver(Canvas& c, float x0, float y0, float x1, float y1, const Shade& shade) {
    const int ax = std::clamp(int(x0 * float(c.h)), 0, c.w), bx = std::clamp(int(x1 * float(c.h)) + 1, 0, c.w);
    const int ay = std::clamp(int(y0 * float(c.h)), 0, c.h), by = std::clamp(int(y1 * float(c.h)) + 1, 0, c.h);
    const float inv = 1 / float(c.h);
    if (ay >= by) return;
    tbb::parallel_for(ay, by, [&](int y) {
        for (int x = ax; x < bx; ++x) c.at(x, y) = shade((float(x) + 0.5f) * inv, (float(y) + 0.5f) * inv, c.at(x, y));
    });
}

inline std::uint32_t hash(std::uint32_t x, std::uint32_t y, std::uint32_t seed) {
    std::uint32_t h = x * 0x9E3779B1u ^ y * 0x85EBCA77u ^ seed * 0xC2B2AE3Du;
    h ^= h >> 15;
    h *= 0x2C1B3C6Du;
    h ^= h >> 12;
    h *= 0x297A2D39u;
    return h ^ (h >> 15);
}

/// Smooth value noise round a turning thing: `turns` 0…1 wraps, `cells` of them around.
inline float ringNoise(float turns, float y, std::uint32_t cells, std::uint32_t seed) {
    turns -= float(static_cast<int>(turns) - (turns < 0));
    const float x = turns * float(cells);
    const auto ix = static_cast<std::uint32_t>(x), jx = (ix + 1) % cells;
    const int ly = static_cast<int>(y) - (y < 0);
    const auto iy = static_cast<std::uint32_t>(ly);
    float tx = x - float(ix), ty = y - float(ly);
    tx = tx * tx * (3 - 2 * tx);
    ty = ty * ty * (3 - 2 * ty);
    const auto v = [&](std::uint32_t i, std::uint32_t j) {
        return float(hash(i, iy + j, seed) >> 8) * (1.f / 16777216);
    };
    const float a = v(ix % cells, 0) + (v(jx, 0) - v(ix % cells, 0)) * tx,
                b = v(ix % cells, 1) + (v(jx, 1) - v(ix % cells, 1)) * tx;
    return a + (b - a) * ty;
}

/// Smooth value noise in 2-D, 0…1, and sums of it over octaves. Deterministic.
inline float noise(float x, float y, std::uint32_t seed = 0) {
    // Truncation and a correction: a call of floor() costs more than all the rest here.
    const int lx = static_cast<int>(x) - (x < 0), ly = static_cast<int>(y) - (y < 0);
    const auto ix = static_cast<std::uint32_t>(lx), iy = static_cast<std::uint32_t>(ly);
    float tx = x - float(lx), ty = y - float(ly);
    tx = tx * tx * (3 - 2 * tx);
    ty = ty * ty * (3 - 2 * ty);
    const auto v = [&](std::uint32_t i, std::uint32_t j) {
        return float(hash(ix + i, iy + j, seed) >> 8) * (1.f / 16777216);
    };
    const float a = v(0, 0) + (v(1, 0) - v(0, 0)) * tx, b = v(0, 1) + (v(1, 1) - v(0, 1)) * tx;
    return a + (b - a) * ty;
}
inline float fractal(float x, float y, int octaves, std::uint32_t seed = 0) {
    float sum = 0, gain = 0.5f;
    for (int i = 0; i < octaves; ++i, gain *= 0.5f, x *= 2.03f, y *= 2.03f)
        sum += gain * noise(x, y, seed + static_cast<std::uint32_t>(i));
    return sum;
}

/// Draws text with its left edge and baseline-box top at (x, y) scene coordinates, em height `size`, optional turn.
void drawText(Canvas&, const std::string& text, float x, float y, float size, const Rgb& ink, bool bold = true,
              float turn = 0);

} // namespace ulm::demo
