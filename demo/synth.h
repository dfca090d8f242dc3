#pragma once

#include <string>
#include <vector>

namespace ulm::demo {

/// What is heard in a clip; levels 0…1.
struct SoundPlan {
    double seconds = 8;
    double hum = 0.02, hiss = 0.01, voice = 0, clinks = 0, tune = 0;
    unsigned seed = 1;
};

/// Mono samples at 48 kHz: mains hum, hiss, a voice-like babble of vowels, struck pottery, a slow tune.
std::vector<float> synthesise(const SoundPlan&);
/// 16-bit WAV.
void writeWav(const std::vector<float>& samples, const std::string& path);

} // namespace ulm::demo
