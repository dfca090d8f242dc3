#include "core/motion/flow_stage.h"

#include "core/motion/field.h"
#include "core/motion/reduced_stage.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

namespace ulm {
namespace {

constexpr int kLeastSide = 24; // the search needs room for its pieces

class FlowStage : public Stage {
public:
    FlowStage(StagePtr guide, int offset, const FlowSearch& how)
        : Stage({reducedStage(guide, how.divisor)}, reduced(guide->format(), how.divisor),
                KeyMaker("flow").add(guide).add(offset).add(&how, sizeof how)),
          offset_(offset), how_(how) {}
    const char* name() const override { return "flow"; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        const Rect all = inputs()[0]->format().frame();
        return {{0, n, all}, {0, n + offset_, all}};
    }
    // The search keeps pyramids of both pictures, their gradients and sums of these, and its refinement's equations.
    std::int64_t workBytes(const Rect&) const override {
        return std::int64_t(160) * (format().width >> how_.finest) * (format().height >> how_.finest);
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const int w = format().width, h = format().height;
        cv::Mat flow(h, w, CV_32FC2, cv::Scalar(0, 0));
        if (std::min(w, h) >= kLeastSide << how_.finest) {
            cv::Mat here, there;
            viewOf(in[0].planes[0]).convertTo(here, CV_8U);
            viewOf(in[1].planes[0]).convertTo(there, CV_8U);
            cancel.check();
            const auto search = cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_MEDIUM);
            search->setFinestScale(how_.finest);
            search->setPatchStride(how_.stride);
            search->setGradientDescentIterations(how_.descents);
            search->setVariationalRefinementIterations(how_.refinements);
            search->calc(here, there, flow);
        }
        flow *= how_.divisor;
        cv::Mat both[] = {viewOf(out.planes[0]), viewOf(out.planes[1])};
        cv::split(flow, both);
        viewOf(out.planes[2]) = 0;
    }

private:
    int offset_;
    FlowSearch how_;
};

} // namespace

StagePtr flowStage(StagePtr guide, int offset, const FlowSearch& how) {
    return std::make_shared<FlowStage>(std::move(guide), offset, how);
}

} // namespace ulm
