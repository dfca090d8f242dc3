#pragma once

#include "core/finish/curve.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ulm {

/// Light and colour, as a person sets them. All zero: nothing changes.
struct Colour {
    double exposure = 0;   ///< stops, [-3, 3]: light is multiplied by 2^exposure
    double warmth = 0;     ///< mired, [-100, 100]: what the white point moves by along daylight; above 0 warmer
    double tint = 0;       ///< hundredths of a stop of green, [-100, 100]; above 0 greener, below 0 more magenta
    double contrast = 0;   ///< [-100, 100]: slope of the tone curve at the pivot is 2^(contrast / 100)
    double pivot = 45;     ///< % of the signal, [10, 90]: the tone that contrast leaves where it is
    double shadows = 0;    ///< [-100, 100]: lifts or lowers tones around a quarter of the signal
    double lights = 0;     ///< [-100, 100]: the same around three quarters
    double lightness = 0;  ///< [-100, 100]: the middle tones
    double saturation = 0; ///< %, [-100, 100]: of colour
    double vibrance = 0;   ///< %, [-100, 100]: the same for pale colours, hardly for strong ones and skin
    double hue = 0;        ///< degrees, [-180, 180]: turned in the plane of chroma
    bool operator==(const Colour&) const = default;
    bool acts() const;
};

/// The power of light that a signal stands for: ITU-R BT.1886, light = signal^2.4. A gain of light is therefore a plain
/// gain of the signal, of its 2.4th root.
inline constexpr double kDisplayGamma = 2.4;

/// Gains of R, G and B light that move white by `warmth` along the CIE daylight locus (CIE 15:2004, 3.1) from D65 and
/// by `tint` in green, luminance of white kept; Rec. 709 primaries.
std::array<double, 3> whiteGains(double warmth, double tint);

/// The warmth and tint that make light of these R, G, B (each > 0) grey: what a click on grey sets. Clipped to their
/// ranges.
struct WhiteBalance {
    double warmth = 0, tint = 0;
};
WhiteBalance whiteBalanceFor(const std::array<double, 3>& light);

/// What becomes of a signal of one colour channel whose light is multiplied by `gain`: a gain above 1 bends into white
/// instead of clipping (from 75 % of the signal; whites stay white); then shadows, lights and lightness, a curve of
/// Bernstein polynomials of degree 4 whose ordinates are moved; then contrast (the curve of places set comes after), a
/// power curve (for less, a parabola) below the pivot, and mirrored above. Monotone; 0 and 1 stay where they are but
/// for gains below 1. Below 0 and above 1 the slope is 1.
double toneOf(const Colour&, double gain, double signal);

/// R'G'B' in [0, 1], mapped in double precision, as the stage does it in float: the reference. curve: of every
/// channel's signal, after contrast.
std::array<double, 3> colouredReference(const Colour&, const std::array<double, 3>& rgb, double kr, double kb,
                                        const ToneCurve& curve = {});

/// Parts of the plane of chroma in which saturation acts; shared by reference and stage.
struct ChromaTurn {
    explicit ChromaTurn(const Colour&);
    double cos, sin;                                           ///< of the hue, times the saturation
    double vibrance;                                           ///< [-1, 1]
    static constexpr double kFull = 0.35;                      ///< length of chroma from which a colour is strong
    static constexpr double kSkinCb = -0.545, kSkinCr = 0.839; ///< direction of skin: 123° from Cb
    static constexpr double kSkinNear = 0.766;                 ///< cosine of 40°: so far from it skin ends
    static constexpr double kSkinSpared = 0.8;
};

/// How near a colour comes to the direction of skin in the plane of chroma, [0, 1]; 0 for grey.
inline float skinLikeness(float cb, float cr) {
    const float length = std::max(std::sqrt(cb * cb + cr * cr), 1e-6f);
    constexpr auto kCb = float(ChromaTurn::kSkinCb), kCr = float(ChromaTurn::kSkinCr),
                   kNear = float(ChromaTurn::kSkinNear);
    return std::max(0.f, ((cb * kCb + cr * kCr) / length - kNear) / (1 - kNear));
}

} // namespace ulm
