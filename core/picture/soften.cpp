#include "core/picture/soften.h"

#include "core/picture/opencv_view.h"

#include <algorithm>
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
    const int first = left * by - a.x, count = (right - left) * by, there = std::min(count, a.w - first);
    std::vector<float> sum(std::size_t(count) + 1);
    const float share = 1 / float(by * by);
    for (int cy = top; cy < bottom; ++cy) {
        std::fill(sum.begin(), sum.end(), 0.f);
        for (int k = 0; k < by; ++k) {
            const float* const from = in.row(std::min(cy * by + k, a.bottom() - 1)) + first;
            for (int x = 0; x < there; ++x) sum[std::size_t(x)] += from[x];
        }
        std::fill_n(sum.begin() + there, count - there, sum[std::size_t(there) - 1]);
        float* const to = cells.row(cy);
        const float* s = sum.data();
        for (int x = 0; x < right - left; ++x, s += by) {
            float all = 0;
            for (int k = 0; k < by; ++k) all += s[k];
            to[x] = share * all;
        }
    }
    return cells;
}

StretchedCells::StretchedCells(const Plane& cells, int by)
    : cells_(cells), by_(by), mixed_(std::size_t(cells.area().w) + 2), line_(std::size_t((cells.area().w + 2) * by)) {
    for (int k = 0; k < by; ++k) parts_.push_back((float(k) + 0.5f) / float(by));
}

const float* StretchedCells::row(int y) {
    if (by_ == 1) return cells_.row(y);
    const Rect c = cells_.area();
    const float at = (float(y) + 0.5f) / float(by_) - 0.5f, part = at - std::floor(at);
    const auto line = [&](int v) { return cells_.row(std::clamp(v, c.y, c.bottom() - 1)); };
    const float *above = line(int(std::floor(at))), *below = line(int(std::floor(at)) + 1);
    float* const m = mixed_.data() + 1; // the outermost cells go on
    for (int x = 0; x < c.w; ++x) m[x] = above[x] + part * (below[x] - above[x]);
    m[-1] = m[0], m[c.w] = m[c.w - 1];
    // Between the centres of a cell and the next lie as many samples as a cell has: from the middle of the one on.
    float* to = line_.data();
    for (int x = -1; x < c.w; ++x, to += by_) {
        const float from = m[x], way = m[x + 1] - from;
        for (int k = 0; k < by_; ++k) to[k] = from + parts_[std::size_t(k)] * way;
    }
    return line_.data() + by_ / 2;
}

} // namespace ulm
