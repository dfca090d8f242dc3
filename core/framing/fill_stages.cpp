#include "core/framing/fill_stages.h"

#include "core/engine/resample_stage.h"
#include "core/picture/gaussian.h"

namespace ulm {
namespace {

PictureFormat sized(PictureFormat f, int w, int h) {
    f.width = w;
    f.height = h;
    return f;
}

Rect planePlace(const Rect& place, const PictureFormat& f, int plane) {
    return plane ? subsampled(place, f.subW, f.subH) : place;
}

// Puts what `inner` holds of its picture, whose corner comes to lie at place's, into `to`.
void lay(const Plane& inner, const Rect& place, Plane& to) {
    const Rect r = to.area().intersected(inner.area().moved(place.x, place.y));
    for (int y = r.y; y < r.bottom(); ++y)
        std::copy_n(inner.row(y - place.y) + (r.x - place.x - inner.area().x), r.w, to.row(y) + (r.x - to.area().x));
}

class PadStage : public Stage {
public:
    PadStage(StagePtr inner, StagePtr behind, const Rect& place, int w, int h)
        : Stage(behind ? std::vector{inner, behind} : std::vector{inner}, sized(inner->format(), w, h),
                makeKey(inner, behind, place, w, h)),
          place_(place) {}
    const char* name() const override { return "fill"; }

    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        std::vector<Need> all;
        const Rect inside = region.intersected(place_);
        if (!inside.empty()) all.push_back({0, frame, inside.moved(-place_.x, -place_.y)});
        if (inputs().size() == 2) all.push_back({1, frame, inputs()[1]->format().frame()});
        return all;
    }

    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const bool hasInner = !out.area.intersected(place_).empty();
        for (int c = 0; c < 3; ++c) {
            Plane& to = out.planes[c];
            if (inputs().size() == 2)
                stretch(in.back(), c, to);
            else
                for (int y = to.area().y; y < to.area().bottom(); ++y) std::fill_n(to.row(y), to.area().w, 0.f);
            if (hasInner) lay(in[0].planes[c], planePlace(place_, format(), c), to);
        }
    }

private:
    static Key makeKey(const StagePtr& inner, const StagePtr& behind, const Rect& p, int w, int h) {
        KeyMaker k("fill");
        k.add(inner).add(p.x).add(p.y).add(w).add(h);
        if (behind) k.add(behind);
        return k;
    }

    void stretch(const Picture& small, int c, Plane& to) const {
        const Rect whole = c ? subsampled(format().frame(), format().subW, format().subH) : format().frame();
        const Rect from = small.planes[c].area();
        resample(small.planes[c], to, {0, double(from.w) / whole.w}, {0, double(from.h) / whole.h}, Kernel::Bicubic);
    }

    Rect place_;
};

class StackStage : public Stage {
public:
    StackStage(StagePtr upper, StagePtr lower)
        : Stage({upper, lower},
                sized(upper->format(), upper->format().width, upper->format().height + lower->format().height),
                KeyMaker("stack").add(upper).add(lower)),
          places_{upper->format().frame(), lower->format().frame().moved(0, upper->format().height)} {}
    const char* name() const override { return "stack"; }

    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        std::vector<Need> all;
        for (int i = 0; i < 2; ++i)
            if (const Rect part = region.intersected(places_[i]); !part.empty())
                all.push_back({i, frame, part.moved(0, -places_[i].y)});
        return all;
    }

    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        std::size_t given = 0;
        for (const Rect& place : places_) {
            if (out.area.intersected(place).empty()) continue;
            for (int c = 0; c < 3; ++c) lay(in[given].planes[c], planePlace(place, format(), c), out.planes[c]);
            ++given;
        }
    }

private:
    Rect places_[2];
};

class SoftStage : public Stage {
public:
    explicit SoftStage(StagePtr input) : Stage({input}, input->format(), KeyMaker("soften").add(input)) {}
    const char* name() const override { return "soften"; }
    int margin() const override { return gaussianReach(kSigma) << std::max(format().subW, format().subH); }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) {
            Plane& to = out.planes[c];
            gaussianBlur(in[0].planes[c], out.planeArea(c, format().frame()),
                         c ? kSigma / (1 << format().subW) : kSigma, to);
            // Darker and paler than the picture, so the eye stays with the picture.
            for (int y = to.area().y; y < to.area().bottom(); ++y)
                for (int x = 0; x < to.area().w; ++x) to.row(y)[x] *= 0.72f;
        }
    }

private:
    static constexpr double kSigma = 2.2; // of a sixteenth-size picture: about 35 delivered pixels
};

} // namespace

StagePtr padded(StagePtr inner, const Rect& place, int w, int h) {
    return std::make_shared<PadStage>(inner, nullptr, place, w, h);
}

StagePtr blurFilled(StagePtr inner, StagePtr behind, const Rect& place, int w, int h) {
    return std::make_shared<PadStage>(inner, behind, place, w, h);
}

StagePtr stacked(StagePtr upper, StagePtr lower) { return std::make_shared<StackStage>(upper, lower); }

StagePtr backdrop(StagePtr source, int width, int height) {
    const PictureFormat& f = source->format();
    const double scale = std::max(double(width) / f.width, double(height) / f.height);
    ScaleWindow window;
    window.w = width / scale;
    window.h = height / scale;
    window.x = (f.width - window.w) / 2;
    window.y = (f.height - window.h) / 2;
    window.width = std::max(2, width / 16);
    window.height = std::max(2, height / 16);
    return std::make_shared<SoftStage>(std::make_shared<ResampleStage>(source, window, Kernel::Bilinear, f));
}

} // namespace ulm
