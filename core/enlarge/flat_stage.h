#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Takes the finest detail that a network added to `source` back where the source is flat: there it has nothing to go
/// by, and what a crisp network makes up is a weave that flickers. `enlarged` is `source`, luma treated by a network, a
/// whole number of times as large. share: of what is taken back where nothing at all is to be seen, [0, 1].
StagePtr plainWhereFlat(StagePtr enlarged, StagePtr source, double share);

} // namespace ulm
