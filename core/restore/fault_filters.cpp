#include "core/engine/local_stage.h"
#include "core/picture/hash_noise.h"
#include "core/picture/opencv_view.h"
#include "core/restore/clean_stages.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

constexpr float kStep = 1 / 219.f;

Plane planeOf(const cv::Mat& m, const Rect& area) {
    Plane p = Plane::make(area);
    m.copyTo(viewOf(p));
    return p;
}

cv::Mat gradient(const cv::Mat& y) {
    cv::Mat gx, gy, g;
    cv::Scharr(y, gx, CV_32F, 1, 0, 1 / 32.0);
    cv::Scharr(y, gy, CV_32F, 0, 1, 1 / 32.0);
    cv::magnitude(gx, gy, g);
    return g;
}

// 0 below `low`, 1 above `high`, a straight line between.
cv::Mat ramp(const cv::Mat& v, float low, float high) {
    cv::Mat r = (v - low) / (high - low);
    return cv::min(cv::max(r, 0.f), 1.f);
}

cv::Mat square(int side) { return cv::getStructuringElement(cv::MORPH_RECT, {side, side}); }

// Ringing is unrest that an edge left around itself: near a strong edge, not on it, and stronger than what lies beyond.
class RingingStage : public LocalLumaStage {
public:
    RingingStage(StagePtr input, double ringing)
        : LocalLumaStage(input, KeyMaker("ringing").add(input).add(ringing), 28),
          range_(float(ringing) * 1.6f * kStep) {}
    const char* name() const override { return "ringing"; }

private:
    Plane treat(const Plane& luma, std::int64_t) const override {
        const cv::Mat y = viewOf(luma), g = gradient(y);
        cv::Mat strongest, here, soft, fine, unrest, beyond;
        cv::dilate(g, strongest, square(13)); // encoders ring inside a block: about 6 pixels
        cv::dilate(g, here, square(3));
        const cv::Mat near = ramp(strongest, 8 * kStep, 16 * kStep);
        const cv::Mat off = 1 - ramp(here / cv::max(strongest, kStep), 0.4f, 0.65f);
        cv::GaussianBlur(y, soft, {5, 5}, 1.0);
        fine = cv::abs(y - soft);
        cv::blur(fine.mul(off), unrest, {9, 9});
        cv::blur(fine.mul(1 - near), beyond, {31, 31});
        cv::Mat room;
        cv::blur(1 - near, room, {31, 31});
        beyond /= cv::max(room, 0.02f); // mean unrest where no edge is near
        const cv::Mat only = 1 - ramp(beyond / cv::max(unrest, 0.2f * kStep), 0.8f, 1.3f);
        cv::Mat mask = near.mul(off).mul(only);
        cv::GaussianBlur(mask, mask, {5, 5}, 1.0);
        // A mean of those samples alone that lie within the ripple's reach (Tomasi & Manduchi 1998): the edge stays
        // out.
        cv::Mat calm;
        cv::bilateralFilter(y, calm, 11, range_, 4.0);
        const cv::Mat result = y + mask.mul(calm - y);
        return planeOf(result, luma.area());
    }
    float range_;
};

// Slanted edges are averaged along their own direction, found by the structure tensor (Förstner & Gülch 1987).
class StairsStage : public LocalLumaStage {
public:
    StairsStage(StagePtr input, double share)
        : LocalLumaStage(input, KeyMaker("stairs").add(input).add(share), 16), share_(float(share)) {}
    const char* name() const override { return "stairs"; }

private:
    Plane treat(const Plane& luma, std::int64_t) const override {
        const cv::Mat y = viewOf(luma);
        cv::Mat gx, gy, xx, yy, xy;
        cv::Scharr(y, gx, CV_32F, 1, 0, 1 / 32.0);
        cv::Scharr(y, gy, CV_32F, 0, 1, 1 / 32.0);
        cv::GaussianBlur(gx.mul(gx), xx, {13, 13}, 2.2);
        cv::GaussianBlur(gy.mul(gy), yy, {13, 13}, 2.2);
        cv::GaussianBlur(gx.mul(gy), xy, {13, 13}, 2.2);
        cv::Mat mx(y.size(), CV_32F), my(y.size(), CV_32F), weight(y.size(), CV_32F), sum = y.clone(), sample;
        cv::Mat dx(y.size(), CV_32F), dy(y.size(), CV_32F);
        for (int r = 0; r < y.rows; ++r)
            for (int c = 0; c < y.cols; ++c) {
                const float a = xx.at<float>(r, c), b = yy.at<float>(r, c), d = xy.at<float>(r, c);
                const float apart = std::hypot(a - b, 2 * d), energy = a + b;
                const float angle = 0.5f * std::atan2(2 * d, a - b); // of the gradient
                dx.at<float>(r, c) = -std::sin(angle);
                dy.at<float>(r, c) = std::cos(angle);
                const float clear = energy > 0 ? apart / energy : 0, strong = std::sqrt(energy) / kStep;
                weight.at<float>(r, c) =
                    std::clamp((clear - 0.75f) / 0.15f, 0.f, 1.f) * std::clamp((strong - 3) / 4, 0.f, 1.f);
            }
        for (const int k : {-3, -2, -1, 1, 2, 3}) {
            for (int r = 0; r < y.rows; ++r)
                for (int c = 0; c < y.cols; ++c) {
                    mx.at<float>(r, c) = float(c) + float(k) * dx.at<float>(r, c);
                    my.at<float>(r, c) = float(r) + float(k) * dy.at<float>(r, c);
                }
            cv::remap(y, sample, mx, my, cv::INTER_LINEAR, cv::BORDER_REFLECT_101);
            sum += sample;
        }
        const cv::Mat result = y + share_ * weight.mul(sum / 7 - y);
        return planeOf(result, luma.area());
    }
    float share_;
};

// Between flat areas the mean over a window is a slope; it may move a sample by no more than the steps it dissolves.
// Wide bands take a wide window, narrow ones a narrow one.
class BandsStage : public LocalLumaStage {
public:
    BandsStage(StagePtr input, double share)
        : LocalLumaStage(input, KeyMaker("bands").add(input).add(share), 44), share_(float(share)) {}
    const char* name() const override { return "bands"; }

private:
    static constexpr float kMost = 4.5f * kStep;

    // Adds what a window of about `side` pixels changes, where all within it lies within two of the steps that are to
    // go: texture and edges spread wider, and wholly even areas hold no bands.
    static void dissolve(const cv::Mat& y, int side, cv::Mat& change, cv::Mat& done) {
        cv::Mat low, high, mean;
        cv::erode(y, low, square(side));
        cv::dilate(y, high, square(side));
        const cv::Mat spread = high - low;
        cv::Mat flat = 1 - ramp(spread, 2.2f * kMost, 3.2f * kMost);
        flat = flat.mul(ramp(spread, 0.2f * kStep, 0.6f * kStep));
        cv::GaussianBlur(flat, flat, {9, 9}, 2);
        const int half = side * 2 / 3 / 2 * 2 + 1;
        cv::blur(y, mean, {half, half});
        cv::blur(mean, mean, {half, half});
        const cv::Mat moved = cv::min(cv::max(mean - y, -kMost), kMost), left = flat.mul(1 - done);
        change += left.mul(moved);
        done += left;
    }

    Plane treat(const Plane& luma, std::int64_t frame) const override {
        const cv::Mat y = viewOf(luma);
        cv::Mat change = cv::Mat::zeros(y.size(), CV_32F), done = change.clone();
        dissolve(y, 31, change, done);
        dissolve(y, 15, change, done);
        dissolve(y, 7, change, done);
        Plane out = planeOf(y, luma.area());
        std::vector<float> dither(std::size_t(y.cols));
        for (int r = 0; r < y.rows; ++r) {
            std::ranges::fill(dither, 0.f);
            addHashNoise(dither.data(), y.cols, std::uint32_t(luma.area().x), std::uint32_t(luma.area().y + r),
                         std::uint32_t(frame), 17, 0.45f * kStep);
            float* const to = out.row(luma.area().y + r);
            for (int c = 0; c < y.cols; ++c)
                to[c] += share_ * (change.at<float>(r, c) + done.at<float>(r, c) * dither[std::size_t(c)]);
        }
        return out;
    }
    float share_;
};

class TextureStage : public LocalLumaStage {
public:
    TextureStage(StagePtr input, double share, double noise)
        : LocalLumaStage(input, KeyMaker("texture").add(input).add(share).add(noise), 16), share_(float(share)),
          noise_(float(noise) * kStep) {}
    const char* name() const override { return "texture"; }

private:
    Plane treat(const Plane& luma, std::int64_t) const override {
        const cv::Mat y = viewOf(luma);
        cv::Mat soft, energy;
        cv::GaussianBlur(y, soft, {7, 7}, 1.1);
        const cv::Mat fine = y - soft;
        cv::blur(cv::abs(fine), energy, {9, 9});
        // Above the noise, and not an edge, whose fine part is far stronger than its surroundings'.
        const cv::Mat above = ramp(energy, 0.9f * noise_ + 0.3f * kStep, 1.6f * noise_ + 1.2f * kStep),
                      edge = ramp(gradient(soft), 8 * kStep, 18 * kStep);
        const cv::Mat result = y + 0.8f * share_ * fine.mul(above).mul(1 - edge);
        return planeOf(result, luma.area());
    }
    float share_, noise_;
};

} // namespace

StagePtr calmRinging(StagePtr input, double ringing) { return std::make_shared<RingingStage>(input, ringing); }
StagePtr smoothStairs(StagePtr input, double share) { return std::make_shared<StairsStage>(input, share); }
StagePtr dissolveBands(StagePtr input, double share) { return std::make_shared<BandsStage>(input, share); }
StagePtr raiseTexture(StagePtr input, double share, double noise) {
    return std::make_shared<TextureStage>(input, share, noise);
}

} // namespace ulm
