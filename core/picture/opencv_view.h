#pragma once

#include "core/picture/picture.h"

#include <opencv2/core.hpp>

namespace ulm {

/// The plane's samples as an OpenCV matrix that shares them. What is written there is written to the plane.
inline cv::Mat viewOf(Plane& p) {
    return cv::Mat(p.area().h, p.area().w, CV_32F, p.row(p.area().y),
                   static_cast<std::size_t>(p.stride()) * sizeof(float));
}
/// Only to be read.
inline cv::Mat viewOf(const Plane& p) { return viewOf(const_cast<Plane&>(p)); }

} // namespace ulm
