#include "core/motion/between_whole.h"

#include "core/motion/between_field.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

// Doubt, 8-bit steps on average around a place, from which on what is mixed is seen to tear or to be double.
constexpr double kTorn = 24;
// The same near such a place: a thing is left here, and comes there, where it may be doubted more.
constexpr double kDoubtful = 12;
// Doubt that makes a path count half as much for what lies around it.
constexpr double kUnsure = 8;
// Places that are searched: over how many doubt is averaged; how far is near; how much further around it a thing is
// kept whole, so that its shapes in both frames lie within; how softly that ends; over how many paths are averaged,
// three times.
constexpr int kAround = 5, kNear = 12, kFurther = 3, kSoft = 7, kSmooth = 13;

int odd(int places, int fine) { return places / 2 * fine * 2 + 1; }

void average(cv::Mat& m, int side) { cv::blur(m, m, {side, side}, {-1, -1}, cv::BORDER_REPLICATE); }

// What is shown moves along `x`, `y` on average.
struct Paths {
    cv::Mat x, y;
};

Paths meanPaths(const BetweenField& field) {
    Paths p{cv::Mat::zeros(field.doubt.size(), CV_32F), cv::Mat::zeros(field.doubt.size(), CV_32F)};
    for (const BetweenLayer& l : field.layers) {
        const cv::Mat share = l.shareA + l.shareB;
        cv::accumulateProduct(share, l.dx, p.x);
        cv::accumulateProduct(share, l.dy, p.y);
    }
    return p;
}

// Their mean around each place by weight, over about twice `side`; 0 where nothing around has any.
Paths smoothed(const Paths& p, const cv::Mat& weight, int side) {
    cv::Mat all = weight.clone();
    Paths mean{p.x.mul(weight), p.y.mul(weight)};
    for (int k = 0; k < 3; ++k)
        for (cv::Mat* m : {&all, &mean.x, &mean.y}) average(*m, side);
    all = cv::max(all, 1e-7);
    mean.x /= all, mean.y /= all;
    return mean;
}

// Within `torn`, the path of what moves there against its surroundings, which it would tear from if it went with them:
// each counts by how little it is doubted.
Paths pathsWithin(const cv::Mat& torn, const BetweenField& field, const cv::Mat& doubt, int side) {
    constexpr double kWithThem = 0.5; // places a frame: what goes with its surroundings counts a little too
    cv::Mat weight = doubt / kUnsure;
    cv::multiply(weight, weight, weight);
    cv::divide(1.0, 1 + weight, weight);
    const Paths all = meanPaths(field), around = smoothed(all, weight.mul(1 - torn), 2 * side - 1);
    cv::Mat apart;
    cv::magnitude(all.x - around.x, all.y - around.y, apart);
    return smoothed(all, weight.mul(torn).mul(apart + kWithThem), side);
}

// 1 where detail is clear (8-bit steps a place) and the same in both, as of a caption or a post: that stands still,
// whatever passes behind it.
cv::Mat standsStill(const cv::Mat& a, const cv::Mat& b) {
    constexpr int kBeside = 3;
    constexpr float kFaint = 3, kClear = 6, kSame = 0.125f, kOther = 0.25f; // the last two: of the slope
    cv::Mat differ, across, down, slope;
    cv::absdiff(a, b, differ);
    cv::Sobel(a, across, CV_32F, 1, 0, 3, 0.125);
    cv::Sobel(a, down, CV_32F, 0, 1, 3, 0.125);
    cv::magnitude(across, down, slope);
    average(differ, kBeside), average(slope, kBeside);
    for (int y = 0; y < a.rows; ++y) {
        const float* const d = differ.ptr<float>(y);
        float* const s = slope.ptr<float>(y);
        for (int x = 0; x < a.cols; ++x) {
            const float clear = std::clamp((s[x] - kFaint) / (kClear - kFaint), 0.f, 1.f);
            s[x] = clear * std::clamp((kOther * s[x] - d[x]) / ((kOther - kSame) * std::max(s[x], kFaint)), 0.f, 1.f);
        }
    }
    cv::dilate(slope, slope, cv::Mat()); // what lies between its edges too
    return slope;
}

// 1 where A is shown, 0 where B is: the nearer in time, but for what only the other one has within its borders.
cv::Mat sideA(const BetweenLayer& l, float part, int side) {
    cv::Mat a(l.dx.size(), CV_32F);
    const float right = float(a.cols - 1), low = float(a.rows - 1);
    for (int y = 0; y < a.rows; ++y) {
        const float *dx = l.dx.ptr<float>(y), *dy = l.dy.ptr<float>(y);
        auto* of = a.ptr<float>(y);
        for (int x = 0; x < a.cols; ++x) {
            const auto within = [&](float along) {
                const float px = float(x) + along * dx[x], py = float(y) + along * dy[x];
                return px >= 0 && py >= 0 && px <= right && py <= low;
            };
            const bool inA = within(-part), inB = within(1 - part);
            of[x] = (inA == inB ? part < 0.5f : inA) ? 1.f : 0.f;
        }
    }
    average(a, side);
    return cv::min(cv::max(1.002 * a - 0.001, 0), 1); // all of one side to the bit: the other is not looked up then
}

} // namespace

void keepWhole(BetweenField& field, const cv::Mat& a, const cv::Mat& b, float part, int fine) {
    BetweenLayer kept;
    for (cv::Mat* m : {&kept.dx, &kept.dy, &kept.shareA, &kept.shareB}) *m = cv::Mat::zeros(field.doubt.size(), CV_32F);
    cv::Mat doubt, torn;
    cv::blur(field.doubt, doubt, {odd(kAround, fine), odd(kAround, fine)});
    cv::threshold(doubt, torn, kTorn, 1, cv::THRESH_BINARY);
    if (cv::countNonZero(torn) > 0) {
        cv::Mat doubtful;
        cv::threshold(doubt, doubtful, kDoubtful, 1, cv::THRESH_BINARY);
        const int near = 2 * kNear * fine + 1;
        cv::dilate(torn, torn, cv::Mat::ones(near, near, CV_8U));
        torn = torn.mul(doubtful);
        const int further = 2 * kFurther * fine + 1;
        cv::dilate(torn, torn, cv::getStructuringElement(cv::MORPH_ELLIPSE, {further, further}));
        const Paths paths = pathsWithin(torn, field, doubt, odd(kSmooth, fine));
        kept.dx = paths.x, kept.dy = paths.y;
        cv::Mat share;
        cv::GaussianBlur(torn, share, {odd(kSoft, fine), odd(kSoft, fine)}, 0);
        share = share.mul(1 - standsStill(a, b));
        const cv::Mat rest = 1 - share;
        for (BetweenLayer& l : field.layers) l.shareA = l.shareA.mul(rest), l.shareB = l.shareB.mul(rest);
        field.mendable = field.mendable.mul(rest);
        kept.shareA = sideA(kept, part, odd(kAround, fine)).mul(share);
        kept.shareB = share - kept.shareA;
    }
    field.layers.push_back(kept);
}

} // namespace ulm
