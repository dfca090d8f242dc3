#include "core/restore/clean_stages.h"

#include "core/restore/dct_shrink.h"

namespace ulm {
namespace {

// How many 8-bit steps of threshold one step at block edges asks for; set on encodes of drawn pictures (docs/clean.md).
constexpr double kThresholdPerEdgeStep = 4.0;

class ShrinkStage : public Stage {
public:
    ShrinkStage(const char* name, StagePtr input, float threshold, int radius)
        : Stage({input}, input->format(), KeyMaker(name).add(input).add(double(threshold)).add(radius)), name_(name),
          threshold_(threshold), radius_(radius) {}

    const char* name() const override { return name_; }
    int temporalRadius() const override { return radius_; }
    int margin() const override {
        // A chroma sample stands for up to 2^sub luma pixels, and so does its margin.
        return kDctShrinkMargin << std::max(format().subW, format().subH);
    }

    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                 const CancelToken& cancel) const override {
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            const Rect whole = out.planeArea(c, format().frame());
            const std::vector<Plane> planes = planesAround(frame, in, c);
            dctShrink(planes, whole, threshold_, out.planes[c]);
        }
    }

private:
    // Earlier, this and later; at a clip's ends the one neighbour there is stands in for both.
    std::vector<Plane> planesAround(std::int64_t frame, std::span<const Picture> in, int c) const {
        if (radius_ == 0 || in.size() == 1) return {in[0].planes[c]};
        if (in.size() == 3) return {in[0].planes[c], in[1].planes[c], in[2].planes[c]};
        const Plane &here = in[frame == 0 ? 0 : 1].planes[c], &other = in[frame == 0 ? 1 : 0].planes[c];
        return {other, here, other};
    }

    const char* name_;
    float threshold_;
    int radius_;
};

class MixStage : public Stage {
public:
    MixStage(StagePtr treated, StagePtr original, double share)
        : Stage({treated, original}, treated->format(), KeyMaker("mix").add(treated).add(original).add(share)),
          share_(static_cast<float>(share)) {}
    const char* name() const override { return "mix"; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        return {{0, frame, region}, {1, frame, region}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c)
            for (int y = out.planes[c].area().y; y < out.planes[c].area().bottom(); ++y) {
                const float *a = in[0].planes[c].row(y), *b = in[1].planes[c].row(y);
                float* to = out.planes[c].row(y);
                for (int x = 0; x < out.planes[c].area().w; ++x) to[x] = a[x] + share_ * (b[x] - a[x]);
            }
    }

private:
    float share_;
};

} // namespace

float deblockThreshold(double blocks) { return static_cast<float>(blocks * 0.1 * kThresholdPerEdgeStep / 219.0); }

// 2.7 sigma is where hard thresholding of an overcomplete DCT is best (Yu & Sapiro 2011).
float denoiseThreshold(double noise) { return static_cast<float>(noise * 2.7 / 219.0); }

StagePtr deblock(StagePtr input, double blocks) {
    return std::make_shared<ShrinkStage>("deblock", input, deblockThreshold(blocks), 0);
}

StagePtr denoise(StagePtr input, double noise) {
    return std::make_shared<ShrinkStage>("denoise", input, denoiseThreshold(noise), 1);
}

StagePtr keepOriginal(StagePtr treated, StagePtr original, double share) {
    return std::make_shared<MixStage>(treated, original, share);
}

} // namespace ulm
