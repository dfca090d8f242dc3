#include "core/finish/hdr_stage.h"

#include "core/finish/colour.h"
#include "core/finish/pixel_stage.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

constexpr double kM1 = 2610.0 / 16384, kM2 = 2523.0 / 32, kC1 = 3424.0 / 4096, kC2 = 2413.0 / 128, kC3 = 2392.0 / 128;
constexpr double kLuminance[3] = {0.2627, 0.6780, 0.0593}; // of BT.2020
// Linear light of BT.2020 to that of Rec. 709 (ITU-R BT.2087, inverse).
constexpr double kTo709[3][3] = {{1.6605, -0.5876, -0.0728}, {-0.1246, 1.1329, -0.0083}, {-0.0182, -0.1006, 1.1187}};
constexpr double k709[3] = {0.2126, 0.7152, 0.0722};

// From light as shown, cd/m², to the signal.
template <class Number>
void finish(Number* light) {
    Number rgb[3];
    for (int c = 0; c < 3; ++c) {
        rgb[c] = 0;
        for (int k = 0; k < 3; ++k) rgb[c] += Number(kTo709[c][k]) * light[k] / Number(kHdrWhite);
    }
    const Number luma = Number(k709[0]) * rgb[0] + Number(k709[1]) * rgb[1] + Number(k709[2]) * rgb[2];
    const Number least = std::min({rgb[0], rgb[1], rgb[2]}), most = std::max({rgb[0], rgb[1], rgb[2]});
    Number keep = 1;
    if (least < 0 && luma > least) keep = std::min(keep, luma / (luma - least));
    if (most > 1 && most > luma) keep = std::min(keep, std::max(Number(0), (1 - luma) / (most - luma)));
    for (int c = 0; c < 3; ++c)
        light[c] = std::pow(std::clamp(luma + keep * (rgb[c] - luma), Number(0), Number(1)), Number(1 / kDisplayGamma));
}

class ToStandard : public PixelMap {
public:
    ToStandard(const ColourDescription& from, double peak)
        : hlg_(from.transfer == 18), from_(matrixWeights(from.matrix)), light_(kEntries + 2), gain_(kEntries + 2) {
        for (std::size_t i = 0; i < light_.size(); ++i) {
            const double signal = double(i) / kEntries;
            light_[i] = float(hlg_ ? hlgLinear(signal) : pqLight(signal));
            // Over the signal of the largest of R, G, B; for HLG over the square root of its light on the display.
            const double shown = hlg_ ? kHdrPeak * signal * signal : pqLight(signal);
            gain_[i] = float(shown > 0 ? rolledOff(shown, peak) / shown : 1);
        }
    }
    static double hlgLinear(double v) {
        constexpr double a = 0.17883277, b = 0.28466892, c = 0.55991073;
        return v <= 0.5 ? v * v / 3 : (std::exp((v - c) / a) + b) / 12;
    }

private:
    static constexpr int kEntries = 8192;
    static float lookUp(const std::vector<float>& table, float v) {
        const float at = std::clamp(v, 0.f, 1.f) * kEntries;
        const auto i = std::size_t(at);
        return table[i] + (at - float(i)) * (table[i + 1] - table[i]);
    }
    void map(float* y, float* cb, float* cr, int count, Asked) const override {
        const float kr = float(from_.kr), kb = float(from_.kb), kg = 1 - kr - kb;
        for (int i = 0; i < count; ++i) {
            float v[3];
            v[0] = y[i] + 2 * (1 - kr) * cr[i];
            v[2] = y[i] + 2 * (1 - kb) * cb[i];
            v[1] = (y[i] - kr * v[0] - kb * v[2]) / kg;
            float light[3];
            for (int c = 0; c < 3; ++c) light[c] = lookUp(light_, v[c]);
            float gain = 0;
            if (hlg_) {
                const float luminance =
                    float(kLuminance[0]) * light[0] + float(kLuminance[1]) * light[1] + float(kLuminance[2]) * light[2];
                const float system = float(kHdrPeak) * std::pow(std::max(luminance, 1e-9f), 0.2f);
                for (float& l : light) l *= system;
                gain = lookUp(gain_, std::sqrt(std::max({light[0], light[1], light[2]}) / float(kHdrPeak)));
            } else
                gain = lookUp(gain_, std::max({v[0], v[1], v[2]}));
            for (float& l : light) l *= gain;
            ulm::finish(light);
            const float luma = float(k709[0]) * light[0] + float(k709[1]) * light[1] + float(k709[2]) * light[2];
            y[i] = luma;
            cb[i] = (light[2] - luma) / float(2 * (1 - k709[2]));
            cr[i] = (light[0] - luma) / float(2 * (1 - k709[0]));
        }
    }

    bool hlg_;
    MatrixWeights from_;
    std::vector<float> light_, gain_;
};

} // namespace

double pqLight(double signal) {
    const double p = std::pow(std::clamp(signal, 0.0, 1.0), 1 / kM2);
    return 10000 * std::pow(std::max(0.0, p - kC1) / (kC2 - kC3 * p), 1 / kM1);
}

double pqSignal(double light) {
    const double p = std::pow(std::clamp(light / 10000, 0.0, 1.0), kM1);
    return std::pow((kC1 + kC2 * p) / (1 + kC3 * p), kM2);
}

std::array<double, 3> hlgLight(const std::array<double, 3>& signal) {
    std::array<double, 3> light{};
    double luminance = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        light[c] = ToStandard::hlgLinear(std::clamp(signal[c], 0.0, 1.0));
        luminance += kLuminance[c] * light[c];
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
    auto map = std::make_shared<ToStandard>(f.colour, peak);
    const KeyMaker key = KeyMaker("standard range").add(peak).add(f.colour.transfer).add(f.colour.matrix);
    f.bitDepth = 8;
    f.colour.primaries = f.colour.transfer = f.colour.matrix = 1;
    return pixelStage(std::move(input), "standard range", key, std::move(map), f);
}

} // namespace ulm
