#pragma once

#include "core/motion/between_layers.h"

namespace ulm {

/// Luma of a region of a picture in between before it is mended. mixed: of both sides; differ: how they differ,
/// 4 · a · b · (A − B) / 2 where they give shares a and b of it, so that it is 0 where one alone is seen; doubt: 8-bit
/// steps.
struct MixedSides {
    Plane mixed, differ, doubt;
};
MixedSides mixedSides(const BetweenLayers&, const Picture& field, const BetweenLayers::Sides&, const Rect& region,
                      const CancelToken&);

/// The same as a stage, of frames that `clock` rebuilds (one exposure each; all 0 on others): not subsampled, plane 0
/// mixed, 1 differ, 2 doubt. `field` holds the paths, as between_layers.h says.
StagePtr sidesStage(StagePtr input, StagePtr field, const PictureFormat& guide, const BetweenClock& clock, Between);

} // namespace ulm
