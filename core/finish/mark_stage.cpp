#include "core/finish/mark_stage.h"

#include "core/picture/colour.h"

#include <algorithm>

namespace ulm {
namespace {

// White of graphics, of the signal's range.
float whiteOf(int transfer) { return transfer == 16 ? 0.58f : transfer == 18 ? 0.75f : 1.f; }

class MarkStage : public Stage {
public:
    MarkStage(StagePtr input, const Cover& cover, int x, int y, const Shows& shows)
        : Stage({input}, input->format(), keyOf(input, cover, x, y, shows)), shows_(shows) {
        const PictureFormat& f = format();
        PictureFormat whole = f;
        whole.width = cover.w, whole.height = cover.h, whole.subW = whole.subH = 0;
        Picture p = Picture::make(whole, whole.frame());
        Plane alpha = Plane::make(whole.frame());
        const float white = whiteOf(f.colour.transfer);
        for (int j = 0; j < cover.h; ++j) {
            const float* from = cover.rgba.data() + std::size_t(j) * std::size_t(cover.w) * 4;
            for (int i = 0; i < cover.w; ++i, from += 4) {
                for (std::size_t c = 0; c < 3; ++c) p.planes[c].row(j)[i] = from[c] * white;
                alpha.row(j)[i] = from[3];
            }
        }
        rgbToYcc(p, matrixWeights(f.colour.matrix));
        for (std::size_t c = 0; c < 3; ++c) {
            colours_[c] = c ? shrunk(p.planes[c], x, y) : at(p.planes[c], x, y);
            alphas_[c] = c ? shrunk(alpha, x, y) : at(alpha, x, y);
        }
    }
    const char* name() const override { return "mark"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const auto seen = float(shows_.at(n));
        for (std::size_t c = 0; c < 3; ++c) {
            copySamples(in[0].planes[c], out.planes[c]);
            const Rect r = out.planes[c].area().intersected(alphas_[c].area());
            for (int y = r.y; seen > 0 && y < r.bottom(); ++y) {
                float* to = out.planes[c].row(y) + (r.x - out.planes[c].area().x);
                const float *a = alphas_[c].row(y) + (r.x - alphas_[c].area().x),
                            *v = colours_[c].row(y) + (r.x - colours_[c].area().x);
                for (int x = 0; x < r.w; ++x) to[x] += seen * (v[x] - a[x] * to[x]);
            }
        }
    }

private:
    static Key keyOf(const StagePtr& input, const Cover& cover, int x, int y, const Shows& shows) {
        KeyMaker k("mark");
        k.add(input).add(cover.w).add(cover.h).add(x).add(y).add(std::int64_t(shows.key));
        k.add(cover.rgba.data(), cover.rgba.size() * sizeof(float));
        return k;
    }
    // Where it lies on the frame.
    static Plane at(const Plane& p, int x, int y) {
        Plane out = Plane::make(p.area().moved(x, y));
        for (int j = 0; j < p.area().h; ++j) std::copy_n(p.row(j), p.area().w, out.row(y + j));
        return out;
    }
    // Chroma: means over its blocks; what lies beside the cover counts as clear.
    Plane shrunk(const Plane& p, int x, int y) const {
        const int kx = 1 << format().subW, ky = 1 << format().subH;
        const Rect r{x / kx, y / ky, (p.area().w + kx - 1) / kx, (p.area().h + ky - 1) / ky};
        Plane out = Plane::make(r);
        for (int j = 0; j < r.h; ++j)
            for (int i = 0; i < r.w; ++i) {
                float sum = 0;
                for (int b = j * ky; b < std::min((j + 1) * ky, p.area().h); ++b)
                    for (int a = i * kx; a < std::min((i + 1) * kx, p.area().w); ++a) sum += p.row(b)[a];
                out.row(r.y + j)[i] = sum / float(kx * ky);
            }
        return out;
    }

    Shows shows_;
    Plane colours_[3], alphas_[3];
};

class FadeStage : public Stage {
public:
    FadeStage(StagePtr input, const Shows& shows)
        : Stage({input}, input->format(), KeyMaker("fade").add(input).add(std::int64_t(shows.key))), shows_(shows) {}
    const char* name() const override { return "fade"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t n, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const auto seen = float(shows_.at(n));
        for (std::size_t c = 0; c < 3; ++c) {
            copySamples(in[0].planes[c], out.planes[c]);
            if (seen == 1) continue;
            const Rect r = out.planes[c].area();
            for (int y = r.y; y < r.bottom(); ++y)
                for (int x = 0; x < r.w; ++x) out.planes[c].row(y)[x] *= seen;
        }
    }

private:
    Shows shows_;
};

} // namespace

StagePtr marked(StagePtr input, const Cover& cover, int x, int y, const Shows& shows) {
    if (cover.w == 0 || cover.h == 0) return input;
    return std::make_shared<MarkStage>(std::move(input), cover, x, y, shows);
}

StagePtr fadedToBlack(StagePtr input, const Shows& shows) {
    return std::make_shared<FadeStage>(std::move(input), shows);
}

} // namespace ulm
