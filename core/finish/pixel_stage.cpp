#include "core/finish/pixel_stage.h"

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
    explicit Rows(int width) : y(std::size_t(width + PixelMap::kSlack)), cb(y.size()), cr(y.size()) {}
    std::vector<float> y, cb, cr;
};

using Maps = std::vector<std::shared_ptr<const PixelMap>>;

class PixelStage : public Stage {
public:
    PixelStage(StagePtr input, const PictureFormat& output, Key key, std::string name, Maps maps)
        : Stage({std::move(input)}, output, key), name_(std::move(name)), maps_(std::move(maps)) {}
    const char* name() const override { return name_.c_str(); }
    int margin() const override { return 4; } // chroma is looked at two luma samples away
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override;
    const Maps& maps() const { return maps_; }

private:
    // In runs that stay in the nearest cache while all maps pass over them. Only the last one may leave chroma out.
    void map(float* y, float* cb, float* cr, int count, PixelMap::Asked asked) const {
        constexpr int kRun = 256;
        static_assert(kRun % PixelMap::kSlack == 0); // so that whole vectors never reach into the next run
        for (int i = 0; i < count; i += kRun)
            for (const auto& m : maps_)
                m->map(y + i, cb + i, cr + i, std::min(kRun, count - i),
                       &m == &maps_.back() ? asked : PixelMap::Asked::Colour);
    }

    std::string name_;
    Maps maps_;
};

void PixelStage::compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const {
    const PictureFormat& f = format();
    const bool halfW = f.subW, halfH = f.subH;
    const double offsetX = chromaOffset(f.colour.chromaSite, false), offsetY = chromaOffset(f.colour.chromaSite, true);
    const Plane& luma = in[0].planes[0];
    const Rect chroma = in[0].planes[1].area(), to = out.planes[0].area();

    // Rows begin with a whole pair of luma samples; what is wanted begins `skipped` after that.
    const int firstPair = to.x >> 1, pairs = ((to.right() + 1) >> 1) - firstPair, skipped = halfW ? to.x & 1 : 0;
    Rows rows(std::max(to.w + 2, out.planes[1].area().w));
    const Between even = amongChroma(0, offsetX), odd = amongChroma(1, offsetX);
    std::vector<float> mixed(static_cast<std::size_t>(chroma.w) + 2); // the border goes on by one on each side
    for (int y = to.y; y < to.bottom(); ++y) {
        cancel.check();
        const Between down = halfH ? amongChroma(y & 1, offsetY) : Between{0, 0};
        const int upper = (halfH ? y >> 1 : y) + down.first;
        const auto within = [&](int v) { return std::clamp(v, chroma.y, chroma.bottom() - 1); };
        std::copy_n(luma.row(y) + (to.x - luma.area().x), to.w, rows.y.begin());
        for (int c : {1, 2}) {
            const float *a = in[0].planes[c].row(within(upper)), *b = in[0].planes[c].row(within(upper + 1));
            float* const m = mixed.data() + 1;
            for (int x = 0; x < chroma.w; ++x) m[x] = a[x] + down.part * (b[x] - a[x]);
            m[-1] = m[0], m[chroma.w] = m[chroma.w - 1];
            float* const row = (c == 1 ? rows.cb : rows.cr).data();
            if (!halfW) {
                std::copy_n(m + (to.x - chroma.x), to.w, row);
                continue;
            }
            const float *e = m + (firstPair - chroma.x + even.first), *o = m + (firstPair - chroma.x + odd.first);
            for (int k = 0; k < pairs; ++k) {
                row[2 * k] = e[k] + even.part * (e[k + 1] - e[k]);
                row[2 * k + 1] = o[k] + odd.part * (o[k + 1] - o[k]);
            }
        }
        map(rows.y.data(), rows.cb.data() + skipped, rows.cr.data() + skipped, to.w,
            halfW || halfH ? PixelMap::Asked::Luma : PixelMap::Asked::Colour);
        std::copy_n(rows.y.begin(), to.w, out.planes[0].row(y));
        if (!halfW && !halfH) {
            std::copy_n(rows.cb.begin(), to.w, out.planes[1].row(y));
            std::copy_n(rows.cr.begin(), to.w, out.planes[2].row(y));
        }
    }
    if (!halfW && !halfH) return;

    const Rect small = out.planes[1].area(), l = luma.area();
    const Around across = aroundChroma(0, halfW, offsetX);
    std::vector<float> line(static_cast<std::size_t>(l.w) + 3); // the border goes on: one before, two after
    for (int y = small.y; y < small.bottom(); ++y) {
        cancel.check();
        const Around down = aroundChroma(y, halfH, offsetY);
        const auto lumaRow = [&](int v) { return luma.row(std::clamp(v, l.y, l.bottom() - 1)); };
        const float *a = lumaRow(down.centre - 1), *b = lumaRow(down.centre), *c = lumaRow(down.centre + 1);
        float* const m = line.data() + 1;
        for (int x = 0; x < l.w; ++x) m[x] = down.weight[0] * a[x] + down.weight[1] * b[x] + down.weight[2] * c[x];
        m[-1] = m[0], m[l.w] = m[l.w + 1] = m[l.w - 1];
        const int step = halfW ? 2 : 1;
        const float* const from = m + (small.x * step + across.centre - l.x);
        for (int x = 0; x < small.w; ++x) {
            const float* const s = from + step * x;
            rows.y[std::size_t(x)] = across.weight[0] * s[-1] + across.weight[1] * s[0] + across.weight[2] * s[1];
        }
        std::copy_n(in[0].planes[1].row(y) + (small.x - chroma.x), small.w, rows.cb.begin());
        std::copy_n(in[0].planes[2].row(y) + (small.x - chroma.x), small.w, rows.cr.begin());
        map(rows.y.data(), rows.cb.data(), rows.cr.data(), small.w, PixelMap::Asked::Colour);
        std::copy_n(rows.cb.begin(), small.w, out.planes[1].row(y));
        std::copy_n(rows.cr.begin(), small.w, out.planes[2].row(y));
    }
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
