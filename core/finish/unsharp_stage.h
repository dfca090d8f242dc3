#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Unsharp mask on luma: y + amount · (y − gaussian(y)). amount [0, 3]; radius: the Gaussian's sigma in delivered
/// pixels, [0.3, 5]. Chroma passes through.
StagePtr unsharp(StagePtr input, double amount, double radius);

} // namespace ulm
