#include "core/finish/look_file.h"

#include "core/engine/engine.h"
#include "core/engine/held_picture.h"
#include "core/finish/colour.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ulm {
namespace {

constexpr int kSide = 33;
using Triple = std::array<double, 3>;

constexpr Triple kWhite = {0.95047, 1.0, 1.08883}; // D65

double toLab(double t) { return t > 216.0 / 24389 ? std::cbrt(t) : (24389.0 / 27 * t + 16) / 116; }
double fromLab(double f) { return f * f * f > 216.0 / 24389 ? f * f * f : (116 * f - 16) * 27 / 24389; }

Triple labOf(const Triple& rgb) {
    Triple l;
    for (std::size_t c = 0; c < 3; ++c) l[c] = std::pow(std::clamp(rgb[c], 0.0, 1.0), kDisplayGamma);
    const double x = toLab((0.4123908 * l[0] + 0.3575843 * l[1] + 0.1804808 * l[2]) / kWhite[0]),
                 y = toLab((0.2126390 * l[0] + 0.7151687 * l[1] + 0.0721923 * l[2]) / kWhite[1]),
                 z = toLab((0.0193308 * l[0] + 0.1191948 * l[1] + 0.9505322 * l[2]) / kWhite[2]);
    return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

Triple rgbOf(const Triple& lab) {
    const double fy = (lab[0] + 16) / 116;
    const double x = kWhite[0] * fromLab(fy + lab[1] / 500), y = kWhite[1] * fromLab(fy),
                 z = kWhite[2] * fromLab(fy - lab[2] / 200);
    const Triple light = {3.2409699 * x - 1.5373832 * y - 0.4986108 * z, -0.9692436 * x + 1.8759675 * y + 0.0415551 * z,
                          0.0556301 * x - 0.2039770 * y + 1.0569715 * z};
    Triple rgb;
    for (std::size_t c = 0; c < 3; ++c) rgb[c] = std::pow(std::clamp(light[c], 0.0, 1.0), 1 / kDisplayGamma);
    return rgb;
}

std::string cubeText(const std::function<Triple(int r, int g, int b)>& entry) {
    std::string text = "# R'G'B' of BT.709\nLUT_3D_SIZE " + std::to_string(kSide) + "\n";
    for (int b = 0; b < kSide; ++b)
        for (int g = 0; g < kSide; ++g)
            for (int r = 0; r < kSide; ++r) {
                const Triple e = entry(r, g, b);
                char line[64];
                std::snprintf(line, sizeof line, "%.6f %.6f %.6f\n", e[0], e[1], e[2]);
                text += line;
            }
    return text;
}

} // namespace

std::string cubeOf(const std::function<StagePtr(const StagePtr&)>& chain) {
    PictureFormat f{kSide * kSide, kSide, 0, 0, 16, {1, 1, 1, false, 0}};
    Picture all = Picture::make(f, f.frame());
    for (int b = 0; b < kSide; ++b)
        for (int g = 0; g < kSide; ++g)
            for (int r = 0; r < kSide; ++r) {
                const int at = g * kSide + r;
                all.planes[0].row(b)[at] = float(r) / (kSide - 1);
                all.planes[1].row(b)[at] = float(g) / (kSide - 1);
                all.planes[2].row(b)[at] = float(b) / (kSide - 1);
            }
    const MatrixWeights w = matrixWeights(1);
    rgbToYcc(all, w);
    const StagePtr mapped = chain(heldPicture(all));
    const Picture kept = Engine(0).pull(*mapped, 0, f.frame(), {});
    Picture out = Picture::make(f, f.frame()); // what the engine gave may be shared
    for (std::size_t c = 0; c < 3; ++c) copySamples(kept.planes[c], out.planes[c]);
    yccToRgb(out, w);
    return cubeText([&](int r, int g, int b) {
        Triple e;
        for (std::size_t c = 0; c < 3; ++c) e[c] = std::clamp(double(out.planes[c].row(b)[g * kSide + r]), 0.0, 1.0);
        return e;
    });
}

Palette paletteOf(const std::vector<std::array<float, 3>>& colours) {
    Palette p;
    std::array<std::vector<double>, 3> axes;
    for (const auto& c : colours) {
        const Triple lab = labOf({double(c[0]), double(c[1]), double(c[2])});
        for (std::size_t k = 0; k < 3; ++k) axes[k].push_back(lab[k]);
    }
    for (std::size_t k = 0; k < 3; ++k) {
        std::vector<double>& v = axes[k];
        std::ranges::sort(v);
        const std::size_t cut = v.size() / 50, n = v.size() - 2 * cut;
        double sum = 0, square = 0;
        for (std::size_t i = cut; i < cut + n; ++i) sum += v[i], square += v[i] * v[i];
        p.mean[k] = sum / double(n);
        p.spread[k] = std::sqrt(std::max(0.0, square / double(n) - p.mean[k] * p.mean[k]));
    }
    return p;
}

std::string matchingCube(const Palette& from, const Palette& to) {
    constexpr double kFlat = 0.5; // a spread under which an axis holds nothing to go by
    Triple gain;
    for (std::size_t k = 0; k < 3; ++k)
        gain[k] = from.spread[k] < kFlat ? 1 : std::clamp(to.spread[k] / from.spread[k], 0.5, 2.0);
    return cubeText([&](int r, int g, int b) {
        Triple lab = labOf({r / double(kSide - 1), g / double(kSide - 1), b / double(kSide - 1)});
        for (std::size_t k = 0; k < 3; ++k) lab[k] = to.mean[k] + gain[k] * (lab[k] - from.mean[k]);
        return rgbOf(lab);
    });
}

} // namespace ulm
