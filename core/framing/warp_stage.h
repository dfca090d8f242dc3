#pragma once

#include "core/engine/stage.h"
#include "core/picture/affine.h"

#include <functional>

namespace ulm {

/// From the output's pixels to the input's (edges, fractional), on every frame.
struct Warp {
    Affine still;                                 ///< of every frame, where `at` is null
    std::function<Affine(std::int64_t frame)> at; ///< null: it does not change
    Key key = 0;                                  ///< identity of `at`
    Affine operator()(std::int64_t frame) const { return at ? at(frame) : still; }
};

/// A picture of width × height that shows the input through `warp`: turned, mirrored, straightened, steadied. What
/// only permutes a plane's samples keeps them exactly; all else is sampled by a cubic over 4 × 4 of the plane's own, at
/// places of 1/32 pixel. Beyond the input's borders their samples go on. Chroma keeps its subsampling and siting where
/// it is subsampled both ways, and comes at full resolution otherwise.
StagePtr warped(StagePtr input, int width, int height, const Warp& warp);

} // namespace ulm
