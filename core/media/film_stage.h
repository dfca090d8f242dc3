#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Frames whose fields belong to two film frames, woven anew: those in `woven` (in order) keep the lines of their top
/// (or bottom) field and take the others from the frame before. No sample is made up; all others pass untouched.
StagePtr filmPictures(StagePtr input, std::vector<std::int64_t> woven, bool keepTop);

} // namespace ulm
