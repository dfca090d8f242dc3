#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Light that spills: of luma above `threshold` ([0, 1), with a ramp up to 1) the picture is softened by `radius`
/// delivered pixels (standard deviation, [2, 60]) and laid over by screen blending, `amount` of it, [0, 1]. Chroma goes
/// along.
StagePtr glow(StagePtr input, double amount, double threshold, double radius);

} // namespace ulm
