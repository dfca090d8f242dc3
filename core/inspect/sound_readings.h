#pragma once

#include "core/engine/cancel.h"

#include <string>
#include <utility>
#include <vector>

namespace ulm {

/// What is heard. Levels are those of the first sound stream as stereo at 48 kHz.
struct SoundReadings {
    bool any = false;        ///< false: the clip has no sound
    double loudness = 0;     ///< integrated, LUFS (ITU-R BS.1770, EBU R128), −70 for silence
    double range = 0;        ///< loudness range, LU (EBU Tech 3342)
    double truePeak = 0;     ///< dBTP, the higher channel, −99 for silence
    double noiseFloor = 0;   ///< dBFS: RMS of the quietest tenth of 50 ms windows that are not digital silence
    double clippedShare = 0; ///< % of samples in runs of three or more at full scale
    std::vector<std::pair<double, double>> silences; ///< seconds: stretches of a second or more below −60 dBFS
    std::vector<float> momentary;                    ///< LUFS of each tenth of a second (400 ms window), for drawing
    double seconds = 0;                              ///< how much was listened to
};

/// Listens to at most `mostSeconds`. Errors: Fault::Input. Throws Cancelled.
SoundReadings readSoundFaults(const std::string& path, double mostSeconds, const CancelToken&);

} // namespace ulm
