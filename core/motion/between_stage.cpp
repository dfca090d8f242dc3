#include "core/motion/between_stage.h"

#include "core/motion/between_field.h"
#include "core/motion/between_layers.h"
#include "core/motion/field.h"
#include "core/motion/flow_stage.h"
#include "core/motion/mend.h"
#include "core/motion/reduced_stage.h"
#include "core/motion/sides_stage.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

constexpr int kPatch = 5; // pixels of the field over which a guess is judged

// Pictures that are mended gain nothing by a refinement, or by more steps.
FlowSearch searchAt(int divisor, int finest) { return {divisor, finest, 4, 6, 0}; }

std::vector<StagePtr> searched(const StagePtr& guide, Between m) {
    const BetweenPlan p = planFor(guide->format(), m);
    std::vector<StagePtr> all{reducedStage(guide, p.field)};
    for (int finest = 0; finest <= (m == Between::Fast ? 0 : 1); ++finest) // coarser too: small things far away
        for (const int offset : {1, -1}) all.push_back(flowStage(guide, offset, searchAt(p.search, finest)));
    return all;
}

cv::Mat block(Plane& p, std::size_t n, int height) {
    return viewOf(p).rowRange(static_cast<int>(n) * height, static_cast<int>(n + 1) * height);
}

class FieldStage : public Stage {
public:
    FieldStage(StagePtr guide, const BetweenClock& clock, Between method, Unsure unsure)
        : Stage(searched(guide, method), BetweenLayers::format(guide->format(), method),
                keyOf(guide, clock, method, unsure)),
          clock_(clock), method_(method), unsure_(unsure), plan_(planFor(guide->format(), method)) {}
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
        return std::int64_t(400) * format().width * format().height / static_cast<int>(2 * plan_.layers());
    }
    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const BetweenInstant i = clock_.at(n);
        const int w = format().width, h = format().height / static_cast<int>(2 * plan_.layers());
        const cv::Mat a = viewOf(in[0].planes[0]), b = viewOf(in[1].planes[0]);
        std::vector<FlowPair> flows;
        for (std::size_t k = 2; k + 1 < in.size(); k += 2)
            flows.push_back({flowOf(in[k], w, h), flowOf(in[k + 1], w, h)});
        cancel.check();
        BetweenWish wish;
        wish.part = i.part;
        wish.maybeCut = std::ranges::binary_search(clock_.cuts, i.frame + 1);
        wish.layers = plan_.guesses;
        wish.inPlace = method_ == Between::Careful;
        wish.patch = kPatch;
        wish.whole = unsure_ == Unsure::Whole;
        wish.fine = plan_.search / plan_.field;
        const BetweenField f = betweenField(a, b, flows, wish, cancel);
        for (const std::size_t c : {0u, 1u, 2u}) { // a layer may be missing
            const int written = static_cast<int>(c < 2 ? 2 * f.layers.size() : 2) * h;
            viewOf(out.planes[c]).rowRange(written, format().height) = 0;
        }
        f.doubt.copyTo(block(out.planes[2], 0, h));
        f.mendable.copyTo(block(out.planes[2], 1, h));
        for (std::size_t k = 0; k < f.layers.size(); ++k) {
            const BetweenLayer& l = f.layers[k];
            l.dx.convertTo(block(out.planes[0], 2 * k, h), CV_32F, plan_.field); // whole pixels of the guide
            l.dy.convertTo(block(out.planes[1], 2 * k, h), CV_32F, plan_.field);
            l.shareA.copyTo(block(out.planes[0], 2 * k + 1, h));
            l.shareB.copyTo(block(out.planes[1], 2 * k + 1, h));
        }
    }

private:
    static Key keyOf(const StagePtr& guide, const BetweenClock& c, Between m, Unsure u) {
        KeyMaker key("between field");
        key.add(guide).add(static_cast<std::int64_t>(c.key)).add(static_cast<int>(m)).add(static_cast<int>(u));
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
    Unsure unsure_;
    BetweenPlan plan_;
};

// The mean of its exposures, each a frame as it is, two of them blended, or rebuilt along a field's paths.
class BetweenStage : public Stage {
public:
    BetweenStage(StagePtr input, StagePtr field, const PictureFormat& guide, const BetweenClock& clock, Between method,
                 std::shared_ptr<const Network> network)
        : Stage({input, field}, input->format(),
                KeyMaker("in-between")
                    .add(input)
                    .add(field)
                    .add(static_cast<std::int64_t>(clock.key))
                    .add(clock.exposures)
                    .add(static_cast<std::int64_t>(network ? network->hash() : 0))),
          clock_(clock), layers_(input->format(), guide, method), network_(std::move(network)) {}
    const char* name() const override { return "in-between"; }
    std::int64_t frames() const override { return clock_.frames; }

    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        std::vector<Need> needs;
        for (int e = 0; e < clock_.exposures; ++e)
            if (isRebuilt(n, e)) needs.push_back({1, n * clock_.exposures + e, inputs()[1]->format().frame()});
        return needs;
    }

    int laterNeeds() const override { return clock_.exposures + 1; }
    std::int64_t workBytes(const Rect& region) const override {
        return network_ ? std::int64_t(3 * sizeof(float)) * region.pixels() + kMendBytes : 0; // the sides, and a tile
    }

    // Of the frames only what the paths lead to; for mending, a little around the place too.
    std::vector<Need> moreNeeds(std::int64_t n, const Rect& region, std::span<const Picture> in) const override {
        std::vector<Need> needs;
        for (const auto& [frame, looked] : framesOf(n, region, in)) needs.push_back({0, frame, looked});
        return needs;
    }

    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        std::size_t fields = 0;
        for (int e = 0; e < clock_.exposures; ++e) fields += isRebuilt(n, e);
        const auto frames = framesOf(n, out.area, in);
        const auto pictureOf = [&](std::int64_t frame) { // moreNeeds() asked for them in this order
            return &in[fields + static_cast<std::size_t>(std::distance(frames.begin(), frames.find(frame)))];
        };
        std::vector<Exposure> all;
        std::size_t field = 0;
        for (int e = 0; e < clock_.exposures; ++e) {
            const BetweenInstant i = at(n, e);
            all.push_back({isRebuilt(n, e) ? &in[field++] : nullptr,
                           {pictureOf(i.frame), i.part > 0 ? pictureOf(i.frame + 1) : nullptr, i.part}});
        }
        if (mends(n)) { // luma
            const Rect held = around(out.area);
            const MixedSides s = mixedSides(layers_, *all[0].field, all[0].sides, held, cancel);
            mend(*network_,
                 {s.mixed, s.differ, s.doubt, all[0].sides.before->planes[0].view(held),
                  all[0].sides.after->planes[0].view(held)},
                 out.planes[0], cancel);
        }
        if (all.size() == 1 && !all[0].sides.after) {
            for (std::size_t c = 0; c < 3; ++c) copySamples(all[0].sides.before->planes[c], out.planes[c]);
            return;
        }
        if (!mends(n)) mixPlanes(all, 0, 0, out, cancel);
        mixPlanes(all, 1, 2, out, cancel);
    }

private:
    struct Exposure {
        const Picture* field; ///< null: before and after are blended
        BetweenLayers::Sides sides;
    };

    BetweenInstant at(std::int64_t n, int exposure) const { return clock_.at(n * clock_.exposures + exposure); }
    bool isRebuilt(std::int64_t n, int exposure) const { return clock_.isRebuilt(n * clock_.exposures + exposure); }
    bool mends(std::int64_t n) const { return network_ && isRebuilt(n, 0); }
    Rect around(const Rect& region) const { return region.grown(kMendMargin).intersected(format().frame()); }

    // What is looked at of each frame that `region` is made from.
    std::map<std::int64_t, Rect> framesOf(std::int64_t n, const Rect& region, std::span<const Picture> fields) const {
        std::map<std::int64_t, Rect> all;
        std::size_t field = 0;
        for (int e = 0; e < clock_.exposures; ++e) {
            const BetweenInstant i = at(n, e);
            const double shares[] = {-i.part, 1 - i.part};
            for (const int side : {0, 1}) {
                if (side && i.part == 0) continue;
                const Rect made = mends(n) ? around(region) : region;
                all[i.frame + side] =
                    all[i.frame + side].united(isRebuilt(n, e) ? layers_.led(made, fields[field], shares[side]) : made);
            }
            if (isRebuilt(n, e)) ++field;
        }
        return all;
    }

    // The mean of all exposures in planes `first` to `last`, which are of one size.
    void mixPlanes(const std::vector<Exposure>& all, std::size_t first, std::size_t last, Picture& out,
                   const CancelToken& cancel) const {
        const Rect whole = out.planes[first].area();
        eachTile(whole, [&](const Rect& tile) {
            cancel.check();
            std::array<cv::Mat, 3> sums;
            for (std::size_t c = first; c <= last; ++c) {
                sums[c] = viewOf(out.planes[c])(cv::Rect(tile.x - whole.x, tile.y - whole.y, tile.w, tile.h));
                sums[c] = 0;
            }
            for (const Exposure& x : all) {
                std::vector<BetweenLayers::Layer> layers;
                if (x.field) layers = layers_.layersIn(*x.field, first > 0, tile);
                for (std::size_t c = first; c <= last; ++c)
                    x.field ? layers_.add(layers, x.sides, c, tile, {sums[c], sums[c]})
                            : addBlended(x.sides, c, tile, sums[c]);
            }
            if (all.size() > 1)
                for (std::size_t c = first; c <= last; ++c) sums[c] *= 1.0 / double(all.size());
        });
    }

    static void addBlended(const BetweenLayers::Sides& s, std::size_t c, const Rect& band, cv::Mat& sum) {
        const auto add = [&](const Picture& p, double share) {
            for (int y = 0; y < band.h; ++y) {
                const Plane& plane = p.planes[c];
                const float* from = plane.row(band.y + y) + (band.x - plane.area().x);
                float* to = sum.ptr<float>(y);
                for (int k = 0; k < band.w; ++k) to[k] += float(share) * from[k];
            }
        };
        add(*s.before, s.after ? 1 - s.part : 1);
        if (s.after) add(*s.after, s.part);
    }

    BetweenClock clock_;
    BetweenLayers layers_;
    std::shared_ptr<const Network> network_; ///< null: nothing is mended
};

// Only what is to be seen of a field.
class PathsStage : public Stage {
public:
    PathsStage(StagePtr field, const PictureFormat& seen, const BetweenClock& clock)
        : Stage({field}, seen, KeyMaker("paths").add(field)), clock_(clock) {}
    const char* name() const override { return "paths"; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        if (!clock_.isRebuilt(n)) return {};
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

StagePtr inBetween(StagePtr input, StagePtr guide, const BetweenClock& clock, Between method, Unsure unsure) {
    const bool single = clock.exposures == 1; // a mean of many hides what is torn, and what is mended
    const auto field = std::make_shared<FieldStage>(guide, clock, method, single ? unsure : Unsure::Mix);
    const auto network = single ? mendingNetwork() : nullptr;
    return std::make_shared<BetweenStage>(input, field, guide->format(), clock, method, network);
}

StagePtr betweenSides(StagePtr input, const BetweenClock& clock, Between method) {
    return sidesStage(input, std::make_shared<FieldStage>(input, clock, method, Unsure::Mix), input->format(), clock,
                      method);
}

StagePtr betweenPaths(StagePtr guide, const BetweenClock& clock, Between method) {
    const PictureFormat seen = reduced(guide->format(), planFor(guide->format(), method).field);
    return std::make_shared<PathsStage>(std::make_shared<FieldStage>(guide, clock, method, Unsure::Mix), seen, clock);
}

} // namespace ulm
