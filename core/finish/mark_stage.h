#pragma once

#include "core/engine/stage.h"
#include "core/picture/cover.h"

#include <functional>

namespace ulm {

/// How much of something is seen on a frame, [0, 1]; `key` is its identity.
struct Shows {
    std::function<double(std::int64_t frame)> at;
    Key key = 0;
};

/// `cover`, in pixels of `input`, laid over it with its left upper corner at (x, y), which are even where chroma is
/// subsampled. On an HDR picture its white is that of graphics: 203 cd/m² (ITU-R BT.2408).
StagePtr marked(StagePtr input, const Cover& cover, int x, int y, const Shows& shows);

/// Dark as far as `shows` is below 1.
StagePtr fadedToBlack(StagePtr input, const Shows& shows);

} // namespace ulm
