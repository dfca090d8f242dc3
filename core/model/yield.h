#pragma once

#include "core/picture/picture.h"

#include <optional>

namespace ulm {

/// How much of what the general enlarging network adds to a filter comes true on this picture, in %: a place of at most
/// 192×192 pixels is shrunk to half, by averaging and by Lanczos, enlarged back with and without it, and the share of
/// the difference that comes nearest to the truth (least squares) is told: Lanczos's, at most 1.3 times averaging's,
/// [0, 100]. JPEG's leftovers, noise and how the clip was scaled make it small, and a network with an eye on a few
/// pixels cannot see them. turn (>= 0) chooses the place: the middle, the lower right, the upper left, the middle …
/// Nothing where there is nothing to tell by: the network is not built in, the picture is under 96 pixels a side, or
/// the place is flat.
std::optional<double> yieldOf(const Plane& luma, int turn);

} // namespace ulm
