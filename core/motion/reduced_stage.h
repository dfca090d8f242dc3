#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Luma at 1/divisor of the size (rounded up) as a search for movement sees it: 8-bit codes (16 black, 235 white), not
/// rounded, as means of areas. Kept like any stage's result, so that each frame is read once, however many searches
/// look at it. Chroma is empty. Only whole frames may be asked of it.
StagePtr reducedStage(StagePtr guide, int divisor);

} // namespace ulm
