#include "core/restore/clean_stages.h"

#include "core/restore/dct_shrink.h"

namespace ulm {
namespace {

// How many 8-bit steps of threshold one step at block edges asks for; set on encodes of drawn pictures (docs/clean.md).
constexpr double kThresholdPerEdgeStep = 4.0;

// inputs: this frame alone, or earlier, this and later, all moved onto this one.
class ShrinkStage : public Stage {
public:
    ShrinkStage(const char* name, std::vector<StagePtr> inputs, float threshold, Planes planes)
        : Stage(inputs, inputs.back()->format(), keyOf(name, inputs, threshold, planes)), name_(name),
          threshold_(threshold), planes_(planes) {}

    const char* name() const override { return name_; }
    int margin() const override {
        // A chroma sample stands for up to 2^sub luma pixels, and so does its margin.
        return kDctShrinkMargin << std::max(format().subW, format().subH);
    }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        std::vector<Need> all;
        for (std::size_t k = 0; k < inputs().size(); ++k)
            all.push_back({static_cast<int>(k), frame, region.grown(margin()).intersected(format().frame())});
        return all;
    }

    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            if ((c == 0 && planes_ == Planes::Chroma) || (c > 0 && planes_ == Planes::Luma)) {
                copySamples(in[in.size() / 2].planes[c], out.planes[c]);
                continue;
            }
            std::vector<Plane> planes;
            for (const Picture& p : in) planes.push_back(p.planes[c]);
            dctShrink(planes, out.planeArea(c, format().frame()), threshold_, out.planes[c]);
        }
    }

private:
    static Key keyOf(const char* name, const std::vector<StagePtr>& inputs, float threshold, Planes planes) {
        KeyMaker key(name);
        for (const StagePtr& i : inputs) key.add(i);
        return key.add(double(threshold)).add(static_cast<int>(planes));
    }

    const char* name_;
    float threshold_;
    Planes planes_;
};

} // namespace

float deblockThreshold(double blocks) { return static_cast<float>(blocks * 0.1 * kThresholdPerEdgeStep / 219.0); }

// 2.7 sigma is where hard thresholding of an overcomplete DCT is best (Yu & Sapiro 2011).
float denoiseThreshold(double noise) { return static_cast<float>(noise * 2.7 / 219.0); }

StagePtr deblock(StagePtr input, double blocks) {
    return std::make_shared<ShrinkStage>("deblock", std::vector{input}, deblockThreshold(blocks), Planes::All);
}

StagePtr denoise(StagePtr input, double noise, Planes planes, const std::vector<StagePtr>& neighbours) {
    std::vector<StagePtr> inputs{input};
    if (neighbours.size() == 2) inputs = {neighbours[0], input, neighbours[1]};
    return std::make_shared<ShrinkStage>("denoise", std::move(inputs), denoiseThreshold(noise), planes);
}

} // namespace ulm
