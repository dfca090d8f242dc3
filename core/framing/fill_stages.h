#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// `inner` placed at `place` (position and size even; its size is inner's) on a black picture of width × height.
StagePtr padded(StagePtr inner, const Rect& place, int width, int height);

/// The same on a backdrop: a small soft copy of the picture (see backdrop()), stretched over everything.
StagePtr blurFilled(StagePtr inner, StagePtr backdrop, const Rect& place, int width, int height);

/// `upper` above `lower`, both of the same even width; the upper one's height is even.
StagePtr stacked(StagePtr upper, StagePtr lower);

/// A soft, slightly darkened copy of `source` that covers the aspect of width × height, at a sixteenth of that size.
StagePtr backdrop(StagePtr source, int width, int height);

} // namespace ulm
