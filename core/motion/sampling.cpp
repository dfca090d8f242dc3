#include "core/motion/sampling.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ulm {
namespace {

constexpr int kPhases = 32;

// Weights of the four samples around a position, by its phase.
const std::array<std::array<float, 4>, kPhases>& cubic() {
    static const auto table = [] {
        std::array<std::array<float, 4>, kPhases> t{};
        constexpr double a = -0.75;
        const auto near = [](double x) { return ((a + 2) * x - (a + 3)) * x * x + 1; };
        const auto far = [](double x) { return ((a * x - 5 * a) * x + 8 * a) * x - 4 * a; };
        for (int i = 0; i < kPhases; ++i) {
            const double x = double(i) / kPhases;
            t[std::size_t(i)] = {float(far(1 + x)), float(near(x)), float(near(1 - x)), float(far(2 - x))};
        }
        return t;
    }();
    return table;
}

class Sampler {
public:
    Sampler(const Plane& there, const Rect& area, float reach)
        : from_(there.area()), stride_(there.stride()), base_(there.row(from_.y)), left_(area.x - from_.x),
          top_(area.y - from_.y), reach_(reach) {}
    // The sample that a path from this place of the area leads to.
    float operator()(int x, int y, float dx, float dy) const {
        const int px = (left_ + x) * kPhases + phased(dx), py = (top_ + y) * kPhases + phased(dy);
        const int ix = px >> 5, iy = py >> 5;
        const auto &wx = weights_[std::size_t(px & 31)], &wy = weights_[std::size_t(py & 31)];
        if (ix >= 1 && iy >= 1 && ix + 2 < from_.w && iy + 2 < from_.h) {
            const float* s = base_ + (iy - 1) * stride_ + (ix - 1);
            const FourAt::Four rows = FourAt::four(s) * wy[0] + FourAt::four(s + stride_) * wy[1] +
                                      FourAt::four(s + 2 * stride_) * wy[2] + FourAt::four(s + 3 * stride_) * wy[3],
                               all = rows * FourAt::four(wx.data());
            return (all[0] + all[1]) + (all[2] + all[3]);
        }
        float sum = 0;
        for (int j = 0; j < 4; ++j) {
            const float* s = base_ + std::clamp(iy - 1 + j, 0, from_.h - 1) * stride_;
            float line = 0;
            for (int i = 0; i < 4; ++i) line += wx[std::size_t(i)] * s[std::clamp(ix - 1 + i, 0, from_.w - 1)];
            sum += wy[std::size_t(j)] * line;
        }
        return sum;
    }

private:
    int phased(float v) const { return static_cast<int>(std::lrint(std::clamp(v, -reach_, reach_) * kPhases)); }
    const std::array<std::array<float, 4>, kPhases>& weights_ = cubic();
    Rect from_;
    std::ptrdiff_t stride_;
    const float* base_;
    int left_, top_;
    float reach_;
};

} // namespace

cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, float reach) {
    const Sampler sample(there, area, reach);
    cv::Mat out(area.h, area.w, CV_32F);
    for (int y = 0; y < area.h; ++y) {
        const float *fx = dx.ptr<float>(y), *fy = dy.ptr<float>(y);
        float* o = out.ptr<float>(y);
        for (int x = 0; x < area.w; ++x) o[x] = sample(x, y, fx[x], fy[x]);
    }
    return out;
}

void addMoved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, FieldScale scale, float reach,
              const cv::Mat& share, cv::Mat& sum) {
    const Sampler sample(there, area, reach);
    for (int y = 0; y < area.h; ++y) {
        const float *fx = dx.ptr<float>(y), *fy = dy.ptr<float>(y), *w = share.ptr<float>(y);
        float* o = sum.ptr<float>(y);
        for (int x = 0; x < area.w; ++x)
            if (w[x] != 0) o[x] += w[x] * sample(x, y, scale.across * fx[x], scale.down * fy[x]);
    }
}

} // namespace ulm
