#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Drop thresholds of dctShrink() in sample units (luma 0…1), for the two readings that people set.
/// blocks: blocking reading, [0, 100] (tenths of an 8-bit step at block edges). noise: sigma in 8-bit steps, [0, 50].
float deblockThreshold(double blocks);
float denoiseThreshold(double noise);

/// Removes compression blocks: sliding-window shrinkage inside each frame.
StagePtr deblock(StagePtr input, double blocks);
/// Removes noise: sliding-window shrinkage over three frames.
StagePtr denoise(StagePtr input, double noise);
/// Mixes `share` ([0, 1]) of `original` back into `treated`; both have the same format and frames.
StagePtr keepOriginal(StagePtr treated, StagePtr original, double share);

} // namespace ulm
