#pragma once

#include "core/engine/stage.h"
#include "core/picture/size.h"

namespace ulm {

/// The faces that count for a frame, source pixels: the nearest frame's, where that lies within half a second.
std::vector<Rect> facesNear(const std::vector<TimedBox>& faces, std::int64_t frame);

/// `treated`, with half of `original` mixed back on faces, fading out around them. Faces are given in source pixels of
/// `scale` ([1, 16]) result pixels each. Both inputs have the same format and frames; elsewhere `original` is not
/// computed.
StagePtr gentlerOnFaces(StagePtr treated, StagePtr original, std::vector<TimedBox> faces, double scale);

} // namespace ulm
