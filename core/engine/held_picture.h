#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// A stage of one frame that shows a whole picture which is there already.
StagePtr heldPicture(Picture picture);

} // namespace ulm
