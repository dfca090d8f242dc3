#include "core/motion/aligned_stage.h"

#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

namespace ulm {
namespace {

constexpr int kTrustMargin = 4; // a 3×3 and a 5×5 mean; one more, and moved samples there need no margin of their own

PictureFormat halfOf(const PictureFormat& f) {
    PictureFormat h = f;
    h.width = std::max(1, (f.width + 1) / 2);
    h.height = std::max(1, (f.height + 1) / 2);
    h.subW = h.subH = 0;
    return h;
}

// Luma at half the size, in 8-bit codes as the search wants them.
cv::Mat halfLuma(const Plane& p, int w, int h) {
    cv::Mat half, codes;
    cv::resize(viewOf(p), half, cv::Size(w, h), 0, 0, cv::INTER_AREA);
    half.convertTo(codes, CV_8U, 219, 16);
    return codes;
}

// Movement from frame n to n + offset: planes 0 and 1 are columns and rows, in whole pixels, at half the size. Only
// whole frames are asked of it.
class FlowStage : public Stage {
public:
    FlowStage(StagePtr guide, int offset)
        : Stage({guide}, halfOf(guide->format()), KeyMaker("flow").add(guide).add(offset)), offset_(offset) {}
    const char* name() const override { return "flow"; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        const Rect all = inputs()[0]->format().frame();
        return {{0, n, all}, {0, n + offset_, all}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const int w = format().width, h = format().height;
        cv::Mat flow(h, w, CV_32FC2, cv::Scalar(0, 0));
        if (std::min(w, h) >= 24) { // the search needs room for its patches
            const cv::Mat here = halfLuma(in[0].planes[0], w, h), there = halfLuma(in[1].planes[0], w, h);
            cancel.check();
            const auto search = cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_MEDIUM);
            search->setFinestScale(0); // the picture is halved already
            search->setPatchStride(5); // with these three a half of the preset's time, at nearly its accuracy
            search->setGradientDescentIterations(12);
            search->setVariationalRefinementIterations(3);
            search->calc(here, there, flow);
        }
        flow *= 2;
        cv::Mat both[] = {viewOf(out.planes[0]), viewOf(out.planes[1])};
        cv::split(flow, both);
        viewOf(out.planes[2]) = 0;
    }

private:
    int offset_;
};

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

// Flow from each frame to the one `offset` frames on.
StagePtr flowTo(const StagePtr& guide, int offset) {
    if (std::abs(offset) != 2) return std::make_shared<FlowStage>(guide, offset);
    const int one = offset / 2;
    return std::make_shared<ChainedFlowStage>(guide, std::make_shared<FlowStage>(guide, one), one);
}

// A field at half the size, brought to the pixels of `to`: bilinear, as OpenCV's resize of the whole would be.
cv::Mat doubled(const Plane& p, const Rect& to) {
    struct Tap {
        int a, b;
        float share; // of b
    };
    const auto tapOf = [](int at, int size) {
        const float h = std::clamp((float(at) + 0.5f) / 2 - 0.5f, 0.f, float(size - 1));
        const int i = std::min(static_cast<int>(h), size - 1);
        return Tap{i, std::min(i + 1, size - 1), h - float(i)};
    };
    std::vector<Tap> columns;
    for (int x = to.x; x < to.right(); ++x) columns.push_back(tapOf(x, p.area().w));
    cv::Mat out(to.h, to.w, CV_32F);
    std::vector<float> line(static_cast<std::size_t>(p.area().w));
    for (int y = 0; y < to.h; ++y) {
        const Tap t = tapOf(to.y + y, p.area().h);
        const float *top = p.row(t.a), *low = p.row(t.b);
        const int from = columns.front().a, past = columns.back().b + 1;
        for (int x = from; x < past; ++x) line[std::size_t(x)] = top[x] + t.share * (low[x] - top[x]);
        float* o = out.ptr<float>(y);
        for (int x = 0; x < to.w; ++x) {
            const Tap& c = columns[std::size_t(x)];
            o[x] = line[std::size_t(c.a)] + c.share * (line[std::size_t(c.b)] - line[std::size_t(c.a)]);
        }
    }
    return out;
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
        const cv::Mat dx = doubled(in[1].planes[0], here), dy = doubled(in[1].planes[1], here);
        cancel.check();
        const cv::Mat luma = moved(in[2].planes[0], here, dx, dy), trust = trustOf(in[0].planes[0], luma, dx, dy);
        if (planes_ == Moved::Luma)
            for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
        for (int c = 0; c < (planes_ == Moved::Luma ? 1 : 3); ++c) {
            const Rect area = in[0].planes[c].area();
            const cv::Mat pt = shrunk(trust, here, area, c);
            const cv::Mat from = c ? moved(in[2].planes[c], area, shrunk(dx, here, area, c) / (1 << format().subW),
                                           shrunk(dy, here, area, c) / (1 << format().subH))
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

    // The plane's samples, each taken from where the flow points; positions are of `area`.
    static cv::Mat moved(const Plane& there, const Rect& area, const cv::Mat& dx, const cv::Mat& dy) {
        // OpenCV rounds positions to 1/32 of a pixel: rounded here first, they are the same wherever the region begins.
        const auto rounded = [](float v) {
            return std::nearbyint(std::clamp(v, float(-kFlowReach), float(kFlowReach)) * 32) / 32;
        };
        cv::Mat mx(area.h, area.w, CV_32F), my(area.h, area.w, CV_32F), out;
        for (int y = 0; y < area.h; ++y) {
            const float *fx = dx.ptr<float>(y), *fy = dy.ptr<float>(y);
            float *tx = mx.ptr<float>(y), *ty = my.ptr<float>(y);
            for (int x = 0; x < area.w; ++x) {
                tx[x] = float(area.x - there.area().x + x) + rounded(fx[x]);
                ty[x] = float(area.y - there.area().y + y) + rounded(fy[x]);
            }
        }
        cv::remap(viewOf(there), out, mx, my, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
        return out;
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

    // Luma's field at a chroma plane's samples: the mean of each block.
    cv::Mat shrunk(const cv::Mat& field, const Rect& luma, const Rect& area, int plane) const {
        if (plane == 0 || (format().subW == 0 && format().subH == 0)) return field;
        cv::Mat out(area.h, area.w, CV_32F);
        const int w = 1 << format().subW, h = 1 << format().subH;
        for (int y = 0; y < area.h; ++y)
            for (int x = 0; x < area.w; ++x) {
                float sum = 0;
                for (int j = 0; j < h; ++j)
                    for (int i = 0; i < w; ++i)
                        sum += field.at<float>(std::min((area.y + y) * h + j - luma.y, luma.h - 1),
                                               std::min((area.x + x) * w + i - luma.x, luma.w - 1));
                out.at<float>(y, x) = sum / float(w * h);
            }
        return out;
    }

    int offset_;
    Moved planes_;
};

} // namespace

StagePtr aligned(StagePtr input, StagePtr guide, int offset, Moved planes) {
    return std::make_shared<AlignedStage>(input, flowTo(guide, offset), offset, planes);
}

std::vector<StagePtr> alignedAround(StagePtr input, StagePtr guide, int reach, Moved planes) {
    std::vector<StagePtr> all;
    for (int k = 1; k <= reach; ++k)
        for (const int offset : {-k, k}) all.push_back(aligned(input, guide, offset, planes));
    return all;
}

} // namespace ulm
