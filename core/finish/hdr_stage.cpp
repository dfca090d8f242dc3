#include "core/finish/hdr_stage.h"

#include "core/finish/colour.h"
#include "core/finish/hdr_map.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr double kM1 = 2610.0 / 16384, kM2 = 2523.0 / 32, kC1 = 3424.0 / 4096, kC2 = 2413.0 / 128, kC3 = 2392.0 / 128;

// From light as shown, cd/m², to the signal.
void finish(double* light) {
    double rgb[3];
    for (int c = 0; c < 3; ++c) {
        rgb[c] = 0;
        for (int k = 0; k < 3; ++k) rgb[c] += kHdrTo709[c][k] * light[k] / kHdrWhite;
    }
    const double luma = kLuminance709[0] * rgb[0] + kLuminance709[1] * rgb[1] + kLuminance709[2] * rgb[2];
    const double least = std::min({rgb[0], rgb[1], rgb[2]}), most = std::max({rgb[0], rgb[1], rgb[2]});
    double keep = 1;
    if (least < 0 && luma > least) keep = std::min(keep, luma / (luma - least));
    if (most > 1 && most > luma) keep = std::min(keep, std::max(0.0, (1 - luma) / (most - luma)));
    for (int c = 0; c < 3; ++c)
        light[c] = std::pow(std::clamp(luma + keep * (rgb[c] - luma), 0.0, 1.0), 1 / kDisplayGamma);
}

} // namespace

double pqLight(double signal) {
    const double p = std::pow(std::clamp(signal, 0.0, 1.0), 1 / kM2);
    return 10000 * std::pow(std::max(0.0, p - kC1) / (kC2 - kC3 * p), 1 / kM1);
}

double pqSignal(double light) {
    const double p = std::pow(std::clamp(light / 10000, 0.0, 1.0), kM1);
    return std::pow((kC1 + kC2 * p) / (1 + kC3 * p), kM2);
}

double hlgLinear(double v) {
    constexpr double a = 0.17883277, b = 0.28466892, c = 0.55991073;
    return v <= 0.5 ? v * v / 3 : (std::exp((v - c) / a) + b) / 12;
}

std::array<double, 3> hlgLight(const std::array<double, 3>& signal) {
    std::array<double, 3> light{};
    double luminance = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        light[c] = hlgLinear(std::clamp(signal[c], 0.0, 1.0));
        luminance += kHdrLuminance[c] * light[c];
    }
    for (double& l : light) l *= kHdrPeak * std::pow(std::max(luminance, 1e-9), 0.2);
    return light;
}

double hdrPeak(const HdrData& told, int transfer) {
    if (transfer == 18) return kHdrPeak;
    double peak = told.screen ? told.brightest : kHdrPeak;
    // Pictures that claim to be brighter than their own screen were measured wrongly.
    if (told.mostLight > 0 && (!told.screen || told.mostLight < told.brightest)) peak = told.mostLight;
    return std::clamp(peak, kHdrWhite, 10000.0);
}

double rolledOff(double light, double peakLight) {
    if (peakLight <= kHdrWhite) return std::min(light, kHdrWhite);
    const double peak = pqSignal(peakLight), white = pqSignal(kHdrWhite) / peak, knee = 1.5 * white - 0.5;
    const double e = std::min(1.0, pqSignal(light) / peak);
    if (e < knee) return light;
    const double t = (e - knee) / (1 - knee), tt = t * t, ttt = tt * t;
    const double bent = (2 * ttt - 3 * tt + 1) * knee + (ttt - 2 * tt + t) * (1 - knee) + (-2 * ttt + 3 * tt) * white;
    return pqLight(bent * peak);
}

std::array<double, 3> standardRange(const std::array<double, 3>& signal, int transfer, double peak) {
    std::array<double, 3> light{};
    if (transfer == 18)
        light = hlgLight(signal);
    else
        for (std::size_t c = 0; c < 3; ++c) light[c] = pqLight(signal[c]);
    const double most = std::max({light[0], light[1], light[2]});
    if (most > 0)
        for (double& l : light) l *= rolledOff(most, peak) / most;
    finish(light.data());
    return light;
}

StagePtr toStandardRange(StagePtr input, const HdrData& told) {
    PictureFormat f = input->format();
    const double peak = hdrPeak(told, f.colour.transfer);
    auto map = standardRangeMap(f.colour, peak);
    const KeyMaker key = KeyMaker("standard range").add(peak).add(f.colour.transfer).add(f.colour.matrix);
    f.bitDepth = 8;
    f.colour.primaries = f.colour.transfer = f.colour.matrix = 1;
    return pixelStage(std::move(input), "standard range", key, std::move(map), f);
}

} // namespace ulm
