#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// How movement is searched for.
struct FlowSearch {
    int divisor = 2;     ///< on luma at 1/divisor of the size
    int finest = 0;      ///< halvings of that at which the search ends
    int stride = 5;      ///< of the pieces of 8×8 that are searched for
    int descents = 12;   ///< steps of the search for each
    int refinements = 3; ///< rounds over the whole field at the end
};

/// Movement from frame n of `guide` to frame n + offset, which must exist, by dense inverse search (Kroeger et al.,
/// ECCV 2016; OpenCV's): planes 0 and 1 are columns and rows, in whole pixels of the guide, at 1/divisor of its size
/// (rounded up); plane 2 is empty. Only whole frames may be asked of it.
StagePtr flowStage(StagePtr guide, int offset, const FlowSearch& how = {});

} // namespace ulm
