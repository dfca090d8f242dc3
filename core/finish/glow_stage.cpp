#include "core/finish/glow_stage.h"

#include "core/finish/colour.h"
#include "core/picture/soften.h"

#include <cmath>
#include <vector>

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

class VignetteStage : public Stage {
public:
    VignetteStage(StagePtr input, double amount)
        : Stage({input}, input->format(), KeyMaker("vignette").add(input).add(amount)), gains_(kEntries + 2) {
        // 1 / (1 + spread · distance²)² of light, where the corner's distance is 1.
        const double spread = std::exp2(std::abs(amount)) - 1, power = (amount > 0 ? -2 : 2) / kDisplayGamma;
        for (std::size_t i = 0; i < gains_.size(); ++i)
            gains_[i] = float(std::pow(1 + spread * double(i) / kEntries, power));
    }
    const char* name() const override { return "vignette"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            const Rect r = out.planes[c].area(), whole = out.planeArea(c, format().frame());
            // Gains depend on the squared distance alone, in fractions of the way to a corner.
            const double kx = 2.0 / whole.w, ky = 2.0 / whole.h;
            const double wide = double(format().width) * format().width,
                         high = double(format().height) * format().height;
            const double shareX = wide / (wide + high), shareY = high / (wide + high);
            for (int y = r.y; y < r.bottom(); ++y) {
                const double dy = (y + 0.5) * ky - 1;
                const float* from = in[0].planes[c].row(y);
                for (int x = 0; x < r.w; ++x) {
                    const double dx = (r.x + x + 0.5) * kx - 1;
                    const auto distance = float(shareX * dx * dx + shareY * dy * dy);
                    out.planes[c].row(y)[x] = from[x] * gainAt(distance);
                }
            }
        }
    }

private:
    float gainAt(float distance) const {
        const float at = distance * kEntries;
        const int i = static_cast<int>(at);
        return gains_[std::size_t(i)] + (at - float(i)) * (gains_[std::size_t(i) + 1] - gains_[std::size_t(i)]);
    }

    static constexpr int kEntries = 1024;
    std::vector<float> gains_; ///< of the signal, over the squared distance from the middle
};

} // namespace

StagePtr glow(StagePtr input, double amount, double threshold, double radius) {
    return amount > 0 ? std::make_shared<GlowStage>(input, amount, threshold, radius) : input;
}

StagePtr vignette(StagePtr input, double amount) {
    return amount != 0 ? std::make_shared<VignetteStage>(input, amount) : input;
}

} // namespace ulm
