#include "core/motion/sampling.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

namespace ulm {
namespace {

// Four floats at once, as compilers have them on every processor.
using Four = float __attribute__((vector_size(16)));

Four four(const float* from) {
    Four v;
    std::memcpy(&v, from, sizeof v);
    return v;
}

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

} // namespace

cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy, float reach) {
    const auto& weights = cubic();
    const Rect from = there.area();
    const std::ptrdiff_t stride = there.stride();
    const float* base = there.row(from.y);
    const auto phased = [reach](float v) { // a place, in phases
        return static_cast<int>(std::lrint(std::clamp(v, -reach, reach) * kPhases));
    };
    cv::Mat out(area.h, area.w, CV_32F);
    for (int y = 0; y < area.h; ++y) {
        const float *fx = dx.ptr<float>(y), *fy = dy.ptr<float>(y);
        float* o = out.ptr<float>(y);
        for (int x = 0; x < area.w; ++x) {
            const int px = (area.x - from.x + x) * kPhases + phased(fx[x]),
                      py = (area.y - from.y + y) * kPhases + phased(fy[x]);
            const int ix = px >> 5, iy = py >> 5;
            const auto &wx = weights[std::size_t(px & 31)], &wy = weights[std::size_t(py & 31)];
            if (ix >= 1 && iy >= 1 && ix + 2 < from.w && iy + 2 < from.h) {
                const float* s = base + (iy - 1) * stride + (ix - 1);
                const Four rows = four(s) * wy[0] + four(s + stride) * wy[1] + four(s + 2 * stride) * wy[2] +
                                  four(s + 3 * stride) * wy[3],
                           all = rows * four(wx.data());
                o[x] = (all[0] + all[1]) + (all[2] + all[3]);
                continue;
            }
            float sum = 0;
            for (int j = 0; j < 4; ++j) {
                const float* s = base + std::clamp(iy - 1 + j, 0, from.h - 1) * stride;
                float line = 0;
                for (int i = 0; i < 4; ++i) line += wx[std::size_t(i)] * s[std::clamp(ix - 1 + i, 0, from.w - 1)];
                sum += wy[std::size_t(j)] * line;
            }
            o[x] = sum;
        }
    }
    return out;
}

void FourAt::operator()(float x, float y, float (&out)[4]) const {
    const float cx = x > 0 ? std::min(x, float(values_.cols - 1)) : 0,
                cy = y > 0 ? std::min(y, float(values_.rows - 1)) : 0;
    const int ix = static_cast<int>(cx), iy = static_cast<int>(cy);
    const int right = std::min(ix + 1, values_.cols - 1), low = std::min(iy + 1, values_.rows - 1);
    const float *top = values_.ptr<float>(iy), *bottom = values_.ptr<float>(low);
    const float fx = cx - float(ix), fy = cy - float(iy);
    const auto mixed = [](Four a, Four b, float share) { return a + (b - a) * share; };
    const Four upper = mixed(four(top + 4 * ix), four(top + 4 * right), fx),
               lower = mixed(four(bottom + 4 * ix), four(bottom + 4 * right), fx), all = mixed(upper, lower, fy);
    std::memcpy(out, &all, sizeof out);
}

} // namespace ulm
