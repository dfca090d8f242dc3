#include "core/finish/pixel_stage.h"

#include "core/picture/resample.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

// Two neighbours and the weight of the second: linear interpolation along one axis.
struct Between {
    int first, second;
    float part;
};

// Where luma sample `i` lies among chroma samples [low, high].
Between amongChroma(int i, bool halved, double offset, int low, int high) {
    if (!halved) return {i, i, 0};
    const double at = (i - 0.5 - offset) / 2;
    const int first = static_cast<int>(std::floor(at));
    return {std::clamp(first, low, high), std::clamp(first + 1, low, high), static_cast<float>(at - first)};
}

// The luma samples around chroma sample `i` and their weights, which sum to one.
struct Around {
    int sample[3];
    float weight[3];
};
Around aroundChroma(int i, bool halved, double offset, int low, int high) {
    if (!halved) return {{i, i, i}, {1, 0, 0}};
    const auto in = [&](int k) { return std::clamp(k, low, high); };
    if (offset == 0) return {{in(2 * i), in(2 * i + 1), in(2 * i)}, {0.5f, 0.5f, 0}};
    const int centre = offset < 0 ? 2 * i : 2 * i + 1;
    return {{in(centre - 1), in(centre), in(centre + 1)}, {0.25f, 0.5f, 0.25f}};
}

struct Rows {
    explicit Rows(int width) : y(std::size_t(width + PixelStage::kSlack)), cb(y.size()), cr(y.size()) {}
    std::vector<float> y, cb, cr;
};

} // namespace

void PixelStage::compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const {
    const PictureFormat& f = format();
    const bool halfW = f.subW, halfH = f.subH;
    const double offsetX = chromaOffset(f.colour.chromaSite, false), offsetY = chromaOffset(f.colour.chromaSite, true);
    const Plane& luma = in[0].planes[0];
    const Rect chroma = in[0].planes[1].area(), to = out.planes[0].area();

    Rows rows(std::max(to.w, out.planes[1].area().w));
    std::vector<Between> across;
    for (int x = to.x; x < to.right(); ++x) {
        Between b = amongChroma(x, halfW, offsetX, chroma.x, chroma.right() - 1);
        b.first -= chroma.x, b.second -= chroma.x;
        across.push_back(b);
    }
    std::vector<float> mixed(static_cast<std::size_t>(chroma.w));
    for (int y = to.y; y < to.bottom(); ++y) {
        cancel.check();
        const Between down = amongChroma(y, halfH, offsetY, chroma.y, chroma.bottom() - 1);
        std::copy_n(luma.row(y) + (to.x - luma.area().x), to.w, rows.y.begin());
        for (int c : {1, 2}) {
            const float *a = in[0].planes[c].row(down.first), *b = in[0].planes[c].row(down.second);
            for (int x = 0; x < chroma.w; ++x) mixed[std::size_t(x)] = a[x] + down.part * (b[x] - a[x]);
            float* row = (c == 1 ? rows.cb : rows.cr).data();
            for (const Between& x : across) {
                const float first = mixed[std::size_t(x.first)];
                *row++ = first + x.part * (mixed[std::size_t(x.second)] - first);
            }
        }
        map(rows.y.data(), rows.cb.data(), rows.cr.data(), to.w);
        std::copy_n(rows.y.begin(), to.w, out.planes[0].row(y));
        if (!halfW && !halfH) {
            std::copy_n(rows.cb.begin(), to.w, out.planes[1].row(y));
            std::copy_n(rows.cr.begin(), to.w, out.planes[2].row(y));
        }
    }
    if (!halfW && !halfH) return;

    const Rect small = out.planes[1].area(), l = luma.area();
    std::vector<Around> columns;
    for (int x = small.x; x < small.right(); ++x)
        columns.push_back(aroundChroma(x, halfW, offsetX, l.x, l.right() - 1));
    for (int y = small.y; y < small.bottom(); ++y) {
        cancel.check();
        const Around down = aroundChroma(y, halfH, offsetY, l.y, l.bottom() - 1);
        const float* lines[3];
        for (int k = 0; k < 3; ++k) lines[k] = luma.row(down.sample[k]) - l.x;
        for (int x = 0; x < small.w; ++x) {
            const Around& a = columns[std::size_t(x)];
            float sum = 0;
            for (int k = 0; k < 3; ++k)
                sum += down.weight[k] * (a.weight[0] * lines[k][a.sample[0]] + a.weight[1] * lines[k][a.sample[1]] +
                                         a.weight[2] * lines[k][a.sample[2]]);
            rows.y[std::size_t(x)] = sum;
        }
        std::copy_n(in[0].planes[1].row(y) + (small.x - chroma.x), small.w, rows.cb.begin());
        std::copy_n(in[0].planes[2].row(y) + (small.x - chroma.x), small.w, rows.cr.begin());
        map(rows.y.data(), rows.cb.data(), rows.cr.data(), small.w);
        std::copy_n(rows.cb.begin(), small.w, out.planes[1].row(y));
        std::copy_n(rows.cr.begin(), small.w, out.planes[2].row(y));
    }
}

} // namespace ulm
