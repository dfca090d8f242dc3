#include "core/pipeline/pipeline.h"

#include "core/error.h"
#include "core/finish/detail_stage.h"
#include "core/finish/grain_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/framing/fill_stages.h"
#include "core/picture/colour.h"
#include "core/pipeline/clean_steps.h"
#include "core/restore/clean_stages.h"
#include "core/restore/face_stage.h"
#include "core/ticket/fields.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

class RgbStage : public Stage {
public:
    explicit RgbStage(StagePtr input) : Stage({input}, rgbFormat(input->format()), KeyMaker("rgb").add(input)) {}
    const char* name() const override { return "rgb"; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
        yccToRgb(out, matrixWeights(likelyMatrix(inputs()[0]->format().colour.matrix, format().height)));
    }

private:
    static PictureFormat rgbFormat(PictureFormat f) {
        f.colour.matrix = 0;
        f.colour.fullRange = true;
        return f;
    }
};

Fill fillFrom(const std::string& name) { return name == "pad" ? Fill::Pad : name == "blur" ? Fill::Blur : Fill::Crop; }

// The window of the plan, given in displayed pixels, in the stored pixels of the source (they differ by sample aspect).
ScaleWindow storedWindow(const FramingPlan& p, const VideoFacts& v, const PictureFormat& stored) { // or enlarged ones
    const double kx = double(stored.width) / v.width, ky = double(stored.height) / v.height;
    return {p.srcX * kx, p.srcY * ky, p.srcW * kx, p.srcH * ky, p.w, p.h};
}

// 4:2:0 with the source's siting: what H.264 delivers, and needs no chroma pass where the source has it already.
PictureFormat deliveredFormat(const PictureFormat& source) {
    PictureFormat f = source;
    f.subW = f.subH = 1;
    if (source.subW != 1 || source.subH != 1) f.colour.chromaSite = 1;
    if (f.bitDepth > 8) f.bitDepth = 10;
    if (f.colour.matrix == 0) f.colour.matrix = 1;
    return f;
}

StagePtr framed(StagePtr in, StagePtr source, const FramingPlan& plan, const VideoFacts& v, Kernel kernel) {
    const ScaleWindow w = storedWindow(plan, v, in->format());
    const bool same = w.x == 0 && w.y == 0 && w.w == in->format().width && w.h == in->format().height &&
                      w.width == in->format().width && w.height == in->format().height;
    const PictureFormat f = deliveredFormat(source->format());
    StagePtr out = same && f.subW == in->format().subW && f.subH == in->format().subH
                       ? in
                       : std::make_shared<ResampleStage>(in, w, kernel, f);
    if (plan.covers()) return out;
    const Rect place{plan.x, plan.y, plan.w, plan.h};
    if (plan.fill == Fill::Pad) return padded(out, place, plan.width, plan.height);
    PictureFormat square = source->format();
    StagePtr base = source;
    if (square.subW != f.subW || square.subH != f.subH) base = withChroma(source, f.subW, f.subH, f.colour.chromaSite);
    return blurFilled(out, backdrop(base, plan.width, plan.height), place, plan.width, plan.height);
}

std::vector<DeliveredFrame> timeFrames(const Clip& clip, const Ticket& t, AVRational& timeBase, bool& all) {
    const double end = clip.secondsAt(clip.frameCount());
    const double from = t.stretch.on ? t.stretch.from : 0, to = t.stretch.on ? std::min(t.stretch.to, end) : end;
    if (from >= end || to <= from)
        throw Error(Fault::Usage, clip.path(),
                    "the stretch lies outside the clip, which is " + std::to_string(end) + " s long",
                    "Choose a stretch inside it.");
    std::int64_t first = clip.frameAt(from);
    if (clip.secondsAt(first) < from - 1e-6 && first + 1 < clip.frameCount() && clip.secondsAt(first + 1) < to) ++first;
    std::int64_t past = first + 1; // a stretch ends before the first frame that starts at or after `to`
    while (past < clip.frameCount() && clip.secondsAt(past) < to - 1e-6) ++past;
    std::vector<DeliveredFrame> frames;
    if (!t.motion.on || std::abs(t.motion.fps - clip.facts().video.fps) < 1e-3) {
        timeBase = clip.timeBase();
        const std::int64_t zero = clip.frames()[static_cast<std::size_t>(first)].pts;
        for (std::int64_t n = first; n < past; ++n) {
            const FrameTime& f = clip.frames()[static_cast<std::size_t>(n)];
            frames.push_back({n, f.pts - zero, f.duration});
        }
        all = true;
        return frames;
    }
    timeBase = av_inv_q(av_d2q(t.motion.fps, 100000));
    const double start = clip.secondsAt(first), length = clip.secondsAt(past) - start;
    const std::int64_t count = std::max<std::int64_t>(1, std::llround(length * t.motion.fps));
    for (std::int64_t k = 0; k < count; ++k) {
        const double at =
            start + (double(k) + 0.25) / t.motion.fps; // a quarter in: rounding of times never flips frames
        frames.push_back({std::clamp(clip.frameAt(at), first, past - 1), k, 1});
    }
    all = false;
    return frames;
}

// Sharpening, kept in bounds, then grain: grain that is sharpened turns gritty, and grain laid before anything else is
// taken for noise.
StagePtr finished(StagePtr s, const Ticket::Finish& f) {
    if (!f.on) return s;
    const StagePtr plain = s;
    if (f.amount > 0) s = unsharp(s, f.amount, f.radius);
    const auto& d = f.detail;
    if (d.any()) s = sharpenByDetail(s, {d.finest, d.fine, d.medium, d.coarse}, d.threshold);
    if (s != plain && (f.haloLimit > 0 || f.shadows)) s = guardSharpening(s, plain, f.haloLimit / 100, f.shadows);
    if (f.grain.amount > 0)
        s = filmGrain(s, f.grain.amount, f.grain.size, f.grain.midtones, static_cast<std::uint32_t>(f.grain.seed));
    return s;
}

// The source through networks until it is at least nearly `factor` times as large; faces and what is kept of the
// original are mixed with it merely scaled.
StagePtr enlargedStage(StagePtr cleaned, StagePtr source, double factor, const Ticket& t, const Readings& r) {
    StagePtr s = enlargedByNetwork(cleaned, source, factor, t, r);
    if (!s || !t.clean.on) return s;
    const PictureFormat &from = source->format(), &to = s->format();
    const ScaleWindow whole{0, 0, double(from.width), double(from.height), to.width, to.height};
    const StagePtr scaled = std::make_shared<ResampleStage>(source, whole, Kernel::Lanczos, to);
    if (t.clean.gentleFaces) s = gentlerOnFaces(s, scaled, r.faces, double(to.width) / from.width);
    return t.clean.keepOriginal > 0 ? keepOriginal(s, scaled, t.clean.keepOriginal / 100) : s;
}

} // namespace

FramingPlan framingOf(const Ticket& t, const VideoFacts& v) {
    FramingWish w;
    if (t.enlarge.on) {
        w.scale = t.enlarge.scale;
        w.size = t.enlarge.size;
    }
    w.frame = t.frame.on;
    w.aspect = t.frame.aspect;
    w.delivered = t.frame.size;
    w.fill = fillFrom(t.frame.fill);
    w.positionX = t.frame.on ? t.frame.x : t.enlarge.x;
    w.positionY = t.frame.on ? t.frame.y : t.enlarge.y;
    return planFraming({v.width, v.height}, w);
}

Pipeline buildPipeline(std::shared_ptr<FrameReader> reader, const Ticket& t, const Readings& readings) {
    const Clip& clip = reader->clip();
    const VideoFacts& v = clip.facts().video;
    Pipeline p;
    p.plan = framingOf(t, v);
    bool allFrames = false;
    p.frames = timeFrames(clip, t, p.timeBase, allFrames);
    p.source = std::make_shared<SourceStage>(std::move(reader));
    const double factor = p.plan.scale() * (t.enlarge.on ? t.enlarge.above : 1);
    const bool enlarging = enlargesByNetwork(t) && factor > 1.02;
    p.cleaned = cleanedStage(p.source, t, readings, false);
    Kernel kernel = Kernel::Lanczos;
    kernelFromName(t.enlarge.method, kernel);
    StagePtr s =
        enlarging ? enlargedStage(cleanedStage(p.source, t, readings, true), p.source, factor, t, readings) : nullptr;
    if (!s) s = p.cleaned;
    p.note = networkNote(t, readings);
    s = framed(s, p.source, p.plan, v, kernel);
    p.before = framed(p.source, p.source, p.plan, v, Kernel::Bicubic);
    p.picturesUntouched = s == p.source && allFrames && !t.finish.acts();
    p.result = finished(s, t.finish);
    return p;
}

StagePtr asRgb(StagePtr input) { return std::make_shared<RgbStage>(withChroma(input, 0, 0, 0)); }

} // namespace ulm
