#pragma once

#include "core/inspect/marks.h"

namespace ulm {

/// findFaces() in one of the parts of the picture that it looks at, `turn` after turn: for looking at many frames, in
/// which a face is seen more than once.
std::vector<Mark> findFacesInTurn(const Picture&, std::int64_t frame, int turn);

} // namespace ulm
