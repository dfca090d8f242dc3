#include "core/inspect/small_rgb.h"

#include "core/picture/colour.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

namespace ulm {

cv::Mat smallRgb(const Picture& p, const Rect& part, cv::Size size) {
    cv::Mat ycc[3];
    for (int c = 0; c < 3; ++c) {
        const Plane& plane = p.planes[std::size_t(c)];
        const Rect r = p.planeArea(c, part).intersected(plane.area());
        cv::resize(viewOf(plane)(cv::Rect(r.x - plane.area().x, r.y - plane.area().y, r.w, r.h)), ycc[c], size, 0, 0,
                   cv::INTER_AREA);
    }
    const MatrixWeights w = matrixWeights(p.format.colour.matrix);
    const float kr = float(w.kr), kb = float(w.kb), kg = 1 - kr - kb;
    cv::Mat rgb(size, CV_32FC3);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const float luma = ycc[0].at<float>(y, x), r = luma + 2 * (1 - kr) * ycc[2].at<float>(y, x),
                        b = luma + 2 * (1 - kb) * ycc[1].at<float>(y, x), g = (luma - kr * r - kb * b) / kg;
            rgb.at<cv::Vec3f>(y, x) = {std::clamp(r, 0.f, 1.f), std::clamp(g, 0.f, 1.f), std::clamp(b, 0.f, 1.f)};
        }
    return rgb;
}

} // namespace ulm
