#include "core/picture/soften.h"

#include "core/picture/opencv_view.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

// Variance of a box of this radius: ((2r + 1)² − 1) / 12. Three of them make sigma².
int boxRadius(double sigma) { return std::max(1, int(std::lround((std::sqrt(4 * sigma * sigma + 1) - 1) / 2))); }

} // namespace

Plane boxMean(const Plane& in, int radius) {
    Plane out = Plane::make(in.area());
    cv::Mat to = viewOf(out);
    const int side = 2 * radius + 1;
    cv::blur(viewOf(in), to, {side, side}, {-1, -1}, cv::BORDER_REPLICATE | cv::BORDER_ISOLATED);
    return out;
}

Plane softened(const Plane& in, double sigma) {
    const int radius = boxRadius(sigma);
    return boxMean(boxMean(boxMean(in, radius), radius), radius);
}

int softReach(double sigma) { return 3 * boxRadius(sigma); }

Plane cellMeans(const Plane& in, const Rect& whole, int by) {
    if (by == 1) return in;
    const Rect a = in.area();
    const auto up = [by](int v) { return (v + by - 1) / by; };
    const int left = up(a.x), top = up(a.y);
    const int right = a.right() == whole.right() ? up(a.right()) : a.right() / by,
              bottom = a.bottom() == whole.bottom() ? up(a.bottom()) : a.bottom() / by;
    Plane cells = Plane::make({left, top, right - left, bottom - top});
    const Rect used = Rect{left * by, top * by, (right - left) * by, (bottom - top) * by};
    const Rect there = used.intersected(a);
    cv::Mat from = viewOf(in.view(there));
    if (there.w < used.w || there.h < used.h) {
        cv::Mat filled;
        cv::copyMakeBorder(from, filled, 0, used.h - there.h, 0, used.w - there.w,
                           cv::BORDER_REPLICATE | cv::BORDER_ISOLATED);
        from = filled;
    }
    cv::Mat to = viewOf(cells);
    cv::resize(from, to, to.size(), 0, 0, cv::INTER_AREA);
    return cells;
}

void stretchCells(const Plane& cells, int by, Plane& out) {
    if (by == 1) return copySamples(cells, out);
    const Rect c = cells.area();
    Plane all = Plane::make({c.x * by, c.y * by, c.w * by, c.h * by});
    cv::Mat to = viewOf(all);
    cv::resize(viewOf(cells), to, to.size(), 0, 0, cv::INTER_LINEAR);
    copySamples(all, out);
}

} // namespace ulm
