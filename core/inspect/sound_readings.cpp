#include "core/inspect/sound_readings.h"

#include "core/media/sound_reader.h"

#include <algorithm>
#include <cmath>
#include <ebur128.h>
#include <map>

namespace ulm {
namespace {

constexpr std::size_t kWindow = PlainSound::kRate / 20, kTenth = PlainSound::kRate / 10, kPeakPieces = 16;
constexpr int kFull = 31785; // a quarter of a dB below full scale: where limiters and careless exports cut off

double decibels(double amplitude) { return amplitude > 0 ? std::max(-99.0, 20 * std::log10(amplitude)) : -99; }

struct Meter {
    explicit Meter(int mode) : state(ebur128_init(2, PlainSound::kRate, mode)) {}
    ~Meter() { ebur128_destroy(&state); }
    ebur128_state* state;
};

} // namespace

SoundReadings readSoundFaults(const std::string& path, double mostSeconds, const CancelToken& cancel) {
    SoundReadings out;
    Meter meter(EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_M), peaks(EBUR128_MODE_TRUE_PEAK);
    std::multimap<int, std::vector<std::int16_t>> highest;
    std::vector<std::int16_t> tenth;
    std::vector<double> windows; // RMS of each
    std::size_t clipped = 0, samples = 0;
    int run[2] = {0, 0};
    double silentSince = -1;
    const auto measure = [&] { // a tenth of a second at a time
        const std::size_t n = tenth.size() / 2;
        if (n == 0) return;
        ebur128_add_frames_short(meter.state, tenth.data(), n);
        // Oversampling is slow, and peaks between samples lie where samples are high: the highest pieces are kept for
        // it.
        int most = 0;
        for (const std::int16_t v : tenth) most = std::max(most, std::abs(int(v)));
        if (highest.size() < kPeakPieces || most > highest.begin()->first) highest.emplace(most, tenth);
        if (highest.size() > kPeakPieces) highest.erase(highest.begin());
        double m = -70;
        ebur128_loudness_momentary(meter.state, &m);
        out.momentary.push_back(static_cast<float>(std::max(m, -70.0)));
        for (std::size_t at = 0; at < n; at += kWindow) {
            double sum = 0;
            const std::size_t end = std::min(n, at + kWindow);
            for (std::size_t i = at; i < end; ++i)
                for (std::size_t c = 0; c < 2; ++c) {
                    const double v = tenth[2 * i + c] / 32768.0;
                    sum += v * v;
                    const bool full = std::abs(int(tenth[2 * i + c])) >= kFull;
                    run[c] = full ? run[c] + 1 : 0;
                    clipped += run[c] == 3 ? 3 : run[c] > 3;
                }
            windows.push_back(std::sqrt(sum / double(2 * (end - at))));
            const double start = double(samples + at) / PlainSound::kRate;
            if (decibels(windows.back()) < -60) {
                if (silentSince < 0) silentSince = start;
            } else if (silentSince >= 0) {
                if (start - silentSince >= 1) out.silences.emplace_back(silentSince, start);
                silentSince = -1;
            }
        }
        samples += n;
        tenth.clear();
    };
    out.any = forEachSound(path, mostSeconds, cancel, [&](const std::int16_t* s, std::size_t n) {
        while (n > 0) {
            const std::size_t take = std::min(n, kTenth - tenth.size() / 2);
            tenth.insert(tenth.end(), s, s + 2 * take);
            s += 2 * take;
            n -= take;
            if (tenth.size() == 2 * kTenth) measure();
        }
    });
    measure();
    if (!out.any || samples == 0) return out;
    out.seconds = double(samples) / PlainSound::kRate;
    if (silentSince >= 0 && out.seconds - silentSince >= 1) out.silences.emplace_back(silentSince, out.seconds);
    if (ebur128_loudness_global(meter.state, &out.loudness) != EBUR128_SUCCESS || !(out.loudness > -70))
        out.loudness = -70;
    if (ebur128_loudness_range(meter.state, &out.range) != EBUR128_SUCCESS) out.range = 0;
    for (const auto& [level, piece] : highest) ebur128_add_frames_short(peaks.state, piece.data(), piece.size() / 2);
    double peak = 0;
    for (const unsigned c : {0u, 1u}) {
        double p = 0;
        if (ebur128_true_peak(peaks.state, c, &p) == EBUR128_SUCCESS) peak = std::max(peak, p);
    }
    out.truePeak = decibels(peak);
    std::erase(windows, 0.0);
    if (windows.empty())
        out.noiseFloor = -99;
    else {
        const auto at = windows.begin() + static_cast<std::ptrdiff_t>(windows.size() / 10);
        std::ranges::nth_element(windows, at);
        out.noiseFloor = decibels(*at);
    }
    out.clippedShare = 100.0 * double(clipped) / double(2 * samples);
    return out;
}

} // namespace ulm
