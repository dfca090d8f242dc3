#pragma once

#include "core/engine/stage.h"
#include "core/finish/colour.h"

namespace ulm {

/// Light and colour of every pixel. White balance and exposure act on light (see kDisplayGamma), the tone curve on the
/// signal of each of R', G', B', then the curve of these places, then saturation, vibrance and hue on chroma. Within
/// 1/2 step of 10 bit of colouredReference().
StagePtr coloured(StagePtr input, const Colour& colour, const std::vector<CurvePoint>& curve = {});

} // namespace ulm
