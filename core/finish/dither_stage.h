#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Triangular noise of one 8-bit step, the same for a frame and a place: rounding to 8 bit then bands no slope
/// (Lipshitz, Wannamaker & Vanderkooy 1992).
StagePtr dithered(StagePtr input);

} // namespace ulm
