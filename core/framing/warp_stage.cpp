#include "core/framing/warp_stage.h"

#include "core/engine/resample_stage.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

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

// It moves the picture by whole blocks of chroma, and does nothing else.
bool movesBlocks(const Affine& m) { return permutes(m) && m.a > 0.5 && m.e > 0.5 && whole(m.c / 2) && whole(m.f / 2); }

PictureFormat sized(PictureFormat f, int width, int height) {
    f.width = width, f.height = height;
    return f;
}

class WarpStage : public Stage {
public:
    WarpStage(StagePtr input, int width, int height, const Warp& warp)
        : Stage({input}, sized(input->format(), width, height), keyOf(input, width, height, warp)), warp_(warp),
          exact_(!warp.at && permutes(warp.still)) {}
    const char* name() const override { return "warp"; }

    std::vector<Need> needs(std::int64_t frame, const Rect& r) const override {
        const Affine m = warp_(frame);
        double l = 1e9, t = 1e9, right = -1e9, bottom = -1e9;
        for (const Point p : {m({double(r.x), double(r.y)}), m({double(r.right()), double(r.y)}),
                              m({double(r.x), double(r.bottom())}), m({double(r.right()), double(r.bottom())})}) {
            l = std::min(l, p.x), right = std::max(right, p.x);
            t = std::min(t, p.y), bottom = std::max(bottom, p.y);
        }
        const int around = exact_ ? 0 : kReach;
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
        cv::Mat mapX, mapY;
        if (!exact_)
            mapsOf(m, out.planes[0].area(), in[0].planes[0].area(), mapX, mapY); // of all planes: chroma is full
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            if (exact_) {
                permute(in[0].planes[c], c, m, out.planes[c]);
                continue;
            }
            cv::Mat to = viewOf(out.planes[c]);
            cv::remap(viewOf(in[0].planes[c]), to, mapX, mapY, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
        }
    }

private:
    static Key keyOf(const StagePtr& input, int width, int height, const Warp& w) {
        KeyMaker k("warp");
        k.add(input).add(width).add(height).add(std::int64_t(w.key)).add(int(bool(w.at)));
        for (const double v : {w.still.a, w.still.b, w.still.c, w.still.d, w.still.e, w.still.f}) k.add(v);
        return k;
    }

    void permute(const Plane& from, int plane, const Affine& m, Plane& to) const {
        // A subsampled plane is only ever moved, by whole samples of its own.
        const double shrink = plane && format().subW ? 0.5 : 1;
        const Rect r = to.area();
        for (int y = r.y; y < r.bottom(); ++y) {
            float* row = to.row(y);
            const Point start = m({r.x + 0.5, y + 0.5});
            if (std::abs(m.a) > 0.5) {
                const double move = m.c * shrink;
                const int sy = int(std::floor(m.e * (y + 0.5) + m.f * shrink));
                for (int x = 0; x < r.w; ++x) row[x] = from.at(int(std::floor(m.a * (r.x + x + 0.5) + move)), sy);
            } else {
                const int sx = int(std::floor(start.x));
                for (int x = 0; x < r.w; ++x) row[x] = from.at(sx, int(std::floor(start.y + m.d * x)));
            }
        }
    }

    // Where each sample of the area comes from. Places are rounded to remap's own 1/32 before the region's corner is
    // taken off, so that whole pictures and parts agree.
    static void mapsOf(const Affine& m, const Rect& r, const Rect& from, cv::Mat& mapX, cv::Mat& mapY) {
        mapX.create(r.h, r.w, CV_32F), mapY.create(r.h, r.w, CV_32F);
        for (int y = 0; y < r.h; ++y) {
            auto *px = mapX.ptr<float>(y), *py = mapY.ptr<float>(y);
            for (int x = 0; x < r.w; ++x) {
                const Point p = m({r.x + x + 0.5, r.y + y + 0.5});
                px[x] = float(std::round((p.x - 0.5) * 32) / 32 - from.x);
                py[x] = float(std::round((p.y - 0.5) * 32) / 32 - from.y);
            }
        }
    }

    Warp warp_;
    bool exact_;
};

} // namespace

StagePtr warped(StagePtr input, int width, int height, const Warp& warp) {
    const PictureFormat& f = input->format();
    if (!warp.at && f.width == width && f.height == height && movesBlocks(warp.still) && whole(warp.still.c) &&
        std::abs(warp.still.c) < 0.5 && std::abs(warp.still.f) < 0.5)
        return input;
    const bool blocks = !warp.at && movesBlocks(warp.still) && (f.subW == f.subH);
    return std::make_shared<WarpStage>(blocks ? input : withChroma(input, 0, 0, 0), width, height, warp);
}

} // namespace ulm
