#include "core/enlarge/flat_stage.h"

#include "core/engine/resample_stage.h"
#include "core/picture/gaussian.h"
#include "core/picture/soften.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace ulm {
namespace {

// Pixels of the source: what is seen as detail, around how much of it one looks, and what counts as finest of what was
// added.
constexpr double kDetail = 1.5, kAround = 2, kAdded = 0.5;
// Standard deviation of the source's detail around a place: below the first nothing is to be seen, from the second on
// there is something to go by. (Looking at its finest detail alone would take soft edges for flat.)
constexpr float kNothing = 1.5f / 219, kSomething = 4.f / 219;

class FlatStage : public Stage {
public:
    FlatStage(StagePtr enlarged, StagePtr source, double share)
        : Stage({enlarged, source}, enlarged->format(), KeyMaker("flat").add(enlarged).add(source).add(share)),
          by_(enlarged->format().width / source->format().width), share_(static_cast<float>(share)),
          plain_(source,
                 ScaleWindow{0, 0, double(source->format().width), double(source->format().height),
                             enlarged->format().width, enlarged->format().height},
                 Kernel::Lanczos, enlarged->format()) {}
    const char* name() const override { return "flat"; }
    std::vector<Need> needs(std::int64_t n, const Rect& region) const override {
        const Rect around = reached(region);
        const Rect cells = cellsUnder(region)
                               .grown(gaussianReach(kAround) + gaussianReach(kDetail))
                               .intersected(inputs()[1]->format().frame());
        return {{0, n, around}, {1, n, cells.united(plain_.needs(n, around)[0].region)}};
    }
    // What was added, with and without its finest detail, and two planes of the source's size.
    std::int64_t workBytes(const Rect& region) const override {
        return (2 * reached(region).pixels() + 2 * cellsUnder(region).pixels()) * std::int64_t(sizeof(float));
    }
    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        cancel.check();
        for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
        Picture plain{.format = format(), .area = reached(out.area), .planes = {}}; // luma alone
        plain.planes[0] = Plane::make(plain.area);
        plain_.computePlane(0, n, in[1], plain);
        Plane& added = plain.planes[0];
        const Plane& learned = in[0].planes[0];
        for (int y = added.area().y; y < added.area().bottom(); ++y)
            for (int x = 0; x < added.area().w; ++x) added.row(y)[x] = learned.row(y)[x] - added.row(y)[x];
        Plane coarse = Plane::make(out.area);
        gaussianBlur(added, format().frame(), kAdded * by_, coarse);
        const Plane flat = flatness(in[1].planes[0], cellsUnder(out.area));
        StretchedCells stretched(flat, by_);
        for (int y = out.area.y; y < out.area.bottom(); ++y) {
            const float* f = stretched.row(y) + (out.area.x - flat.area().x * by_);
            const float *from = learned.row(y) + (out.area.x - learned.area().x),
                        *all = added.row(y) + (out.area.x - added.area().x), *left = coarse.row(y);
            float* to = out.planes[0].row(y);
            for (int x = 0; x < out.area.w; ++x) to[x] = from[x] - f[x] * (all[x] - left[x]);
        }
    }

private:
    Rect reached(const Rect& region) const {
        return region.grown(gaussianReach(kAdded * by_)).intersected(format().frame());
    }
    // Pixels of the source between whose centres the region lies.
    Rect cellsUnder(const Rect& region) const {
        const int left = region.x / by_ - 1, top = region.y / by_ - 1;
        return Rect{left, top, (region.right() + by_ - 1) / by_ + 1 - left, (region.bottom() + by_ - 1) / by_ + 1 - top}
            .intersected(inputs()[1]->format().frame());
    }
    // Of each pixel, how much of the finest detail is to be taken back.
    Plane flatness(const Plane& source, const Rect& area) const {
        const Rect whole = inputs()[1]->format().frame();
        Plane detail = Plane::make(area.grown(gaussianReach(kAround)).intersected(whole));
        gaussianBlur(source, whole, kDetail, detail);
        const Rect r = detail.area();
        for (int y = r.y; y < r.bottom(); ++y) {
            const float* from = source.row(y) + (r.x - source.area().x);
            float* to = detail.row(y);
            for (int x = 0; x < r.w; ++x) to[x] = (from[x] - to[x]) * (from[x] - to[x]);
        }
        Plane flat = Plane::make(area);
        gaussianBlur(detail, whole, kAround, flat);
        for (int y = area.y; y < area.bottom(); ++y)
            for (float *f = flat.row(y), *end = f + area.w; f < end; ++f) {
                const float t = std::clamp((std::sqrt(*f) - kNothing) / (kSomething - kNothing), 0.f, 1.f);
                *f = share_ * (1 - t * t * (3 - 2 * t));
            }
        return flat;
    }

    int by_;
    float share_;
    ResampleStage plain_;
};

} // namespace

StagePtr plainWhereFlat(StagePtr enlarged, StagePtr source, double share) {
    const PictureFormat &large = enlarged->format(), &small = source->format();
    const int by = large.width / small.width;
    if (by < 1 || large.width != by * small.width || large.height != by * small.height)
        throw std::logic_error("plainWhereFlat: not a whole number of times as large");
    return share > 0 ? std::make_shared<FlatStage>(enlarged, source, share) : enlarged;
}

} // namespace ulm
