#pragma once

#include "core/picture/picture.h"

namespace ulm {

/// How damaged a picture is, as networks are told it: 0 (none) … about 1. compression: (rate factor of H.264 - 12) /
/// 28; noise: sigma in 8-bit steps / 16, before the encode.
struct DamageLevels {
    double compression = 0, noise = 0;
    bool operator==(const DamageLevels&) const = default;
};

inline constexpr double kNoiseOfLevel = 16; ///< steps of sigma at noise level 1

/// The compression level, estimated by a small network of our own (tools/train) from up to three places of the picture.
/// 0 where the network is not built in or the picture is under 64 pixels a side.
double estimateCompression(const Plane& luma);

} // namespace ulm
