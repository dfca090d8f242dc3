#include "core/finish/unsharp_stage.h"

#include "core/picture/gaussian.h"

namespace ulm {
namespace {

class UnsharpStage : public Stage {
public:
    UnsharpStage(StagePtr input, double amount, double radius)
        : Stage({input}, input->format(), KeyMaker("sharpen").add(input).add(amount).add(radius)),
          amount_(static_cast<float>(amount)), radius_(radius) {}
    const char* name() const override { return "sharpen"; }
    int margin() const override { return gaussianReach(radius_); }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        Plane& luma = out.planes[0];
        gaussianBlur(in[0].planes[0], format().frame(), radius_, luma);
        for (int y = luma.area().y; y < luma.area().bottom(); ++y) {
            const float* from = in[0].planes[0].row(y) + (luma.area().x - in[0].planes[0].area().x);
            float* to = luma.row(y);
            for (int x = 0; x < luma.area().w; ++x) to[x] = from[x] + amount_ * (from[x] - to[x]);
        }
        for (int c = 1; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
    }

private:
    float amount_;
    double radius_;
};

} // namespace

StagePtr unsharp(StagePtr input, double amount, double radius) {
    return std::make_shared<UnsharpStage>(input, amount, radius);
}

} // namespace ulm
