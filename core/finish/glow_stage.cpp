#include "core/finish/glow_stage.h"

#include "core/picture/soften.h"

#include <algorithm>

namespace ulm {
namespace {

class GlowStage : public Stage {
public:
    GlowStage(StagePtr input, double amount, double threshold, double radius)
        : Stage({input}, input->format(), KeyMaker("glow").add(input).add(amount).add(threshold).add(radius)),
          amount_(float(amount)), threshold_(float(threshold)), radius_(radius), cell_(radius >= 8 ? 4 : 1) {}
    const char* name() const override { return "glow"; }
    int margin() const override { return ((softReach(radius_ / cell_) + 3) * cell_) + 2; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const Picture& p = in[0];
        Plane light = bright(p, 0);
        for (int c : {0, 1, 2}) {
            cancel.check();
            const int sub = c ? format().subW : 0;
            // Chroma cells are as large in the picture as luma's where it is subsampled both ways.
            const int cell = c && format().subW && format().subH ? std::max(1, cell_ / 2) : cell_;
            const Rect whole = p.planeArea(c, format().frame());
            const Plane cells = cellMeans(c ? bright(p, c) : light, whole, cell);
            Plane soft = Plane::make(out.planes[c].area());
            stretchCells(softened(cells, radius_ / (1 << sub) / cell), cell, soft);
            lay(p.planes[c], soft, c, p.planes[0], out.planes[c]);
        }
    }

private:
    // The plane where luma is bright, and nothing elsewhere.
    Plane bright(const Picture& p, int c) const {
        const Rect r = p.planes[c].area();
        Plane out = Plane::make(r);
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = r.x; x < r.right(); ++x) {
                const float v = lumaAt(p.planes[0], c, x, y);
                const float part = std::clamp((v - threshold_) / (1 - threshold_), 0.f, 1.f);
                out.row(y)[x - r.x] = part * p.planes[c].row(y)[x - r.x];
            }
        return out;
    }
    float lumaAt(const Plane& luma, int c, int x, int y) const {
        if (!c) return luma.at(x, y);
        const Rect r = luma.area();
        return luma.at(std::clamp(x << format().subW, r.x, r.right() - 1),
                       std::clamp(y << format().subH, r.y, r.bottom() - 1));
    }
    void lay(const Plane& from, const Plane& soft, int c, const Plane& luma, Plane& to) const {
        const Rect r = to.area();
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = r.x; x < r.right(); ++x)
                to.row(y)[x - r.x] =
                    from.at(x, y) + amount_ * soft.at(x, y) * (1 - std::clamp(lumaAt(luma, c, x, y), 0.f, 1.f));
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
