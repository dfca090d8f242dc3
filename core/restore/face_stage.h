#pragma once

#include "core/engine/stage.h"
#include "core/inspect/readings.h"

namespace ulm {

/// `treated`, with half of `original` mixed back on faces, fading out around them. Faces are given in source pixels of
/// `scale` ([1, 16]) result pixels each; those found within a second's half of a frame count for it.
/// Both inputs have the same format and frames.
StagePtr gentlerOnFaces(StagePtr treated, StagePtr original, std::vector<FacePlace> faces, double scale);

} // namespace ulm
