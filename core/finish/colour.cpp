#include "core/finish/colour.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ulm {
namespace {

// XYZ to linear RGB of Rec. 709 (IEC 61966-2-1).
constexpr double kToRgb[3][3] = {{3.2406, -1.5372, -0.4986}, {-0.9689, 1.8758, 0.0415}, {0.0557, -0.2040, 1.0570}};
constexpr double kWeights[3] = {0.2126, 0.7152, 0.0722};
constexpr double kWhiteMired = 1e6 / 6504;

std::array<double, 3> daylight(double mired) {
    const double t = 1e6 / std::clamp(mired, 40.0, 250.0), u = 1e3 / t;
    const double x = t <= 7000 ? 0.244063 + 0.09911 * u + 2.9678 * u * u - 4.6070 * u * u * u
                               : 0.237040 + 0.24748 * u + 1.9018 * u * u - 2.0064 * u * u * u;
    const double y = -3 * x * x + 2.87 * x - 0.275;
    const double xyz[3] = {x / y, 1, (1 - x - y) / y};
    std::array<double, 3> rgb{};
    for (std::size_t c = 0; c < 3; ++c)
        for (std::size_t k = 0; k < 3; ++k) rgb[c] += kToRgb[c][k] * xyz[k];
    return rgb;
}

double shoulder(double v, double gain) {
    constexpr double kKnee = 0.75;
    if (gain <= 1 || v <= kKnee) return v;
    if (v >= gain) return 1 + (v - gain);
    return kKnee + (1 - kKnee) * (1 - std::pow(1 - (v - kKnee) / (gain - kKnee), (gain - kKnee) / (1 - kKnee)));
}

double bernstein(const Colour& c, double v) {
    const double u = 1 - v, middle = 0.25 * c.lightness / 100;
    const double low = 0.25 * std::clamp(1 + c.shadows / 100 + c.lightness / 200, 0.0, 2.0), mid = 0.5 + middle,
                 high = 1 - 0.25 * std::clamp(1 - c.lights / 100 - c.lightness / 200, 0.0, 2.0);
    // Ordinates in order, so that the curve is monotone whatever is asked.
    const double p1 = std::min(low, mid), p2 = std::clamp(mid, p1, 1.0), p3 = std::max(high, p2);
    return 4 * v * u * u * u * p1 + 6 * v * v * u * u * p2 + 4 * v * v * v * u * p3 + v * v * v * v;
}

double contrasted(const Colour& c, double v) {
    const double p = c.pivot / 100, slope = std::exp2(c.contrast / 100);
    // Of t in [0, 1], from the end to the pivot. Less contrast by a parabola: a power below 1 is too steep at the ends.
    const auto half = [&](double t) { return slope >= 1 ? std::pow(t, slope) : t + (1 - slope) * t * (1 - t); };
    return v < p ? p * half(v / p) : 1 - (1 - p) * half((1 - v) / (1 - p));
}

} // namespace

bool Colour::acts() const {
    Colour still;
    still.pivot = pivot; // of itself it does nothing
    return !(*this == still);
}

std::array<double, 3> whiteGains(double warmth, double tint) {
    const auto to = daylight(kWhiteMired + warmth), from = daylight(kWhiteMired);
    std::array<double, 3> g{};
    double luma = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        g[c] = to[c] / from[c] * (c == 1 ? std::exp2(tint / 100) : 1);
        luma += kWeights[c] * g[c];
    }
    for (double& v : g) v /= luma;
    return g;
}

WhiteBalance whiteBalanceFor(const std::array<double, 3>& light) {
    // Warmth alone sets the ratio of red to blue, and more of it raises that.
    const double wanted = light[2] / light[0];
    double low = -100, high = 100;
    for (int k = 0; k < 60; ++k) {
        const double middle = (low + high) / 2;
        const auto g = whiteGains(middle, 0);
        (g[0] / g[2] < wanted ? low : high) = middle;
    }
    WhiteBalance b;
    b.warmth = (low + high) / 2;
    const auto g = whiteGains(b.warmth, 0);
    const double others = (g[0] * light[0] + g[2] * light[2]) / 2;
    b.tint = std::clamp(100 * std::log2(others / (g[1] * light[1])), -100.0, 100.0);
    return b;
}

double toneOf(const Colour& c, double gain, double signal) {
    const double g = std::pow(gain, 1 / kDisplayGamma);
    const double lit = signal <= 0 ? signal : shoulder(signal * g, g);
    const auto curve = [&](double v) { return contrasted(c, bernstein(c, v)); };
    if (lit <= 0) return curve(0) + lit;
    if (lit >= 1) return curve(1) + lit - 1;
    return curve(lit);
}

ChromaTurn::ChromaTurn(const Colour& c) : vibrance(c.vibrance / 100) {
    const double angle = c.hue * std::numbers::pi / 180, much = 1 + c.saturation / 100;
    cos = much * std::cos(angle);
    sin = much * std::sin(angle);
}

std::array<double, 3> colouredReference(const Colour& c, const std::array<double, 3>& rgb, double kr, double kb,
                                        const ToneCurve& curve) {
    const auto gains = whiteGains(c.warmth, c.tint);
    double v[3];
    for (std::size_t k = 0; k < 3; ++k) v[k] = curve(toneOf(c, gains[k] * std::exp2(c.exposure), rgb[k]));
    const double kg = 1 - kr - kb, y = kr * v[0] + kg * v[1] + kb * v[2];
    const double b0 = (v[2] - y) / (2 * (1 - kb)), r0 = (v[0] - y) / (2 * (1 - kr));
    const ChromaTurn turn(c);
    const double length = std::hypot(b0, r0), pale = std::max(0.0, 1 - length / ChromaTurn::kFull);
    const double near = skinLikeness(float(b0), float(r0));
    const double raise = 1 + turn.vibrance * pale * pale * (1 - ChromaTurn::kSkinSpared * near);
    const double b = raise * (turn.cos * b0 - turn.sin * r0), r = raise * (turn.sin * b0 + turn.cos * r0);
    const double red = y + 2 * (1 - kr) * r, blue = y + 2 * (1 - kb) * b;
    return {red, (y - kr * red - kb * blue) / kg, blue};
}

} // namespace ulm
