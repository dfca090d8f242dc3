#include "core/motion/reduced_stage.h"

#include "core/motion/field.h"
#include "core/picture/opencv_view.h"

#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

PictureFormat smallest(PictureFormat f, int divisor) {
    f = reduced(f, divisor);
    f.subW = f.subH = 1; // of chroma there is nothing
    return f;
}

class ReducedStage : public Stage {
public:
    ReducedStage(StagePtr guide, int divisor)
        : Stage({guide}, smallest(guide->format(), divisor), KeyMaker("reduced").add(guide).add(divisor)) {}
    const char* name() const override { return "reduced"; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        return {{0, n, inputs()[0]->format().frame()}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        cv::Mat small = viewOf(out.planes[0]);
        cv::resize(viewOf(in[0].planes[0]), small, small.size(), 0, 0, cv::INTER_AREA);
        small.convertTo(small, CV_32F, 219, 16);
        for (int c : {1, 2}) viewOf(out.planes[c]) = 0;
    }
};

} // namespace

StagePtr reducedStage(StagePtr guide, int divisor) { return std::make_shared<ReducedStage>(std::move(guide), divisor); }

} // namespace ulm
