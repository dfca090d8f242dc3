#pragma once

#include "core/picture/picture.h"

#include <vector>

namespace ulm {

/// A frame's luma averaged over a coarse grid, in 8-bit steps.
struct Thumbprint {
    static constexpr int kColumns = 96, kRows = 54;
    std::vector<float> cells;
};
Thumbprint thumbprint(const Plane& luma);

struct PrintDifference {
    float mean = 0, most = 0; ///< 8-bit steps, over cells
    float shape = 0;          ///< mean, after the change of overall brightness is taken out
};
PrintDifference difference(const Thumbprint& a, const Thumbprint& b);

/// First frames of new shots: changes that stand out from those around them and do not return within two frames (a
/// flash does). After Zhang, Kankanhalli & Smoliar, "Automatic partitioning of full-motion video", 1993, with a local
/// threshold.
std::vector<std::int64_t> findCuts(const std::vector<Thumbprint>& prints);

/// Frames that repeat the one before: no cell changes visibly, and far less than around.
std::vector<std::int64_t> findDuplicates(const std::vector<Thumbprint>& prints);

} // namespace ulm
