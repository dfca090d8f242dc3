#include "core/motion/between_passing.h"

#include <algorithm>
#include <limits>
#include <opencv2/core/hal/intrin.hpp>

namespace ulm {
namespace {

constexpr float kNobody = std::numeric_limits<float>::max(); // as little trusted as what passes no place

// Of at least −1.
int floorOf(float v) {
    const int i = static_cast<int>(v);
    return i - (v < static_cast<float>(i));
}

// A side's places as they pass the instant, `part` of the way to the other: each is offered to the four around its
// path's crossing, which keep it if they trust none more.
cv::Mat crossing(const cv::Mat& seen, float part) {
    cv::Mat kept(seen.size(), CV_32FC4, cv::Scalar(0, 0, 0, kNobody));
    const int right = seen.cols - 1, low = seen.rows - 1;
    for (int y = 0; y < seen.rows; ++y) {
        const auto* const s = seen.ptr<cv::Vec4f>(y);
        for (int x = 0; x < seen.cols; ++x) {
            const float px = float(x) + part * s[x][1], py = float(y) + part * s[x][2];
            if (!(px >= -1 && py >= -1 && px < float(seen.cols) && py < float(seen.rows))) continue; // NaN too
            const int cx = floorOf(px), cy = floorOf(py);
            const int columns[] = {std::max(0, cx), std::min(right, cx + 1)};
            const cv::v_float32x4 here = cv::v_load(s[x].val), trust = cv::v_broadcast_element<3>(here);
            // At the rim two of the four are one: to be offered the same twice changes nothing.
            for (const int j : {std::max(0, cy), std::min(low, cy + 1)})
                for (const int i : columns) {
                    float* const k = kept.ptr<cv::Vec4f>(j)[i].val;
                    const cv::v_float32x4 was = cv::v_load(k);
                    cv::v_store(k, cv::v_select(trust < cv::v_broadcast_element<3>(was), here, was));
                }
        }
    }
    return kept;
}

} // namespace

std::array<cv::Mat, 2> passing(const BetweenSide& a, const BetweenSide& b, float part) {
    const cv::Mat fromA = crossing(a.seen, part), fromB = crossing(b.seen, 1 - part);
    std::array<cv::Mat, 2> paths{cv::Mat(fromA.size(), CV_32FC2), cv::Mat(fromA.size(), CV_32FC2)};
    for (int y = 0; y < fromA.rows; ++y) {
        const auto *const f = fromA.ptr<cv::Vec4f>(y), *const g = fromB.ptr<cv::Vec4f>(y),
                          *const p = a.seen.ptr<cv::Vec4f>(y), *const q = b.seen.ptr<cv::Vec4f>(y);
        auto *const byA = paths[0].ptr<cv::Vec2f>(y), *const byB = paths[1].ptr<cv::Vec2f>(y);
        for (int x = 0; x < fromA.cols; ++x) {
            const bool ofA = f[x][3] < kNobody, ofB = g[x][3] < kNobody;
            const cv::Vec2f there(f[x][1], f[x][2]), back(-g[x][1], -g[x][2]);
            byA[x] = ofA ? there : ofB ? back : cv::Vec2f(p[x][1], p[x][2]);
            byB[x] = ofB ? back : ofA ? there : cv::Vec2f(-q[x][1], -q[x][2]);
        }
    }
    return paths;
}

} // namespace ulm
