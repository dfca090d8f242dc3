#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Farthest movement that is followed, pixels a frame pair; and how unlike (luma, 0…1) an aligned place may be before
/// the frame itself stands in for it. tools/train/align.py does the same, with the finer of both searches: networks
/// are trained on its pictures.
inline constexpr int kFlowReach = 48;
inline constexpr float kFlowTolerance = 0.045f;

/// Frame n + offset of `input`, moved onto frame n along the optical flow between them (dense inverse search, Kroeger
/// et al., ECCV 2016, by OpenCV, on luma at half the size). Places that cannot be followed (occlusions, cuts, movement
/// beyond kFlowReach) and frames beyond the clip's ends show frame n itself. All planes follow the luma's movement.
/// Luma alone is moved where that is all that is looked at: chroma then shows frame n.
/// The flow is found on `guide` (the same size and frames as `input`), so that it can be shared by treatments.
enum class Moved { AllPlanes, Luma };
StagePtr aligned(StagePtr input, StagePtr guide, int offset, Moved planes = Moved::AllPlanes);

/// aligned() by -1, +1, … -reach, +reach, in this order.
std::vector<StagePtr> alignedAround(StagePtr input, StagePtr guide, int reach, Moved planes = Moved::AllPlanes);

} // namespace ulm
