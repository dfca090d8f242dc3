#pragma once

#include "core/ticket/step.h"

namespace ulm {

/// Clean at the source's size; `source` itself where it is off or has nothing to do. enlarging: a network that enlarges
/// the clip afterwards removes its blocks and noise on the way, and mixes the original back.
StagePtr cleanedStage(StagePtr source, const Ticket&, const Inspection&, bool enlarging);

} // namespace ulm
