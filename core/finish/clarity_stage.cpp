#include "core/finish/clarity_stage.h"

#include "core/finish/colour.h"
#include "core/picture/soften.h"

#include <cmath>
#include <vector>

namespace ulm {
namespace {

// Two boxes of 1.22 spread about as much as one of 1.
int boxFor(double radius) { return std::max(1, int(std::lround(1.22 * radius))); }

constexpr float kEdge = 0.1f * 0.1f; // variance from which a place counts as an edge

class ClarityStage : public Stage {
public:
    ClarityStage(StagePtr input, double amount, double radius)
        : Stage({input}, input->format(), KeyMaker("clarity").add(input).add(amount).add(radius)),
          amount_(float(amount)), cell_(cellFor(radius)), box_(boxFor(radius / cell_)) {}
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
        cancel.check();
        const Rect r = to.area();
        StretchedCells slopes(slope, cell_), levels(level, cell_);
        std::vector<float> calm(std::size_t(r.w));
        const float amount = amount_;
        for (int y = r.y; y < r.bottom(); ++y) {
            if (y == r.y || !format().subH || y % 2 == 0) calmOf(in[0], r, y >> format().subH, calm.data());
            const int skipped = r.x - c.x * cell_;
            const float *from = in[0].planes[0].row(y) + (r.x - in[0].area.x), *k = slopes.row(y) + skipped,
                        *l = levels.row(y) + skipped, *q = calm.data();
            float* o = to.row(y);
            for (int x = 0; x < r.w; ++x) {
                const float v = from[x], base = k[x] * v + l[x];
                const float room = std::clamp(v * 5, 0.f, 1.f) * std::clamp((1 - v) * 7, 0.f, 1.f);
                o[x] = v + amount * room * q[x] * (v - base);
            }
        }
        for (int p : {1, 2}) copySamples(in[0].planes[p], out.planes[p]);
    }

private:
    // By how much each luma sample of `r` beside row `y` of chroma may change: less where it is skin.
    void calmOf(const Picture& in, const Rect& r, int y, float* calm) const {
        const Rect c = in.planes[1].area();
        const float *cb = in.planes[1].row(y) - c.x, *cr = in.planes[2].row(y) - c.x;
        const auto at = [&](int x) { return 1 - 0.6f * skinLikeness(cb[x], cr[x]); };
        if (!format().subW) {
            for (int x = 0; x < r.w; ++x) calm[x] = at(r.x + x);
            return;
        }
        int x = 0;
        if (r.x & 1) calm[x++] = at(r.x >> 1);
        const int first = (r.x + x) >> 1, pairs = (r.w - x) / 2;
        for (int i = 0; i < pairs; ++i) calm[x + 2 * i] = calm[x + 2 * i + 1] = at(first + i);
        if (x + 2 * pairs < r.w) calm[r.w - 1] = at((r.right() - 1) >> 1);
    }

    float amount_;
    int cell_, box_; ///< pixels; cells
};

} // namespace

StagePtr clarity(StagePtr input, double amount, double radius) {
    return amount != 0 ? std::make_shared<ClarityStage>(input, amount, radius) : input;
}

} // namespace ulm
