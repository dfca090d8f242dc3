#include "demo/scenes/pottery.h"

#include <algorithm>

namespace ulm::demo {

Rgb plaster(float x, float y, std::uint32_t seed) {
    const float broad = fractal(x * 3, y * 3, 3, seed), fine = fractal(x * 90, y * 90, 3, seed + 7);
    const float slope = fractal(x * 90 + 0.5f, y * 90 + 0.5f, 3, seed + 7) - fine;
    const float light = 0.66f + 0.22f * (1 - x * 0.6f) - 0.16f * y + 0.12f * (broad - 0.5f) + 0.30f * slope;
    return Rgb{0.78f, 0.71f, 0.63f} * light;
}

Rgb boards(float x, float y, std::uint32_t seed) {
    const float board = std::floor(y * 7);
    const float grain = fractal(x * 5 + board * 13, y * 160, 4, seed + 31),
                streak = noise(x * 2 + board * 7, y * 420, seed + 5);
    const float seam = smooth(0.f, 0.03f, std::abs(y * 7 - board)) * 0.35f + 0.65f;
    const float light = (0.5f + 0.45f * grain + 0.12f * (streak - 0.5f)) * seam * (1 - 0.45f * y);
    return Rgb{0.47f, 0.31f, 0.20f} * light * 1.25f;
}

float Vessel::halfWidth(float k) const {
    return rim + (foot - rim) * k * (0.3f + 0.7f * k) + belly * std::sin(3.14159f * std::min(1.f, k * 1.1f));
}

void Vessel::bake() {
    wall = std::make_shared<Canvas>(1025, 512); // the last column is the first again
    const float inv = 1 / float(wall->w - 1);
    tbb::parallel_for(0, wall->h, [&](int y) {
        for (int x = 0; x < wall->w; ++x) {
            const float around = float(x) * inv, hk = (float(y) + 0.5f) / float(wall->h);
            const float drip = glazeDown + 0.16f * (ringNoise(around, 0.5f, 9, seed) +
                                                    0.5f * ringNoise(around, 0.5f, 21, seed + 1) - 0.75f);
            const float glazed = smooth(0.012f, -0.012f, hk - drip);
            const float grain =
                0.6f * ringNoise(around, hk * 70, 130, seed + 11) + 0.4f * ringNoise(around, hk * 160, 300, seed + 12);
            const float speck = smooth(0.80f, 0.90f, ringNoise(around, hk * 62, 120, seed + 17));
            wall->at(x, y) = mix(clay * (0.78f + 0.45f * grain),
                                 mix(glaze, glaze * 0.35f, speck * 0.7f) * (0.9f + 0.25f * grain), glazed);
        }
    });
}

Rgb Vessel::shade(float x, float y, float turn, float px, const Rgb& behind) const {
    const float dx = x - cx, ry = rim * tilt;
    // The open mouth: an ellipse at the top, through which the inner wall shows.
    const float mouth =
        std::abs(y - top) > ry ? 2.f : std::sqrt(dx * dx / (rim * rim) + (y - top) * (y - top) / (ry * ry));
    if (std::abs(dx) > rim + belly + 0.01f) return behind;
    const float lip = 0.93f;
    if (mouth < lip) {
        const float angle = std::atan2((y - top) / ry, dx / rim) + turn;
        const float rings = std::sin((mouth * 60 + angle / 6.2832f * 2) * 6.2832f * 0.45f);
        const float depth = smooth(0, lip, mouth);
        const float speck = ringNoise(angle / 6.2832f, mouth * 26, 90, seed + 3);
        const float light = 0.30f + 0.45f * depth * (0.5f + 0.5f * std::sin(std::atan2(y - top, dx) + 0.6f)) +
                            0.07f * rings + 0.10f * (speck - 0.5f);
        return glaze * (light * 1.35f);
    }
    const float k = (y - top) / (bottom - top);
    const float bodyTop = top; // below the rim's front edge the outer wall begins
    Rgb out = behind;
    const float kk = clamp01(k);
    const float half = halfWidth(kk);
    const float s = dx / half;
    const float front = std::sqrt(std::max(0.f, 1 - s * s));
    // Each ring of the wall is an ellipse: its visible front lies lower in the middle.
    const float hk = clamp01((y - front * half * tilt * 0.92f - bodyTop) / (bottom - bodyTop));
    const float footLine = bottom + front * foot * tilt;
    const float cover = smooth(0, 1.5f * px, half - std::abs(dx)) * smooth(0, 1.5f * px, footLine - y);
    if (mouth >= 1 && y > top && cover > 0) {
        const float angle = std::asin(std::clamp(s, -1.f, 1.f)) + turn;
        const float around = angle / 6.2832f;
        const float ridges = std::sin(hk * 150 + std::sin(angle) * 0.7f);
        const float turns = around - float(static_cast<int>(around) - (around < 0));
        const Rgb base = wall->sample(turns * float(wall->w - 1) + 0.5f, hk * float(wall->h));
        const float nx = s + 0.05f * std::cos(hk * 150), ny = 0.18f + 0.16f * ridges;
        const float lambert = std::max(0.f, -0.55f * nx + 0.42f * (0.3f - ny) + 0.72f * front);
        const float band = std::max(0.f, 1 - std::abs(s + 0.52f) * 2.6f), band2 = band * band;
        const float shine = band2 * band2 * band2 * (0.22f + 0.75f * smooth(glazeDown + 0.06f, glazeDown - 0.06f, hk)) *
                            (0.75f + 0.25f * ridges);
        const float light = 0.26f + 0.95f * lambert;
        out = mix(out, base * light + Rgb{1, 0.97f, 0.9f} * (shine * 0.55f), cover);
    }
    // The lip's rounded edge catches the light.
    const float lipCover = smooth(lip - 0.01f, lip + 0.005f, mouth) * smooth(1.02f, 1.0f - 1.5f * px / rim, mouth);
    if (lipCover > 0) {
        const float bright = 0.85f + 0.4f * smooth(0.5f, -0.9f, dx / rim);
        out = mix(out, mix(glaze, clay, 0.45f) * bright * 1.25f, lipCover);
    }
    return out;
}

void drawTag(Canvas& c, float x, float y, float width, float turn, const std::vector<std::string>& lines,
             float hangFrom) {
    const float height = width * (0.34f + 0.17f * float(lines.size())), co = std::cos(turn), si = std::sin(turn),
                px = 1 / float(c.h);
    const float holeX = width * 0.5f, holeY = height * 0.1f;
    const float knotX = x + holeX * co - holeY * si, knotY = y + holeX * si + holeY * co;
    const float reach = width + height;
    paintOver(c, x - reach, hangFrom, x + reach, y + reach, [&](float px_, float py, const Rgb& there) {
        const float dx = px_ - x, dy = py - y, u = dx * co + dy * si, v = dy * co - dx * si;
        const float inside = std::min(std::min(u, width - u), std::min(v, height - v));
        const float shadow =
            std::min(std::min(u - 0.012f, width + 0.012f - u), std::min(v - 0.014f, height + 0.014f - v));
        Rgb out = there * (1 - 0.35f * smooth(-0.012f, 0.012f, shadow) * (inside < 0 ? 1.f : 0.f));
        const float fibre = fractal(u * 260, v * 260, 2, 77);
        const float hole = len(u - holeX, v - holeY) - width * 0.035f;
        const Rgb paper = Rgb{0.93f, 0.90f, 0.82f} * (0.90f + 0.12f * fibre);
        out = mix(out, mix(Rgb{0.30f, 0.24f, 0.18f}, paper, smooth(-px, px, hole)), smooth(-px, px, inside));
        // The string, from the knot straight up to where it hangs.
        const float along = (py - hangFrom) / std::max(1e-3f, knotY - hangFrom);
        if (along >= 0 && along <= 1) {
            const float sx = knotX + 0.02f * (1 - along) + 0.004f * std::sin(along * 9);
            out = mix(out, Rgb{0.25f, 0.20f, 0.15f}, smooth(1.6f * px, 0.6f * px, std::abs(px_ - sx)));
        }
        return out;
    });
    float line = height * 0.2f;
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const float size = width * (i == 0 ? 0.135f : 0.105f);
        const float tx = width * 0.08f;
        drawText(c, lines[i], x + tx * co - line * si, y + tx * si + line * co, size, Rgb{0.16f, 0.13f, 0.11f}, i == 0,
                 turn);
        line += size * 1.45f;
    }
}

} // namespace ulm::demo
