#include "core/motion/sides_stage.h"

#include "core/picture/opencv_view.h"

namespace ulm {
namespace {

PictureFormat unsubsampled(PictureFormat f) {
    f.subW = f.subH = 0;
    return f;
}

class SidesStage : public Stage {
public:
    SidesStage(StagePtr input, StagePtr field, const PictureFormat& guide, const BetweenClock& clock, Between method)
        : Stage({input, field}, unsubsampled(input->format()),
                KeyMaker("sides").add(input).add(field).add(static_cast<std::int64_t>(clock.key))),
          clock_(clock), layers_(input->format(), guide, method) {}
    const char* name() const override { return "sides"; }
    std::int64_t frames() const override { return clock_.frames; }
    bool worthKeeping() const override { return false; }

    std::vector<Need> needs(std::int64_t n, const Rect&) const override {
        if (!clock_.isRebuilt(n)) return {};
        return {{1, n, inputs()[1]->format().frame()}};
    }
    int laterNeeds() const override { return 2; }
    std::vector<Need> moreNeeds(std::int64_t n, const Rect& region, std::span<const Picture> in) const override {
        if (in.empty()) return {};
        const BetweenInstant i = clock_.at(n);
        return {{0, i.frame, layers_.led(region, in[0], -i.part)},
                {0, i.frame + 1, layers_.led(region, in[0], 1 - i.part)}};
    }

    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        for (Plane& p : out.planes) viewOf(p) = 0;
        if (in.empty()) return;
        const MixedSides s = mixedSides(layers_, in[0], {&in[1], &in[2], clock_.at(n).part}, out.area, cancel);
        copySamples(s.mixed, out.planes[0]), copySamples(s.differ, out.planes[1]), copySamples(s.doubt, out.planes[2]);
    }

private:
    BetweenClock clock_;
    BetweenLayers layers_;
};

} // namespace

MixedSides mixedSides(const BetweenLayers& layers, const Picture& field, const BetweenLayers::Sides& sides,
                      const Rect& region, const CancelToken& cancel) {
    MixedSides made{Plane::make(region), Plane::make(region), Plane::make(region)};
    eachTile(region, [&](const Rect& tile) {
        cancel.check();
        const auto part = [&](Plane& p) {
            return viewOf(p)(cv::Rect(tile.x - region.x, tile.y - region.y, tile.w, tile.h));
        };
        cv::Mat mixed = part(made.mixed), differ = part(made.differ);
        mixed = 0, differ = 0;
        const auto all = layers.layersIn(field, false, tile);
        layers.add(all, sides, 0, tile, {mixed, differ}); // what each side gives
        std::array<cv::Mat, 2> shares;                    // of all layers, which are not needed any more
        for (const std::size_t side : {0u, 1u}) {
            for (const BetweenLayers::Layer& l : all) {
                if (l.shares[side].empty()) continue;
                if (shares[side].empty())
                    shares[side] = l.shares[side];
                else
                    shares[side] += l.shares[side];
            }
            if (shares[side].empty()) shares[side] = cv::Mat::zeros(mixed.size(), CV_32F);
        }
        for (int y = 0; y < tile.h; ++y) {
            float *const m = mixed.ptr<float>(y), *const d = differ.ptr<float>(y);
            const float *const a = shares[0].ptr<float>(y), *const b = shares[1].ptr<float>(y);
            for (int x = 0; x < tile.w; ++x) {
                const float ofA = m[x], ofB = d[x];
                m[x] = ofA + ofB, d[x] = 2 * (ofA * b[x] - ofB * a[x]);
            }
        }
        layers.mendable(field, tile).copyTo(part(made.doubt));
    });
    return made;
}

StagePtr sidesStage(StagePtr input, StagePtr field, const PictureFormat& guide, const BetweenClock& clock,
                    Between method) {
    return std::make_shared<SidesStage>(input, field, guide, clock, method);
}

} // namespace ulm
