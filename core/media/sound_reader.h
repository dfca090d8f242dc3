#pragma once

#include "core/engine/cancel.h"

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace ulm {

/// The first sound stream of a file as interleaved 16-bit stereo at 48 kHz, from its first sample, at most
/// `mostSeconds` of it. Empty where there is none. `startsAt`: seconds on the file's own clock of the first sample.
/// Errors: Fault::Input. Throws Cancelled.
struct PlainSound {
    std::vector<std::int16_t> samples;
    double startsAt = 0;
    static constexpr int kRate = 48000;
};
PlainSound readSound(const std::string& path, double mostSeconds, const CancelToken&);

/// The same piece by piece: `onSound(samples, pairs)`. Memory does not grow with duration. False where there is no
/// sound stream.
bool forEachSound(const std::string& path, double mostSeconds, const CancelToken&,
                  const std::function<void(const std::int16_t*, std::size_t)>& onSound, double* startsAt = nullptr);

} // namespace ulm
