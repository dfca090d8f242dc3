#include "demo/synth.h"

#include "demo/scenes/canvas.h"

#include <algorithm>
#include <cstdint>
#include <fstream>
#include <numbers>

namespace ulm::demo {
namespace {

constexpr double kRate = 48000, kTau = 2 * std::numbers::pi;

float unit(std::uint32_t i, std::uint32_t seed) { return float(hash(i, 17, seed) >> 8) / 16777216.f; }

// Vowels as three decaying resonances excited at the pitch, syllable by syllable, with pauses between phrases.
void addVoice(std::vector<float>& s, double level, unsigned seed) {
    static constexpr double kFormants[5][3] = {
        {730, 1090, 2440}, {270, 2290, 3010}, {300, 870, 2240}, {530, 1840, 2480}, {570, 840, 2410}};
    std::size_t at = 12000;
    for (std::uint32_t k = 0; at + 16000 < s.size(); ++k) {
        const auto* f = kFormants[hash(k, 3, seed) % 5];
        const double pitch = 105 + 35 * unit(k, seed + 1);
        const auto length = static_cast<std::size_t>(6000 + 5000 * unit(k, seed + 2));
        const auto period = static_cast<std::size_t>(kRate / pitch);
        for (std::size_t p = 0; p + period < length; p += period) {
            const double shape = std::sin(std::numbers::pi * double(p) / double(length));
            for (std::size_t i = 0; i < 2 * period && at + p + i < s.size(); ++i) {
                const double t = double(i) / kRate;
                double v = 0;
                for (int m = 0; m < 3; ++m) v += std::sin(kTau * f[m] * t) * std::exp(-t * (140 + 60 * m)) / (1 + m);
                s[at + p + i] += static_cast<float>(level * shape * 0.35 * v);
            }
        }
        at += length + (k % 6 == 5 ? 22000 : 1500);
    }
}

void addClinks(std::vector<float>& s, double level, unsigned seed) {
    for (std::uint32_t k = 0;; ++k) {
        const auto at = static_cast<std::size_t>((double(k) * 0.9 + 0.6 * unit(k, seed)) * kRate);
        if (at >= s.size()) break;
        const double base = 1400 + 1900 * unit(k, seed + 5);
        for (std::size_t i = 0; i < 24000 && at + i < s.size(); ++i) {
            const double t = double(i) / kRate;
            double v = 0;
            for (const double partial : {1.0, 2.76, 5.4})
                v += std::sin(kTau * base * partial * t) * std::exp(-t * 9 * partial) / partial;
            s[at + i] += static_cast<float>(level * 0.3 * v);
        }
    }
}

void addTune(std::vector<float>& s, double level) {
    static constexpr int kSteps[] = {0, 4, 7, 12, 9, 7, 4, 2};
    for (std::size_t i = 0; i < s.size(); ++i) {
        const double t = double(i) / kRate;
        const int note = static_cast<int>(t * 2);
        const double f = 220 * std::exp2(kSteps[note % 8] / 12.0), local = t * 2 - note;
        s[i] += static_cast<float>(level * std::exp(-local * 2.2) *
                                   (std::sin(kTau * f * t) + 0.3 * std::sin(2 * kTau * f * t)) * 0.4);
    }
}

} // namespace

std::vector<float> synthesise(const SoundPlan& p) {
    std::vector<float> s(static_cast<std::size_t>(p.seconds * kRate));
    for (std::size_t i = 0; i < s.size(); ++i) {
        const double t = double(i) / kRate;
        s[i] = static_cast<float>(p.hum * (std::sin(kTau * 50 * t) + 0.5 * std::sin(kTau * 150 * t)) +
                                  p.hiss * 2 * (unit(static_cast<std::uint32_t>(i), p.seed + 40) - 0.5));
    }
    if (p.voice > 0) addVoice(s, p.voice, p.seed);
    if (p.clinks > 0) addClinks(s, p.clinks, p.seed + 9);
    if (p.tune > 0) addTune(s, p.tune);
    return s;
}

void writeWav(const std::vector<float>& samples, const std::string& path) {
    std::ofstream out(path, std::ios::binary);
    const auto u32 = [&](std::uint32_t v) { out.write(reinterpret_cast<const char*>(&v), 4); };
    const auto u16 = [&](std::uint16_t v) { out.write(reinterpret_cast<const char*>(&v), 2); };
    const auto bytes = static_cast<std::uint32_t>(samples.size() * 2);
    out << "RIFF", u32(36 + bytes), out << "WAVEfmt ", u32(16), u16(1), u16(1), u32(48000), u32(96000), u16(2), u16(16),
        out << "data", u32(bytes);
    for (const float v : samples)
        u16(static_cast<std::uint16_t>(static_cast<std::int16_t>(std::clamp(v, -1.f, 1.f) * 32000)));
}

} // namespace ulm::demo
