#include "core/motion/between_stage.h"

#include "core/motion/between_field.h"
#include "core/motion/field.h"
#include "core/motion/flow_stage.h"
#include "core/motion/sampling.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

// Pictures of so many lines and more are searched at a quarter, at an eighth of their size: pieces of 8×8 then reach
// over what moves as a whole. Finer costs four times as much and gains nothing on real clips, loses where small things
// move far.
constexpr int kQuarterFrom = 400, kEighthFrom = 900;

struct Plan {
    int search; ///< divisor of the guide's size at which movement is searched for
    int field;  ///< the same of what is worked out from it
    std::size_t layers;
};

Plan planFor(const PictureFormat& guide, Between m) {
    const int side = std::min(guide.width, guide.height);
    const int search = side >= kEighthFrom ? 8 : side >= kQuarterFrom ? 4 : 2;
    return m == Between::Fast ? Plan{search, search, 1} : Plan{search, std::max(2, search / 2), 3};
}

FlowSearch searchAt(int divisor, int finest) { return {divisor, finest, 4, 12, 1}; }

std::vector<StagePtr> searched(const StagePtr& guide, Between m) {
    const Plan p = planFor(guide->format(), m);
    std::vector<StagePtr> all{guide};
    for (int finest = 0; finest <= (m == Between::Fast ? 0 : 1); ++finest) // coarser too: small things far away
        for (const int offset : {1, -1}) all.push_back(flowStage(guide, offset, searchAt(p.search, finest)));
    return all;
}

// The layers of a field, one below the other, each twice its height: in planes 0 and 1 the path above the shares of
// both sides; in plane 2 the doubt, in the first of these parts.
PictureFormat stackedFormat(const PictureFormat& guide, Between m) {
    const Plan p = planFor(guide, m);
    PictureFormat f = reduced(guide, p.field);
    f.height *= static_cast<int>(2 * p.layers);
    return f;
}

cv::Mat block(Plane& p, std::size_t n, int height) {
    return viewOf(p).rowRange(static_cast<int>(n) * height, static_cast<int>(n + 1) * height);
}

class FieldStage : public Stage {
public:
    FieldStage(StagePtr guide, const BetweenClock& clock, Between method)
        : Stage(searched(guide, method), stackedFormat(guide->format(), method), keyOf(guide, clock, method)),
          clock_(clock), method_(method), plan_(planFor(guide->format(), method)) {}
    const char* name() const override { return "between"; }
    std::int64_t frames() const override { return clock_.frames * clock_.exposures; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        const std::int64_t a = clock_.at(n).frame;
        const Rect all = inputs()[0]->format().frame(), small = inputs()[1]->format().frame();
        std::vector<Need> needs{{0, a, all}, {0, a + 1, all}};
        for (int i = 1; i < static_cast<int>(inputs().size()); ++i) needs.push_back({i, i % 2 ? a : a + 1, small});
        return needs;
    }
    // Flows at this size, both sides as they are compared, and each guess with what is weighed of it.
    std::int64_t workBytes(const Rect&) const override {
        return std::int64_t(400) * format().width * format().height / static_cast<int>(2 * plan_.layers);
    }
    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const BetweenInstant i = clock_.at(n);
        const int w = format().width, h = format().height / static_cast<int>(2 * plan_.layers);
        const cv::Mat a = reducedLuma(in[0].planes[0], w, h), b = reducedLuma(in[1].planes[0], w, h);
        std::vector<FlowPair> flows;
        for (std::size_t k = 2; k + 1 < in.size(); k += 2)
            flows.push_back({flowOf(in[k], w, h), flowOf(in[k + 1], w, h)});
        cancel.check();
        BetweenWish wish;
        wish.part = i.part;
        wish.maybeCut = std::ranges::binary_search(clock_.cuts, i.frame + 1);
        wish.layers = plan_.layers;
        wish.inPlace = method_ == Between::Careful;
        wish.patch = method_ == Between::Careful ? 5 : 3;
        const BetweenField f = betweenField(a, b, flows, wish, cancel);
        viewOf(out.planes[2]) = 0;
        f.doubt.copyTo(block(out.planes[2], 0, h));
        for (std::size_t k = 0; k < f.layers.size(); ++k) {
            const BetweenLayer& l = f.layers[k];
            l.dx.convertTo(block(out.planes[0], 2 * k, h), CV_32F, plan_.field); // whole pixels of the guide
            l.dy.convertTo(block(out.planes[1], 2 * k, h), CV_32F, plan_.field);
            l.shareA.copyTo(block(out.planes[0], 2 * k + 1, h));
            l.shareB.copyTo(block(out.planes[1], 2 * k + 1, h));
        }
    }

private:
    static Key keyOf(const StagePtr& guide, const BetweenClock& c, Between m) {
        KeyMaker key("between field");
        key.add(guide).add(static_cast<std::int64_t>(c.key)).add(static_cast<int>(m));
        for (const std::int64_t cut : c.cuts) key.add(cut);
        return key;
    }
    // At the field's size and in its pixels.
    cv::Mat flowOf(const Picture& p, int w, int h) const {
        cv::Mat flow, sized;
        const cv::Mat both[] = {viewOf(p.planes[0]), viewOf(p.planes[1])};
        cv::merge(both, 2, flow);
        cv::resize(flow, sized, cv::Size(w, h), 0, 0, cv::INTER_LINEAR);
        return sized / double(plan_.field);
    }

    BetweenClock clock_;
    Between method_;
    Plan plan_;
};

// The mean of its exposures, each a frame as it is, two of them blended, or rebuilt along a field's paths.
class BetweenStage : public Stage {
public:
    BetweenStage(StagePtr input, StagePtr field, const PictureFormat& guide, const BetweenClock& clock,
                 const Plan& plan)
        : Stage({input, field}, input->format(),
                KeyMaker("in-between")
                    .add(input)
                    .add(field)
                    .add(static_cast<std::int64_t>(clock.key))
                    .add(clock.exposures)),
          clock_(clock), size_(double(input->format().width) / guide.width), factor_(size_ * plan.field),
          layers_(plan.layers) {}
    const char* name() const override { return "in-between"; }
    std::int64_t frames() const override { return clock_.frames; }

    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        std::vector<Need> needs;
        for (int e = 0; e < clock_.exposures; ++e)
            if (isRebuilt(at(n, e))) needs.push_back({1, n * clock_.exposures + e, inputs()[1]->format().frame()});
        return needs;
    }

    int laterNeeds() const override { return clock_.exposures + 1; }

    // Of the frames only what the paths lead to.
    std::vector<Need> moreNeeds(std::int64_t n, const Rect& region, std::span<const Picture> in) const override {
        std::vector<Need> needs;
        for (const auto& [frame, looked] : framesOf(n, region, in)) needs.push_back({0, frame, looked});
        return needs;
    }

    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        std::size_t fields = 0;
        for (int e = 0; e < clock_.exposures; ++e) fields += isRebuilt(at(n, e));
        const auto frames = framesOf(n, out.area, in);
        const auto pictureOf = [&](std::int64_t frame) { // moreNeeds() asked for them in this order
            return &in[fields + static_cast<std::size_t>(std::distance(frames.begin(), frames.find(frame)))];
        };
        std::vector<Exposure> all;
        std::size_t field = 0;
        for (int e = 0; e < clock_.exposures; ++e) {
            const BetweenInstant i = at(n, e);
            all.push_back({i.part, isRebuilt(i) ? &in[field++] : nullptr, pictureOf(i.frame),
                           i.part > 0 ? pictureOf(i.frame + 1) : nullptr});
        }
        for (std::size_t c = 0; c < 3; ++c) {
            if (all.size() == 1 && !all[0].after) {
                copySamples(all[0].before->planes[c], out.planes[c]);
                continue;
            }
            const Rect whole = out.planes[c].area();
            // A tile at a time stays in the processor's cache, and most of them need one layer only.
            const int across = (whole.w + kTileW - 1) / kTileW, down = (whole.h + kTileH - 1) / kTileH;
            for (int tile = 0; tile < across * down; ++tile) {
                cancel.check();
                const Rect band =
                    Rect{whole.x + tile % across * kTileW, whole.y + tile / across * kTileH, kTileW, kTileH}
                        .intersected(whole);
                cv::Mat sum = cv::Mat::zeros(band.h, band.w, CV_32F);
                for (const Exposure& x : all) x.field ? addRebuilt(x, c, band, sum) : addBlended(x, c, band, sum);
                for (int line = 0; line < band.h; ++line) {
                    const float* from = sum.ptr<float>(line);
                    float* to = out.planes[c].row(band.y + line) + (band.x - whole.x);
                    const float share = 1.0f / float(all.size());
                    for (int k = 0; k < band.w; ++k) to[k] = share * from[k];
                }
            }
        }
    }

private:
    static constexpr int kCubic = 4; ///< cubic interpolation's own reach, and a sample for rounding
    static constexpr float kReach = 16384;
    static constexpr int kTileW = 192, kTileH = 32;

    struct Exposure {
        double part;
        const Picture* field; ///< null: before and after are blended
        const Picture *before, *after;
    };

    BetweenInstant at(std::int64_t n, int exposure) const { return clock_.at(n * clock_.exposures + exposure); }
    static bool isRebuilt(const BetweenInstant& i) { return i.part > 0 && i.way == BetweenWay::Rebuild; }

    // What is looked at of each frame that `region` is made from.
    std::map<std::int64_t, Rect> framesOf(std::int64_t n, const Rect& region, std::span<const Picture> fields) const {
        std::map<std::int64_t, Rect> all;
        const auto look = [&](std::int64_t frame, const Rect& r) {
            const auto [it, isNew] = all.emplace(frame, r);
            if (!isNew) it->second = united(it->second, r);
        };
        std::size_t field = 0;
        for (int e = 0; e < clock_.exposures; ++e) {
            const BetweenInstant i = at(n, e);
            const double shares[] = {-i.part, 1 - i.part};
            for (const int side : {0, 1}) {
                if (side && i.part == 0) continue;
                Rect pointed = region;
                if (isRebuilt(i)) {
                    for (std::size_t k = 0; k < layers_; ++k)
                        pointed = united(pointed, led(region, fields[field], k, shares[side]));
                    pointed = even(pointed.grown(kCubic)).intersected(format().frame());
                }
                look(i.frame + side, pointed);
            }
            if (isRebuilt(i)) ++field;
        }
        return all;
    }

    static Rect even(const Rect& r) {
        const int x = r.x & ~1, y = r.y & ~1;
        return {x, y, ((r.right() + 1) & ~1) - x, ((r.bottom() + 1) & ~1) - y};
    }
    static Rect united(const Rect& a, const Rect& b) {
        const int x = std::min(a.x, b.x), y = std::min(a.y, b.y);
        return {x, y, std::max(a.right(), b.right()) - x, std::max(a.bottom(), b.bottom()) - y};
    }
    int fieldHeight() const { return inputs()[1]->format().height / static_cast<int>(2 * layers_); }

    // Where the paths of a layer lead from this region.
    Rect led(const Rect& region, const Picture& field, std::size_t layer, double share) const {
        const int w = field.area.w, h = fieldHeight(), top = static_cast<int>(2 * layer) * h;
        const auto first = [&](int at) { return std::max(0, static_cast<int>(std::floor(at / factor_)) - 2); };
        const auto last = [&](int at, int most) {
            return std::min(most - 1, static_cast<int>(std::ceil(at / factor_)) + 2);
        };
        double low[2] = {0, 0}, high[2] = {0, 0};
        for (int y = first(region.y); y <= last(region.bottom(), h); ++y)
            for (int x = first(region.x); x <= last(region.right(), w); ++x)
                for (const int axis : {0, 1}) {
                    const double v = field.planes[static_cast<std::size_t>(axis)].row(top + y)[x] * size_ * share;
                    low[axis] = std::min(low[axis], v);
                    high[axis] = std::max(high[axis], v);
                }
        const auto clip = [this](double v) {
            return std::clamp(v, -double(format().width + format().height), double(format().width + format().height));
        };
        const int x = region.x + static_cast<int>(std::floor(clip(low[0]))),
                  y = region.y + static_cast<int>(std::floor(clip(low[1])));
        return {x, y, region.right() + static_cast<int>(std::ceil(clip(high[0]))) - x,
                region.bottom() + static_cast<int>(std::ceil(clip(high[1]))) - y};
    }

    // One plane's samples in `band`, from all layers and both sides.
    void addRebuilt(const Exposure& x, std::size_t c, const Rect& band, cv::Mat& sum) const {
        const double subW = c ? 1 << format().subW : 1, subH = c ? 1 << format().subH : 1;
        const int h = fieldHeight();
        const Picture* const sides[] = {x.before, x.after};
        const double along[] = {-x.part, 1 - x.part};
        for (std::size_t k = 0; k < layers_; ++k) {
            const auto lines = [&](std::size_t plane, std::size_t blockAt) {
                return x.field->planes[plane].view({0, static_cast<int>(blockAt) * h, x.field->area.w, h});
            };
            const Plane shareA = lines(0, 2 * k + 1), shareB = lines(1, 2 * k + 1);
            const Spread spread({x.field->area.w, h}, band, factor_ / subW, factor_ / subH);
            if (k > 0 && spread.isZero(shareA) && spread.isZero(shareB)) continue; // one path tells all
            const cv::Mat share[] = {spread(shareA), spread(shareB)};
            const cv::Mat dx = spread(lines(0, 2 * k)), dy = spread(lines(1, 2 * k));
            for (const std::size_t side : {0u, 1u})
                addMoved(sides[side]->planes[c], band, dx, dy,
                         {float(along[side] * size_ / subW), float(along[side] * size_ / subH)}, kReach, share[side],
                         sum);
        }
    }

    static void addBlended(const Exposure& x, std::size_t c, const Rect& band, cv::Mat& sum) {
        const auto add = [&](const Picture& p, double share) {
            for (int y = 0; y < band.h; ++y) {
                const Plane& plane = p.planes[c];
                const float* from = plane.row(band.y + y) + (band.x - plane.area().x);
                float* to = sum.ptr<float>(y);
                for (int k = 0; k < band.w; ++k) to[k] += float(share) * from[k];
            }
        };
        add(*x.before, x.after ? 1 - x.part : 1);
        if (x.after) add(*x.after, x.part);
    }

    BetweenClock clock_;
    double size_;   ///< pixels of the input in one of the guide
    double factor_; ///< the same in one of the field
    std::size_t layers_;
};

// Only what is to be seen of a field.
class PathsStage : public Stage {
public:
    PathsStage(StagePtr field, const PictureFormat& seen, const BetweenClock& clock)
        : Stage({field}, seen, KeyMaker("paths").add(field)), clock_(clock) {}
    const char* name() const override { return "paths"; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        if (const BetweenInstant i = clock_.at(n); i.part == 0 || i.way != BetweenWay::Rebuild) return {};
        return {{0, n, inputs()[0]->format().frame()}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (std::size_t c = 0; c < 3; ++c) {
            if (in.empty())
                viewOf(out.planes[c]) = 0;
            else
                copySamples(in[0].planes[c], out.planes[c]);
        }
    }

private:
    BetweenClock clock_;
};

} // namespace

StagePtr inBetween(StagePtr input, StagePtr guide, const BetweenClock& clock, Between method) {
    const auto field = std::make_shared<FieldStage>(guide, clock, method);
    return std::make_shared<BetweenStage>(input, field, guide->format(), clock, planFor(guide->format(), method));
}

StagePtr betweenPaths(StagePtr guide, const BetweenClock& clock, Between method) {
    const PictureFormat seen = reduced(guide->format(), planFor(guide->format(), method).field);
    return std::make_shared<PathsStage>(std::make_shared<FieldStage>(guide, clock, method), seen, clock);
}

} // namespace ulm
