#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Corners made darker as a simple lens does, by the cosine fourth power law: light at a corner is 2^(-2·amount) of the
/// middle's. amount [-1, 1]; below 0 corners are lit up by as much.
StagePtr vignette(StagePtr input, double amount);

} // namespace ulm
