#pragma once

#include "core/picture/picture.h"

#include <algorithm>
#include <cstring>
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

/// Four values a place (CV_32FC4), looked up bilinearly; the rim is repeated outwards. Positions that are no number
/// count as 0.
class FourAt {
public:
    /// Four floats at once, as compilers have them on every processor.
    using Four = float __attribute__((vector_size(16)));
    static Four four(const float* from) {
        Four v;
        std::memcpy(&v, from, sizeof v);
        return v;
    }

    explicit FourAt(const cv::Mat& values)
        : values_(values), base_(values.ptr<float>()), stride_(values.step1()), right_(values.cols - 1),
          low_(values.rows - 1) {}
    // Here, for it is asked for millions of times a frame.
    void operator()(float x, float y, float (&out)[4]) const {
        const float cx = x > 0 ? std::min(x, float(right_)) : 0, cy = y > 0 ? std::min(y, float(low_)) : 0;
        const int ix = static_cast<int>(cx), iy = static_cast<int>(cy);
        const float *top = base_ + std::size_t(iy) * stride_ + 4 * ix, *bottom = iy < low_ ? top + stride_ : top;
        const int next = ix < right_ ? 4 : 0;
        const float fx = cx - float(ix), fy = cy - float(iy);
        const Four upper = four(top) + (four(top + next) - four(top)) * fx,
                   lower = four(bottom) + (four(bottom + next) - four(bottom)) * fx, all = upper + (lower - upper) * fy;
        std::memcpy(out, &all, sizeof out);
    }

private:
    cv::Mat values_; ///< kept alive
    const float* base_;
    std::size_t stride_;
    int right_, low_;
};

} // namespace ulm
