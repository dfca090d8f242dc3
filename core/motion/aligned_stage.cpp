#include "core/motion/aligned_stage.h"

#include "core/motion/field.h"
#include "core/motion/flow_stage.h"
#include "core/picture/opencv_view.h"
#include "core/picture/sampling.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

constexpr int kTrustMargin = 4; // a 3×3 and a 5×5 mean; one more, and moved samples there need no margin of their own

// Movement over two frames: that to the next one, and where it leads, that of the next one to the one after. Both are
// searched for anyway where neighbours are treated too, so that a clip costs two searches a frame however far it looks.
class ChainedFlowStage : public Stage {
public:
    ChainedFlowStage(StagePtr guide, StagePtr step, int offset)
        : Stage({guide, step}, step->format(), KeyMaker("chained flow").add(step)), offset_(offset) {}
    const char* name() const override { return "flow"; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        const Rect all = format().frame();
        return {{1, n, all}, {1, n + offset_, all}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const int w = format().width, h = format().height;
        cv::Mat mx(h, w, CV_32F), my(h, w, CV_32F);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) { // the field is at half the size, its numbers in whole pixels
                mx.at<float>(y, x) = float(x) + in[0].planes[0].row(y)[x] / 2;
                my.at<float>(y, x) = float(y) + in[0].planes[1].row(y)[x] / 2;
            }
        for (int axis : {0, 1}) {
            cv::Mat onward, sum = viewOf(out.planes[axis]);
            cv::remap(viewOf(in[1].planes[axis]), onward, mx, my, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
            cv::add(viewOf(in[0].planes[axis]), onward, sum);
        }
        viewOf(out.planes[2]) = 0;
    }

private:
    int offset_; ///< one frame onward: -1 or 1
};

// Networks, which look at luma, lose nothing by a search that ends at a quarter of the size and is refined once: 0.02
// dB against masters for a quarter of the time. Filters that average along movement would lose 0.15 dB.
FlowSearch searchFor(Moved planes) {
    return planes == Moved::Luma ? FlowSearch{.finest = 1, .stride = 4, .refinements = 1} : FlowSearch{};
}

// Flow from each frame to the one `offset` frames on.
StagePtr flowTo(const StagePtr& guide, int offset, const FlowSearch& how) {
    if (std::abs(offset) != 2) return flowStage(guide, offset, how);
    const int one = offset / 2;
    return std::make_shared<ChainedFlowStage>(guide, flowStage(guide, one, how), one);
}

class AlignedStage : public Stage {
public:
    AlignedStage(StagePtr input, StagePtr flow, int offset, Moved planes)
        : Stage({input, flow}, input->format(), KeyMaker("aligned").add(input).add(flow).add(offset).add(int(planes))),
          offset_(offset), planes_(planes) {}
    const char* name() const override { return "aligned"; }
    std::int64_t frames() const override { return inputs()[0]->frames(); }

    std::vector<Need> needs(std::int64_t n, const Rect& region) const override {
        const Rect here = around(region, kTrustMargin);
        if (n + offset_ < 0 || n + offset_ >= frames()) return {{0, n, here}};
        return {{0, n, here}, {1, n, inputs()[1]->format().frame()}};
    }

    int laterNeeds() const override { return 1; }

    // Of the neighbour only what the flow points at: far less than all that it could point at.
    std::vector<Need> moreNeeds(std::int64_t n, const Rect&, std::span<const Picture> in) const override {
        if (in.size() == 1) return {};
        const Rect here = in[0].area, field = in[1].area;
        int low[2] = {0, 0}, high[2] = {0, 0};
        for (int axis : {0, 1}) {
            float least = 0, most = 0;
            for (int y = std::max(0, here.y / 2 - 1); y <= std::min(field.h - 1, here.bottom() / 2 + 1); ++y)
                for (int x = std::max(0, here.x / 2 - 1); x <= std::min(field.w - 1, here.right() / 2 + 1); ++x) {
                    const float v = std::clamp(in[1].planes[axis].row(y)[x], float(-kFlowReach), float(kFlowReach));
                    least = std::min(least, v);
                    most = std::max(most, v);
                }
            low[axis] = static_cast<int>(std::floor(least));
            high[axis] = static_cast<int>(std::ceil(most));
        }
        const Rect pointed{here.x + low[0], here.y + low[1], here.w + high[0] - low[0], here.h + high[1] - low[1]};
        // What cubic interpolation looks at beyond it lies in `here`'s margin.
        return {{0, n + offset_, around(pointed, 0)}};
    }

    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        if (in.size() == 1) {
            for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
            return;
        }
        const Rect here = in[0].area;
        const cv::Mat dx = spreadField(in[1].planes[0], here, 2, 2), dy = spreadField(in[1].planes[1], here, 2, 2);
        cancel.check();
        const cv::Mat luma = moved(in[2].planes[0], here, dx, dy, kFlowReach),
                      trust = trustOf(in[0].planes[0], luma, dx, dy);
        if (planes_ == Moved::Luma)
            for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
        for (int c = 0; c < (planes_ == Moved::Luma ? 1 : 3); ++c) {
            const Rect area = in[0].planes[c].area();
            const cv::Mat pt = shrunkField(trust, here, area, c, format());
            const cv::Mat from =
                c ? moved(in[2].planes[c], area, shrunkField(dx, here, area, c, format()) / (1 << format().subW),
                          shrunkField(dy, here, area, c, format()) / (1 << format().subH), kFlowReach)
                  : luma;
            const Rect to = out.planes[c].area();
            for (int y = to.y; y < to.bottom(); ++y) {
                const float *a = in[0].planes[c].row(y) + (to.x - area.x),
                            *b = from.ptr<float>(y - area.y) + (to.x - area.x),
                            *t = pt.ptr<float>(y - area.y) + (to.x - area.x);
                float* o = out.planes[c].row(y);
                for (int x = 0; x < to.w; ++x) o[x] = a[x] + t[x] * (b[x] - a[x]);
            }
        }
    }

private:
    // Even on all sides, so that chroma samples are whole.
    Rect around(const Rect& r, int by) const {
        Rect g = r.grown((by + 1) / 2 * 2);
        const int x = g.x & ~1, y = g.y & ~1;
        return Rect{x, y, ((g.right() + 1) & ~1) - x, ((g.bottom() + 1) & ~1) - y}.intersected(format().frame());
    }

    static cv::Mat trustOf(const Plane& here, const cv::Mat& moved, const cv::Mat& dx, const cv::Mat& dy) {
        cv::Mat d = moved - viewOf(here), mean;
        cv::blur(d, mean, {3, 3});
        mean = cv::abs(mean);
        cv::blur(mean, d, {5, 5});
        for (int y = 0; y < d.rows; ++y) {
            const float *fx = dx.ptr<float>(y), *fy = dy.ptr<float>(y);
            float* t = d.ptr<float>(y);
            for (int x = 0; x < d.cols; ++x) {
                const bool far = std::max(std::abs(fx[x]), std::abs(fy[x])) > kFlowReach;
                t[x] = far ? 0.f : std::clamp(2 - t[x] / kFlowTolerance, 0.f, 1.f);
            }
        }
        return d;
    }

    int offset_;
    Moved planes_;
};

} // namespace

StagePtr aligned(StagePtr input, StagePtr guide, int offset, Moved planes) {
    return std::make_shared<AlignedStage>(input, flowTo(guide, offset, searchFor(planes)), offset, planes);
}

std::vector<StagePtr> alignedAround(StagePtr input, StagePtr guide, int reach, Moved planes) {
    std::vector<StagePtr> all;
    for (int k = 1; k <= reach; ++k)
        for (const int offset : {-k, k}) all.push_back(aligned(input, guide, offset, planes));
    return all;
}

} // namespace ulm
