// Frame: shape and size of what is delivered, and how the clip fills it.
#include "core/ticket/frame_step.h"
#include "core/engine/resample_stage.h"
#include "core/framing/fill_stages.h"

#include <cmath>

namespace ulm {
namespace {

Fill fillFrom(const std::string& name) { return name == "pad" ? Fill::Pad : name == "blur" ? Fill::Blur : Fill::Crop; }

// The window of the plan, given in displayed pixels, in the stored pixels of the source (they differ by sample aspect).
ScaleWindow storedWindow(const FramingPlan& p, const VideoFacts& v, const PictureFormat& stored) { // or enlarged ones
    const double kx = double(stored.width) / v.width, ky = double(stored.height) / v.height;
    return {p.srcX * kx, p.srcY * ky, p.srcW * kx, p.srcH * ky, p.w, p.h};
}

WindowPath storedPath(const FramingPath& path, const VideoFacts& v, const PictureFormat& stored) {
    const ScaleWindow first = storedWindow(path.still, v, stored);
    if (!path.at) return WindowPath(first);
    return {first, path.key, [path, v, stored](std::int64_t n) { return storedWindow(path(n), v, stored); }};
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

std::string told(const StepView& v) {
    const Ticket::Frame& f = v.ticket.frame;
    if (!f.on) return "Shape kept.";
    const std::string shape = std::to_string(f.aspect.w) + ":" + std::to_string(f.aspect.h);
    if (f.fill == "pad") return shape + " with black beside the picture.";
    if (f.fill == "blur") return shape + " on a blurred copy of the picture.";
    if (!v.plan) return shape + " by cropping.";
    return shape + " by cropping; " + std::to_string(std::lround(100 * keptShare(*v.plan, v.facts.video))) +
           " % of the picture stays.";
}

bool shapes(const Ticket& t) {
    return !t.frame.size || t.frame.size->w * t.frame.aspect.h == t.frame.size->h * t.frame.aspect.w;
}

bool crops(const Ticket& t) { return t.frame.fill == "crop"; }

} // namespace

double keptShare(const FramingPlan& p, const VideoFacts& v) { return p.srcW * p.srcH / (double(v.width) * v.height); }

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

StagePtr framed(StagePtr in, StagePtr source, const FramingPath& path, const VideoFacts& v, Kernel kernel) {
    const FramingPlan& plan = path.still;
    const ScaleWindow w = storedWindow(plan, v, in->format());
    const bool same = !path.at && w.x == 0 && w.y == 0 && w.w == in->format().width && w.h == in->format().height &&
                      w.width == in->format().width && w.height == in->format().height;
    const PictureFormat f = deliveredFormat(source->format());
    StagePtr out = same && f.subW == in->format().subW && f.subH == in->format().subH
                       ? in
                       : std::make_shared<ResampleStage>(in, storedPath(path, v, in->format()), kernel, f);
    if (plan.covers()) return out;
    const Rect place{plan.x, plan.y, plan.w, plan.h};
    if (plan.fill == Fill::Pad) return padded(out, place, plan.width, plan.height);
    PictureFormat square = source->format();
    StagePtr base = source;
    if (square.subW != f.subW || square.subH != f.subH) base = withChroma(source, f.subW, f.subH, f.colour.chromaSite);
    return blurFilled(out, backdrop(base, plan.width, plan.height), place, plan.width, plan.height);
}

StepPart framePart() {
    StepPart p;
    p.step = "frame";
    p.keys = {
        switchKey("frame.on", OF_TICKET(frame.on)),
        aspectKey("frame.aspect", OF_TICKET(frame.aspect))
            .called("Shape")
            .does("Width to height of what is delivered.")
            .offers({{"9:16", "9:16"}, {"4:5", "4:5"}, {"1:1", "1:1"}, {"16:9", "16:9"}})
            .actsIf(shapes, "where no frame.size of another shape is set"),
        sizeKey("frame.size", OF_TICKET(frame.size))
            .called("Exact size")
            .does("The delivered size in pixels; its shape wins over frame.aspect.")
            .hidden(),
        choiceKey("frame.fill", {{"crop", "Crop"}, {"pad", "Black"}, {"blur", "Blur"}}, OF_TICKET(frame.fill))
            .called("Fill by")
            .does("Crop: the picture fills the shape and loses its sides. Black, Blur: all of it stays, with black or "
                  "a blurred copy around it."),
        numberKey("frame.x", 0, 1, OF_TICKET(frame.x))
            .called("Crop across")
            .does("Where the crop sits from left (0) to right (1). The picture can be dragged too, with Shift.",
                  "the subject leaves the frame.")
            .by(0.01, 2)
            .actsIf(crops, "where frame.fill=crop")
            .onlyWhereItActs(),
        numberKey("frame.y", 0, 1, OF_TICKET(frame.y))
            .called("Crop down")
            .does("Where the crop sits from top (0) to bottom (1).", "the subject leaves the frame.")
            .by(0.01, 2)
            .actsIf(crops, "where frame.fill=crop")
            .onlyWhereItActs()};
    p.told = told;
    p.build = [](Building& b) {
        Kernel kernel = Kernel::Lanczos;
        kernelFromName(b.ticket.enlarge.method, kernel);
        b.picture = framed(b.picture, b.onClock(b.source), b.framing, b.video, kernel);
    };
    return p;
}

} // namespace ulm
