#pragma once

#include "core/motion/between_guess.h"

namespace ulm {

/// What passes each place at an instant (`part`, between 0 at A and 1 at B): paths from A to B (CV_32FC2), by A's flow
/// and by B's. Each place takes the movement that crosses it and is trusted most; holes that of the other side, or the
/// flow at the place itself.
std::array<cv::Mat, 2> passing(const BetweenSide& a, const BetweenSide& b, float part);

} // namespace ulm
