#pragma once

#include "core/engine/stage.h"
#include "core/picture/size.h"

namespace ulm {

/// The faces that count for a frame, source pixels: the nearest frame's, where that lies within half a second.
std::vector<Rect> facesNear(const std::vector<TimedBox>& faces, std::int64_t frame);

/// `treated`, with `share` (0 … 1) of `original` mixed back in boxes (an ellipse in each, fading out around it). Boxes
/// are given in source pixels of `scale` ([1, 16]) result pixels each. Both inputs have the same format and frames;
/// elsewhere `original` is not computed.
StagePtr mixedInBoxes(StagePtr treated, StagePtr original, std::vector<TimedBox> boxes, double scale, double share);
/// The same, half of the original on faces.
StagePtr gentlerOnFaces(StagePtr treated, StagePtr original, std::vector<TimedBox> faces, double scale);

} // namespace ulm
