#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Mixes `share` ([0, 1]) of `original` back into `treated`; both have the same format and frames.
StagePtr keepOriginal(StagePtr treated, StagePtr original, double share);

} // namespace ulm
