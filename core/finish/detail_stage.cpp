#include "core/finish/detail_stage.h"

#include "core/picture/gaussian.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

constexpr std::array<double, 4> kSigmas = {0.7, 1.4, 2.8, 5.6};
constexpr float kStep = 1 / 219.f;

class DetailStage : public Stage {
public:
    DetailStage(StagePtr input, const std::array<double, 4>& gains, double threshold)
        : Stage({input}, input->format(), keyOf(input, gains, threshold)), gains_(gains),
          threshold_(float(threshold) * kStep) {}
    const char* name() const override { return "detail"; }
    int margin() const override { return gaussianReach(kSigmas[widest()]); }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const Plane& luma = in[0].planes[0];
        Plane& to = out.planes[0];
        copySamples(luma, to);
        Plane finer = luma, coarser = Plane::make(to.area());
        for (std::size_t k = 0; k <= widest(); ++k) {
            cancel.check();
            gaussianBlur(luma, format().frame(), kSigmas[k], coarser);
            addBand(finer, coarser, static_cast<float>(gains_[k]), to);
            finer = coarser.copy();
        }
        for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
    }

private:
    static Key keyOf(const StagePtr& input, const std::array<double, 4>& gains, double threshold) {
        KeyMaker key("detail");
        key.add(input).add(threshold);
        for (const double g : gains) key.add(g);
        return key;
    }
    std::size_t widest() const {
        std::size_t k = 3;
        while (k > 0 && gains_[k] <= 0) --k;
        return k;
    }
    // Soft threshold: what exceeds it counts from there, so nothing jumps.
    void addBand(const Plane& finer, const Plane& coarser, float gain, Plane& to) const {
        if (gain <= 0) return;
        const Rect r = to.area();
        for (int y = r.y; y < r.bottom(); ++y) {
            const float *a = finer.row(y) + (r.x - finer.area().x), *b = coarser.row(y);
            float* o = to.row(y);
            for (int x = 0; x < r.w; ++x) {
                const float band = a[x] - b[x], over = std::abs(band) - threshold_;
                o[x] += gain * (over > 0 ? std::copysign(over, band) : 0.f);
            }
        }
    }

    std::array<double, 4> gains_;
    float threshold_;
};

class GuardStage : public Stage {
public:
    GuardStage(StagePtr sharpened, StagePtr plain, double limit, bool shadows)
        : Stage({sharpened, plain}, plain->format(),
                KeyMaker("guard").add(sharpened).add(plain).add(limit).add(int(shadows))),
          limit_(static_cast<float>(limit)), shadows_(shadows) {}
    const char* name() const override { return "guard"; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        return {{0, frame, region}, {1, frame, region.grown(2).intersected(format().frame())}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const Plane &sharp = in[0].planes[0], &plain = in[1].planes[0];
        cv::Mat low, high;
        const cv::Mat square = cv::getStructuringElement(cv::MORPH_RECT, {5, 5});
        cv::erode(viewOf(plain), low, square);
        cv::dilate(viewOf(plain), high, square);
        const Rect r = out.planes[0].area(), p = plain.area();
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = 0; x < r.w; ++x) {
                const int px = r.x - p.x + x;
                const float was = plain.row(y)[px], least = low.at<float>(y - p.y, px),
                            most = high.at<float>(y - p.y, px);
                float v = sharp.row(y)[x];
                if (v > most) v -= limit_ * (v - most);
                if (v < least) v += limit_ * (least - v);
                if (shadows_) v = was + std::clamp(was / 0.25f, 0.f, 1.f) * (v - was);
                out.planes[0].row(y)[x] = v;
            }
        for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
    }

private:
    float limit_;
    bool shadows_;
};

} // namespace

StagePtr sharpenByDetail(StagePtr input, const std::array<double, 4>& gains, double threshold) {
    return std::make_shared<DetailStage>(input, gains, threshold);
}

StagePtr guardSharpening(StagePtr sharpened, StagePtr plain, double haloLimit, bool protectShadows) {
    return std::make_shared<GuardStage>(sharpened, plain, haloLimit, protectShadows);
}

} // namespace ulm
