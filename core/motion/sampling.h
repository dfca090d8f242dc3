#pragma once

#include "core/picture/picture.h"

#include <opencv2/core.hpp>

namespace ulm {

/// The plane's samples for `area`, each taken from where the field points (dx columns, dy rows, at most `reach`),
/// by cubic interpolation (Keys 1981, a = −0.75) at 1/32 of a pixel; the plane's rim is repeated outwards. The same
/// whatever `area` is, as long as the plane holds what is pointed at.
cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, float reach);

/// Four values a place (CV_32FC4), looked up bilinearly; the rim is repeated outwards. Positions that are no number
/// count as 0.
class FourAt {
public:
    explicit FourAt(const cv::Mat& values) : values_(values) {}
    void operator()(float x, float y, float (&out)[4]) const;

private:
    cv::Mat values_;
};

} // namespace ulm
