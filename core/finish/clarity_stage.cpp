#include "core/finish/clarity_stage.h"

#include "core/finish/colour.h"
#include "core/picture/soften.h"

#include <cmath>

namespace ulm {
namespace {

constexpr float kEdge = 0.1f * 0.1f; // variance from which a place counts as an edge

class ClarityStage : public Stage {
public:
    ClarityStage(StagePtr input, double amount, double radius)
        : Stage({input}, input->format(), KeyMaker("clarity").add(input).add(amount).add(radius)),
          amount_(float(amount)), cell_(radius >= 8 ? 4 : 1),
          box_(std::max(1, int(std::lround(1.22 * radius / cell_)))) {} // two boxes of 1.22 spread about as much as 1
    const char* name() const override { return "clarity"; }
    int margin() const override { return (2 * box_ + 2) * cell_; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        const Plane cells = cellMeans(in[0].planes[0], format().frame(), cell_);
        Plane squares = Plane::make(cells.area());
        const Rect c = cells.area();
        for (int y = c.y; y < c.bottom(); ++y)
            for (int x = 0; x < c.w; ++x) squares.row(y)[x] = cells.row(y)[x] * cells.row(y)[x];
        Plane slope = boxMean(squares, box_), level = boxMean(cells, box_);
        cancel.check();
        for (int y = c.y; y < c.bottom(); ++y)
            for (int x = 0; x < c.w; ++x) {
                const float mean = level.row(y)[x], spread = std::max(0.f, slope.row(y)[x] - mean * mean),
                            a = spread / (spread + kEdge);
                slope.row(y)[x] = a;
                level.row(y)[x] = (1 - a) * mean;
            }
        slope = boxMean(slope, box_), level = boxMean(level, box_);
        Plane& to = out.planes[0];
        Plane a = Plane::make(to.area());
        stretchCells(slope, cell_, a);
        stretchCells(level, cell_, to);
        cancel.check();
        const Rect r = to.area();
        const Plane &cbs = in[0].planes[1], &crs = in[0].planes[2];
        for (int y = r.y; y < r.bottom(); ++y) {
            const float *from = in[0].planes[0].row(y) + (r.x - in[0].area.x), *k = a.row(y);
            const float *cb = cbs.row(y >> format().subH) - cbs.area().x,
                        *cr = crs.row(y >> format().subH) - crs.area().x;
            float* o = to.row(y);
            for (int x = 0; x < r.w; ++x) {
                const int at = (r.x + x) >> format().subW;
                const float v = from[x], base = k[x] * v + o[x];
                const float room = std::clamp(v * 5, 0.f, 1.f) * std::clamp((1 - v) * 7, 0.f, 1.f);
                const float calm = 1 - 0.6f * float(skinLikeness(cb[at], cr[at]));
                o[x] = v + amount_ * room * calm * (v - base);
            }
        }
        for (int p : {1, 2}) copySamples(in[0].planes[p], out.planes[p]);
    }

private:
    float amount_;
    int cell_, box_; ///< pixels; cells
};

} // namespace

StagePtr clarity(StagePtr input, double amount, double radius) {
    return amount != 0 ? std::make_shared<ClarityStage>(input, amount, radius) : input;
}

} // namespace ulm
