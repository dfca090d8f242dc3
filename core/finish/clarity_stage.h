#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Local contrast: luma moves away from, or towards, what a guided filter leaves of it (He, Sun & Tang, IEEE PAMI 2013;
/// from eight pixels on a fourth of the size, He & Sun 2015), by `amount`, [-1, 1]. Steps of more than a tenth of the
/// range count as edges and keep their surroundings, so that no halo shows beside a skyline. radius: about the standard
/// deviation of what it takes for surroundings, delivered pixels, [2, 60]. Deep shadows, highest lights and skin change
/// less. Chroma passes through.
StagePtr clarity(StagePtr input, double amount, double radius);

} // namespace ulm
