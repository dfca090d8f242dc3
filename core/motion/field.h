#pragma once

#include "core/picture/picture.h"

#include <cstdint>
#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

/// A picture's format at 1/divisor of its size (rounded up), without subsampling: where movement is worked out.
PictureFormat reduced(const PictureFormat&, int divisor);

/// Brings fields of this size to the pixels of `to` of a picture (across, down) times their size: bilinear, as OpenCV's
/// resize of the whole would be; the same whatever `to` is. Their numbers stay as they are.
class Spread {
public:
    Spread(cv::Size field, const Rect& to, double across, double down);
    cv::Mat operator()(const Plane& field) const;
    /// Nothing but zeros would come out of this field.
    bool isZero(const Plane& field) const;

private:
    struct Row {
        int a, b; ///< of the field
        float share;
    };
    Rect to_;
    std::vector<std::int32_t> columns_; ///< each column's first place after first_
    std::vector<float> shares_;         ///< of the place after it
    std::vector<Row> rows_;
    int first_ = 0, past_ = 0; ///< of the field's columns
};
cv::Mat spreadField(const Plane& field, const Rect& to, double across, double down);
/// Luma's field at the samples of a chroma plane whose area is `area`: the mean of each block. Plane 0: the field.
cv::Mat shrunkField(const cv::Mat& field, const Rect& luma, const Rect& area, int plane, const PictureFormat&);

} // namespace ulm
