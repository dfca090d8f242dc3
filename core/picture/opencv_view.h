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

/// The part of a result over `area` that lies over the plane, written into it.
inline void writePart(const cv::Mat& result, const Rect& area, Plane& to) {
    const Rect r = to.area();
    result(cv::Rect(r.x - area.x, r.y - area.y, r.w, r.h)).copyTo(viewOf(to));
}

} // namespace ulm
