#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Frames whose two fields were taken one after the other, each made into a whole picture of its first field's instant:
/// the other field's lines are made anew from the lines around them and the frames before and after (BWDIF, through
/// libavfilter). The same size, rate and colours; whole columns are asked of `input`.
/// Pictures of under 8 pixels a side stay as they are.
/// Errors: Fault::Usage where libavfilter has no such filter.
StagePtr deinterlaced(StagePtr input, bool topFirst);
/// A picture of each field: frame 2n is of frame n's first field, 2n + 1 of its second one.
StagePtr fieldPictures(StagePtr input, bool topFirst);

} // namespace ulm
