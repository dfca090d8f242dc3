#pragma once

#include "core/picture/picture.h"

#include <opencv2/core.hpp>

namespace ulm {

/// The plane's samples for `area`, each taken from where the field points (dx columns, dy rows, at most `reach`),
/// by cubic interpolation (Keys 1981, a = −0.75) at 1/32 of a pixel; the plane's rim is repeated outwards. The same
/// whatever `area` is, as long as the plane holds what is pointed at.
cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, float reach);

/// Adds share × those samples to `sum`, where share is not 0: of the plane `there`, from where the field points times
/// `across` columns, `down` rows.
struct FieldScale {
    float across = 1, down = 1;
};
void addMoved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, FieldScale scale, float reach,
              const cv::Mat& share, cv::Mat& sum);

} // namespace ulm
