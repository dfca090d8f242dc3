#include "core/finish/glow_stage.h"

#include "core/picture/soften.h"

#include <algorithm>
#include <vector>

namespace ulm {
namespace {

class GlowStage : public Stage {
public:
    GlowStage(StagePtr input, double amount, double threshold, double radius)
        : Stage({input}, input->format(), KeyMaker("glow").add(input).add(amount).add(threshold).add(radius)),
          amount_(float(amount)), threshold_(float(threshold)), radius_(radius), cell_(cellFor(radius)) {}
    const char* name() const override { return "glow"; }
    int margin() const override { return ((softReach(radius_ / cell_) + 3) * cell_) + 2; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const Picture& p = in[0];
        for (int c : {0, 1, 2}) {
            cancel.check();
            // Chroma cells are as large in the picture as luma's where it is subsampled both ways.
            const int cell = c && format().subW && format().subH ? std::max(1, cell_ / 2) : cell_;
            const Rect whole = p.planeArea(c, format().frame());
            const Plane soft =
                softened(cellMeans(bright(p, c), whole, cell), radius_ / (c ? 1 << format().subW : 1) / cell);
            lay(p, c, soft, cell, out.planes[c]);
        }
    }

private:
    // The plane where luma is bright, and nothing elsewhere.
    Plane bright(const Picture& p, int c) const {
        const Rect r = p.planes[c].area();
        Plane out = Plane::make(r);
        std::vector<float> room(std::size_t(r.w));
        const float threshold = threshold_, scale = 1 / (1 - threshold_);
        for (int y = r.y; y < r.bottom(); ++y) {
            const float *luma = lumaOf(p, c, r, y, room), *from = p.planes[c].row(y);
            float* to = out.row(y);
            for (int x = 0; x < r.w; ++x) to[x] = std::clamp((luma[x] - threshold) * scale, 0.f, 1.f) * from[x];
        }
        return out;
    }
    // Luma beside a row of a plane's samples, those of `r`.
    const float* lumaOf(const Picture& p, int c, const Rect& r, int y, std::vector<float>& room) const {
        const Plane& luma = p.planes[0];
        const Rect l = luma.area();
        if (!c) return luma.row(y) + (r.x - l.x);
        const float* const from = luma.row(std::clamp(y << format().subH, l.y, l.bottom() - 1));
        if (!format().subW) return from + (r.x - l.x);
        const int first = 2 * r.x - l.x; // may lie one before the region, or one behind it
        float* const to = room.data();
        for (int x = 1; x < r.w - 1; ++x) to[x] = from[first + 2 * x];
        for (const int x : {0, r.w - 1}) to[x] = from[std::clamp(first + 2 * x, 0, l.w - 1)];
        return to;
    }
    void lay(const Picture& p, int c, const Plane& soft, int cell, Plane& to) const {
        const Rect r = to.area();
        StretchedCells light(soft, cell);
        const float amount = amount_;
        std::vector<float> room(std::size_t(r.w));
        for (int y = r.y; y < r.bottom(); ++y) {
            const float *luma = lumaOf(p, c, r, y, room), *from = p.planes[c].row(y) + (r.x - p.planes[c].area().x),
                        *s = light.row(y) + (r.x - soft.area().x * cell);
            float* o = to.row(y);
            for (int x = 0; x < r.w; ++x) o[x] = from[x] + amount * s[x] * (1 - std::clamp(luma[x], 0.f, 1.f));
        }
    }

    float amount_, threshold_;
    double radius_;
    int cell_;
};

} // namespace

StagePtr glow(StagePtr input, double amount, double threshold, double radius) {
    return amount > 0 ? std::make_shared<GlowStage>(input, amount, threshold, radius) : input;
}

} // namespace ulm
