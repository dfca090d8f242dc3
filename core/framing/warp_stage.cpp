#include "core/framing/warp_stage.h"

#include "core/engine/resample_stage.h"
#include "core/picture/resample.h"
#include "core/picture/sampling.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

constexpr int kReach = 3; // of a cubic over four samples, and one for rounding

bool whole(double v) { return std::abs(v - std::round(v)) < 1e-6; }

// Every sample of the output is one of the input's.
bool permutes(const Affine& m) {
    const bool straight = std::abs(std::abs(m.a) - 1) < 1e-9 && std::abs(std::abs(m.e) - 1) < 1e-9 &&
                          std::abs(m.b) < 1e-9 && std::abs(m.d) < 1e-9,
               turned = std::abs(std::abs(m.b) - 1) < 1e-9 && std::abs(std::abs(m.d) - 1) < 1e-9 &&
                        std::abs(m.a) < 1e-9 && std::abs(m.e) < 1e-9;
    return (straight || turned) && whole(m.c) && whole(m.f);
}

// The same map between places of a plane's own samples.
Affine ofPlane(const Affine& m, int plane, const PictureFormat& f) {
    if (!plane || !f.subW) return m; // subsampled both ways, or not at all
    const double right = chromaOffset(f.colour.chromaSite, false), down = chromaOffset(f.colour.chromaSite, true);
    return Affine::scaling(2, 2)
        .then(Affine::moving(right, down))
        .then(m)
        .then(Affine::moving(-right, -down))
        .then(Affine::scaling(0.5, 0.5));
}

PictureFormat sized(PictureFormat f, int width, int height) {
    f.width = width, f.height = height;
    return f;
}

class WarpStage : public Stage {
public:
    WarpStage(StagePtr input, int width, int height, const Warp& warp)
        : Stage({input}, sized(input->format(), width, height), keyOf(input, width, height, warp)), warp_(warp),
          exact_(!warp.at && permutes(warp.still) && permutes(ofPlane(warp.still, 1, format()))) {}
    const char* name() const override { return "warp"; }

    std::vector<Need> needs(std::int64_t frame, const Rect& r) const override {
        const Affine m = warp_(frame);
        double l = 1e9, t = 1e9, right = -1e9, bottom = -1e9;
        for (const Point p : {m({double(r.x), double(r.y)}), m({double(r.right()), double(r.y)}),
                              m({double(r.x), double(r.bottom())}), m({double(r.right()), double(r.bottom())})}) {
            l = std::min(l, p.x), right = std::max(right, p.x);
            t = std::min(t, p.y), bottom = std::max(bottom, p.y);
        }
        // Chroma reaches as many samples of its own, from up to two pixels outside the region.
        const int around = exact_ ? 0 : format().subW ? 2 * kReach + 2 : kReach;
        const Rect all = inputs()[0]->format().frame();
        // Beyond the borders the outermost samples go on: at least one is always asked for.
        const auto within = [](double v, int most) { return std::clamp(int(std::clamp(v, -1e6, 1e6)), 0, most); };
        const int x = within(std::floor(l + 1e-6) - around, all.w - 1),
                  y = within(std::floor(t + 1e-6) - around, all.h - 1);
        const int x2 = within(std::ceil(right - 1e-6) + around, all.w),
                  y2 = within(std::ceil(bottom - 1e-6) + around, all.h);
        return {{0, frame, {x, y, std::max(1, x2 - x), std::max(1, y2 - y)}}};
    }

    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                 const CancelToken& cancel) const override {
        const Affine m = warp_(frame);
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            const Affine p = ofPlane(m, c, format());
            if (permutes(p))
                permute(in[0].planes[c], p, out.planes[c]);
            else
                sampled(in[0].planes[c], p, out.planes[c]);
        }
    }

private:
    static Key keyOf(const StagePtr& input, int width, int height, const Warp& w) {
        KeyMaker k("warp");
        k.add(input).add(width).add(height).add(std::int64_t(w.key)).add(int(bool(w.at)));
        for (const double v : {w.still.a, w.still.b, w.still.c, w.still.d, w.still.e, w.still.f}) k.add(v);
        return k;
    }

    static void permute(const Plane& from, const Affine& m, Plane& to) {
        constexpr int kColumns = 16, kLines = 64; // at once, where rows become columns: nearest caches hold all of it
        const Rect r = to.area(), there = from.area();
        const auto column = [&](int x) { return std::clamp(x - there.x, 0, there.w - 1); };
        const auto line = [&](int y) { return std::clamp(y, there.y, there.bottom() - 1); };
        const int along = int(std::lround(m.a)), across = int(std::lround(m.d));
        struct Place {
            int x, y;
        };
        const auto start = [&](int y) { // of the row's column 0
            const Point p = m({0.5, y + 0.5});
            return Place{int(std::floor(p.x)), int(std::floor(p.y))};
        };
        if (along) {
            std::vector<int> columns;
            for (int x = r.x; x < r.right(); ++x) columns.push_back(column(start(r.y).x + along * x));
            for (int y = r.y; y < r.bottom(); ++y) {
                const float* const row = from.row(line(start(y).y));
                for (int x = 0; x < r.w; ++x) to.row(y)[x] = row[columns[std::size_t(x)]];
            }
            return;
        }
        for (int top = r.y; top < r.bottom(); top += kLines)
            for (int left = 0; left < r.w; left += kColumns) {
                const int count = std::min(kColumns, r.w - left);
                const float* rows[kColumns];
                for (int k = 0; k < count; ++k) rows[k] = from.row(line(start(r.y).y + across * (r.x + left + k)));
                for (int y = top; y < std::min(top + kLines, r.bottom()); ++y) {
                    float* const row = to.row(y) + left;
                    const int at = column(start(y).x);
                    for (int k = 0; k < count; ++k) row[k] = rows[k][at];
                }
            }
    }

    Warp warp_;
    bool exact_;
};

} // namespace

StagePtr warped(StagePtr input, int width, int height, const Warp& warp) {
    const PictureFormat& f = input->format();
    const Affine& m = warp.still;
    if (!warp.at && f.width == width && f.height == height && permutes(m) && m.a > 0.5 && m.e > 0.5 &&
        std::abs(m.c) < 0.5 && std::abs(m.f) < 0.5)
        return input;
    return std::make_shared<WarpStage>(f.subW == f.subH ? input : withChroma(input, 0, 0, 0), width, height, warp);
}

} // namespace ulm
