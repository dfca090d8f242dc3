#pragma once

#include "core/picture/picture.h"

#include <opencv2/core.hpp>

namespace ulm {

/// A part of a picture, luma pixels, shrunk by means over areas: R', G', B' in [0, 1], 32-bit floats.
cv::Mat smallRgb(const Picture&, const Rect& part, cv::Size size);

} // namespace ulm
