#include "core/finish/pixel_stage.h"

#include "core/finish/chroma_rows.h"
#include "core/picture/resample.h"

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

namespace ulm {
namespace {

// Luma samples 2k and 2k + 1 lie between chroma samples: k + first and the one after, whose weight is `part`.
struct Between {
    int first;
    float part;
};
Between amongChroma(int odd, double offset) {
    const double at = (odd - 0.5 - offset) / 2;
    return {static_cast<int>(std::floor(at)), static_cast<float>(at - std::floor(at))};
}

// The luma samples around chroma sample i and their weights, which sum to one: centre - 1, centre, centre + 1.
struct Around {
    int centre;
    float weight[3];
};
Around aroundChroma(int i, bool halved, double offset) {
    if (!halved) return {i, {0, 1, 0}};
    if (offset == 0) return {2 * i, {0, 0.5f, 0.5f}};
    return {offset < 0 ? 2 * i : 2 * i + 1, {0.25f, 0.5f, 0.25f}};
}

struct Rows {
    explicit Rows(int width) : y(std::size_t(width + 2 + PixelMap::kSlack)), cb(y.size()), cr(y.size()) {}
    std::vector<float> y, cb, cr;
};

using Maps = std::vector<std::shared_ptr<const PixelMap>>;

class PixelStage : public Stage {
public:
    PixelStage(StagePtr input, const PictureFormat& output, Key key, std::string name, Maps maps)
        : Stage({std::move(input)}, output, key), name_(std::move(name)), maps_(std::move(maps)) {
        for (std::size_t k = 0; k < maps_.size(); ++k)
            if (maps_[k]->mixes()) mixes_ = true, lastMix_ = k;
    }
    const char* name() const override { return name_.c_str(); }
    int margin() const override { return mixes_ ? 4 : 0; } // chroma is looked at two luma samples away
    bool worthKeeping() const override { return mixes_; }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override;
    const Maps& maps() const { return maps_; }

private:
    bool subsampled() const { return format().subW || format().subH; }
    void map(Rows&, int skipped, const Rect& row, const Rect& whole, PixelMap::Asked) const;

    std::string name_;
    Maps maps_;
    bool mixes_ = false;      ///< luma and chroma
    std::size_t lastMix_ = 0; ///< the last map that does
};

// A row of a plane's, `row` of `whole`, in runs that stay in the nearest cache while all maps pass over them. What
// no later one looks at may be left out.
void PixelStage::map(Rows& rows, int skipped, const Rect& row, const Rect& whole, PixelMap::Asked asked) const {
    constexpr int kRun = 256;
    static_assert(kRun % PixelMap::kSlack == 0); // so that whole vectors never reach into the next run
    // What lies beyond a row is mapped with it, row after row: it must not fade into numbers that are slow to reckon
    // with.
    for (float* const end : {rows.y.data() + row.w, rows.cb.data() + skipped + row.w, rows.cr.data() + skipped + row.w})
        std::fill_n(end, PixelMap::kSlack, 0.f);
    const auto from = [](int at, int of) { return 2 * (float(at) + 0.5f) / float(of) - 1; };
    for (int i = 0; i < row.w; i += kRun)
        for (std::size_t k = 0; k < maps_.size(); ++k)
            maps_[k]->map(rows.y.data() + i, rows.cb.data() + skipped + i, rows.cr.data() + skipped + i,
                          std::min(kRun, row.w - i), k < lastMix_ ? PixelMap::Asked::Colour : asked,
                          {from(row.x + i, whole.w), 2 / float(whole.w), from(row.y, whole.h)});
}

void PixelStage::compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const {
    const PictureFormat& f = format();
    const bool halfW = f.subW, halfH = f.subH;
    const double offsetX = chromaOffset(f.colour.chromaSite, false), offsetY = chromaOffset(f.colour.chromaSite, true);
    const Plane& luma = in[0].planes[0];
    const Rect chroma = in[0].planes[1].area(), to = out.planes[0].area(), small = out.planes[1].area();
    const Rect whole = f.frame(), wholeChroma = out.planeArea(1, whole);
    const auto chromaRow = [&](int c, int y) {
        return in[0].planes[c].row(std::clamp(y, chroma.y, chroma.bottom() - 1));
    };

    // Rows begin with a whole pair of luma samples; what is wanted begins `skipped` after that.
    const int firstPair = to.x >> 1, pairs = ((to.right() + 1) >> 1) - firstPair, skipped = halfW ? to.x & 1 : 0;
    Rows rows(std::max(to.w, small.w));
    const Between even = amongChroma(0, offsetX), odd = amongChroma(1, offsetX);
    std::vector<float> mixed(static_cast<std::size_t>(chroma.w) + 2); // the border goes on by one on each side
    const auto doLuma = [&](int y) {
        const Between down = halfH ? amongChroma(y & 1, offsetY) : Between{0, 0};
        const int upper = (halfH ? y >> 1 : y) + down.first;
        std::copy_n(luma.row(y) + (to.x - luma.area().x), to.w, rows.y.begin());
        for (int c : {1, 2}) {
            if (subsampled() && !mixes_) break;
            float* const m = mixed.data() + 1;
            float* const row = (c == 1 ? rows.cb : rows.cr).data();
            mixRows(chromaRow(c, upper), chromaRow(c, upper + 1), down.part, m, chroma.w);
            m[-1] = m[0], m[chroma.w] = m[chroma.w - 1];
            if (halfW)
                widenRow(m + (firstPair - chroma.x + even.first), even.part, m + (firstPair - chroma.x + odd.first),
                         odd.part, row, pairs);
            else
                std::copy_n(m + (to.x - chroma.x), to.w, row);
        }
        map(rows, skipped, {to.x, y, to.w, 1}, whole, subsampled() ? PixelMap::Asked::Luma : PixelMap::Asked::Colour);
        std::copy_n(rows.y.begin(), to.w, out.planes[0].row(y));
        if (subsampled()) return;
        std::copy_n(rows.cb.begin(), to.w, out.planes[1].row(y));
        std::copy_n(rows.cr.begin(), to.w, out.planes[2].row(y));
    };

    const Rect l = luma.area();
    const Around across = aroundChroma(0, halfW, offsetX);
    std::vector<float> line(static_cast<std::size_t>(l.w) + 3); // the border goes on: one before, two after
    const auto doChroma = [&](int y) {
        if (mixes_) {
            const Around down = aroundChroma(y, halfH, offsetY);
            const auto lumaRow = [&](int v) { return luma.row(std::clamp(v, l.y, l.bottom() - 1)); };
            float* const m = line.data() + 1;
            blendRows(lumaRow(down.centre - 1), lumaRow(down.centre), lumaRow(down.centre + 1), down.weight, m, l.w);
            m[-1] = m[0], m[l.w] = m[l.w + 1] = m[l.w - 1];
            if (halfW)
                halveRow(m + (2 * small.x + across.centre - l.x), across.weight, rows.y.data(), small.w);
            else
                std::copy_n(m + (small.x - l.x), small.w, rows.y.begin());
        }
        std::copy_n(in[0].planes[1].row(y) + (small.x - chroma.x), small.w, rows.cb.begin());
        std::copy_n(in[0].planes[2].row(y) + (small.x - chroma.x), small.w, rows.cr.begin());
        map(rows, 0, {small.x, y, small.w, 1}, wholeChroma, PixelMap::Asked::Colour);
        std::copy_n(rows.cb.begin(), small.w, out.planes[1].row(y));
        std::copy_n(rows.cr.begin(), small.w, out.planes[2].row(y));
    };

    // Chroma follows as soon as luma has passed it: its rows are still in a near cache then.
    int next = subsampled() ? small.y : small.bottom();
    for (int y = to.y; y < to.bottom(); ++y) {
        cancel.check();
        doLuma(y);
        for (; next < small.bottom() && next << int(halfH) <= y; ++next) doChroma(next);
    }
    for (; next < small.bottom(); ++next) doChroma(next);
}

} // namespace

StagePtr pixelStage(StagePtr input, const char* name, const KeyMaker& key, std::shared_ptr<const PixelMap> map,
                    const PictureFormat& output) {
    const Key whole = KeyMaker("pixels").add(static_cast<std::int64_t>(Key(key))).add(input);
    const auto* const before = dynamic_cast<const PixelStage*>(input.get());
    if (before && before->inputs()[0]->format() == before->format()) {
        Maps maps = before->maps();
        maps.push_back(std::move(map));
        return std::make_shared<PixelStage>(before->inputs()[0], output, whole,
                                            std::string(before->name()) + " and " + name, std::move(maps));
    }
    return std::make_shared<PixelStage>(std::move(input), output, whole, name, Maps{std::move(map)});
}

} // namespace ulm
