#pragma once

#include "core/picture/picture.h"

#include <opencv2/core.hpp>

namespace ulm {

/// A picture's format at 1/divisor of its size (rounded up), without subsampling: where movement is worked out.
PictureFormat reduced(const PictureFormat&, int divisor);
/// Luma at this smaller size as a search sees it: 8-bit codes (16 black, 235 white), not rounded.
cv::Mat reducedLuma(const Plane& luma, int width, int height);

/// A field brought to the pixels of `to` of a picture (across, down) times its size: bilinear, as OpenCV's resize of
/// the whole would be; the same whatever `to` is. Its numbers stay as they are.
cv::Mat spreadField(const Plane& field, const Rect& to, double across, double down);
/// Luma's field at the samples of a chroma plane whose area is `area`: the mean of each block. Plane 0: the field.
cv::Mat shrunkField(const cv::Mat& field, const Rect& luma, const Rect& area, int plane, const PictureFormat&);

} // namespace ulm
