#pragma once

#include "core/picture/affine.h"
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

/// Fills `out` with samples of `there` along straight lines: `from` leads from the samples' places (edges, each sample
/// half way between two) of the one to those of the other. As moved(), but whatever is reached.
void sampled(const Plane& there, const Affine& from, Plane& out);

} // namespace ulm
