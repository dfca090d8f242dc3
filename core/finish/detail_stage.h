#pragma once

#include "core/engine/stage.h"

#include <array>

namespace ulm {

/// Sharpening by detail size: luma is split by Gaussians of sigma 0.7, 1.4, 2.8 and 5.6 delivered pixels into four
/// bands, finest first (a difference-of-Gaussians pyramid without shrinking, Burt & Adelson 1983), and each is raised
/// by its gain, [0, 3]. Detail fainter than `threshold` 8-bit steps, [0, 20], is left as it is, so that noise is not
/// raised.
StagePtr sharpenByDetail(StagePtr input, const std::array<double, 4>& gains, double threshold);

/// Keeps sharpening in bounds. Of what `sharpened` overshoots the range that `plain` has within two pixels, `haloLimit`
/// ([0, 1]) is cut off; with `protectShadows` the change fades out from a quarter of full luma down to black.
StagePtr guardSharpening(StagePtr sharpened, StagePtr plain, double haloLimit, bool protectShadows);

} // namespace ulm
