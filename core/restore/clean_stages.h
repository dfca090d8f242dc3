#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Drop thresholds of dctShrink() in sample units (luma 0…1), for the two readings that people set.
/// blocks: blocking reading, [0, 100] (tenths of an 8-bit step at block edges). noise: sigma in 8-bit steps, [0, 50].
float deblockThreshold(double blocks);
float denoiseThreshold(double noise);

/// Removes compression blocks: sliding-window shrinkage inside each frame.
StagePtr deblock(StagePtr input, double blocks);
enum class Planes { All, Luma, Chroma };
/// Removes noise of this sigma in 8-bit steps: sliding-window shrinkage inside the frame, or over three frames where
/// `neighbours` holds two stages, the frames before and after, moved onto this one.
StagePtr denoise(StagePtr input, double noise, Planes planes = Planes::All,
                 const std::vector<StagePtr>& neighbours = {});

/// Calms ringing: beside strong edges, where it is quiet further away, unrest up to about `ringing` 8-bit steps, [0,
/// 20].
StagePtr calmRinging(StagePtr input, double ringing);
/// Smooths stair-steps: along slanted edges, in their own direction, by `share` of the way, [0, 1].
StagePtr smoothStairs(StagePtr input, double share);
/// Dissolves banding by `share` of the way, [0, 1]: steps of up to 4.5 8-bit steps between flat areas become slopes; a
/// faint seeded dither (under half a step) keeps them from coming back in 8 bits.
StagePtr dissolveBands(StagePtr input, double share);
/// Raises the clip's own fine texture by `share`, [0, 1], before a treatment that would smooth it away; edges and what
/// is fainter than `noise` 8-bit steps are left.
StagePtr raiseTexture(StagePtr input, double share, double noise);

} // namespace ulm
