// Frame: shape and size of what is delivered, and how the clip fills it.
#include "core/ticket/frame_step.h"

#include "core/base/words.h"
#include "core/engine/resample_stage.h"
#include "core/framing/fill_stages.h"

#include <cmath>
#include <sstream>

namespace ulm {
namespace {

Fill fillFrom(const std::string& name) {
    return name == "split" ? Fill::Split : name == "pad" ? Fill::Pad : name == "blur" ? Fill::Blur : Fill::Crop;
}

// The window of the plan, in the stored pixels of what is framed (they differ by sample aspect, and by enlarging).
ScaleWindow storedWindow(const FramingPlan& p, const Pose& pose, const PictureFormat& stored) {
    // Where a part is taken and nothing else is done the clip itself is framed, and the window lies so much further in.
    const bool cut = pose.cutsOnly();
    const Size held = cut ? pose.clip : pose.size();
    const double kx = double(stored.width) / held.w, ky = double(stored.height) / held.h;
    const double x = p.srcX - (cut ? pose.still.c : 0), y = p.srcY - (cut ? pose.still.f : 0);
    return {x * kx, y * ky, p.srcW * kx, p.srcH * ky, p.w, p.h};
}

WindowPath storedPath(const FramingPath& path, const Pose& pose, const PictureFormat& stored) {
    const ScaleWindow first = storedWindow(path.still, pose, stored);
    if (!path.at) return WindowPath(first);
    return {first, path.key, [path, pose, stored](std::int64_t n) { return storedWindow(path(n), pose, stored); }};
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

bool ownShape(const Ticket& t) { return t.frame.aspect.w == 0; }

// Neither another shape nor another part of the picture.
bool keepsShape(const Ticket& t) {
    const bool closer = (t.frame.fill == "crop" && t.frame.zoom > 1) || t.frame.fill == "split";
    return ownShape(t) && !t.frame.size && !closer;
}

// "turned by 90°, mirrored": what is done to the clip before it is framed; empty where nothing is.
std::string heldTold(const Ticket& t, const VideoFacts& v) {
    const Ticket::Frame& f = t.frame;
    std::string all;
    const auto add = [&](const std::string& what) { all += (all.empty() ? "" : ", ") + what; };
    if (const Rect part = partFrom(f.part); !part.empty()) add("cut to " + sizeText({part.w, part.h}));
    if (f.mirror) add("mirrored");
    if (f.turn != "0") add("turned by " + f.turn + "°");
    if (f.straighten != 0) {
        const Pose level = poseOf(Size{v.width, v.height}, {partFrom(f.part), std::stoi(f.turn), f.mirror, 0}),
                   held = poseOf(t, v);
        const double lost = 1 - double(held.width) * held.height / (double(level.width) * level.height);
        add("straightened by " + std::string(f.straighten < 0 ? "−" : "") + shortNumber(std::abs(f.straighten), 1) +
            "°, which cuts away " + shortNumber(100 * lost, 0) + " %");
    }
    return all;
}

std::string told(const StepView& v) {
    const Ticket::Frame& f = v.ticket.frame;
    if (!f.on) return "Shape kept.";
    const std::string held = heldTold(v.ticket, v.facts.video), first = held.empty() ? "" : capitalised(held) + "; ";
    if (keepsShape(v.ticket)) return held.empty() ? "Shape kept." : capitalised(held) + ".";
    const std::string shape = first + (!ownShape(v.ticket) ? aspectText(f.aspect)
                                       : f.size            ? sizeText(*f.size)
                                                : std::string(first.empty() ? "The" : "the") + " clip's shape");
    if (f.fill == "pad") return shape + " with black beside the picture.";
    if (f.fill == "blur") return shape + " on a blurred copy of the picture.";
    if (f.fill == "split")
        return shape + " from two places, one above the other" +
               (f.follow == "two"       ? ", each following a subject."
                : f.follow == "subject" ? ", the upper one following the subject."
                : f.follow == "steady"  ? ", the upper one on the subject of each shot."
                                        : ".");
    const std::string closer = f.zoom > 1 ? ", " + shortNumber(f.zoom, 2) + " times closer" : "",
                      how = (f.follow == "subject"  ? " by cropping, following the subject"
                             : f.follow == "two"    ? " by cropping, following two subjects"
                             : f.follow == "steady" ? " by cropping, on the subject of each shot"
                                                    : " by cropping") +
                            closer;
    if (!v.plan) return shape + how + ".";
    return shape + how + "; " + std::to_string(std::lround(100 * keptShare(*v.plan, poseOf(v.ticket, v.facts.video)))) +
           " % of the picture stays.";
}

bool shapes(const Ticket& t) {
    return !t.frame.size || ownShape(t) || t.frame.size->w * t.frame.aspect.h == t.frame.size->h * t.frame.aspect.w;
}

bool crops(const Ticket& t) { return t.frame.fill == "crop"; }
bool splits(const Ticket& t) { return t.frame.fill == "split"; }
bool canFollow(const Ticket& t) { return crops(t) || splits(t); }
bool isPlaced(const Ticket& t) { return canFollow(t) && t.frame.follow == "place"; }

bool readPart(const std::string& text, Rect& r) {
    std::string_view left = text;
    const auto x = takeNumber(left, ','), y = x ? takeNumber(left, ',') : std::nullopt,
               w = y ? takeNumber(left, 'x') : std::nullopt, h = w ? takeNumber(left, 0) : std::nullopt;
    if (!h) return false;
    for (const double v : {*x, *y, *w, *h})
        if (v < 0 || v > 16384 || v != std::floor(v)) return false;
    if (*w < 16 || *h < 16) return false;
    r = {int(*x), int(*y), int(*w), int(*h)};
    return true;
}

TicketKey lowerKey(const char* path, double least, double most, std::function<double&(Ticket&)> of) {
    return numberKey(path, least, most, std::move(of))
        .does("The same of a split's lower place.")
        .actsIf(splits, "where frame.fill=split")
        .onlyWhereItActs();
}

} // namespace

std::string partWrong(const std::string& text) {
    Rect r;
    return text.empty() || readPart(text, r) ? "" : "must be LEFT,TOP,WIDTHxHEIGHT in pixels, such as 0,60,640x240";
}

Rect partFrom(const std::string& text) {
    Rect r;
    return readPart(text, r) ? r : Rect{};
}

std::string partText(const Rect& r) {
    return std::to_string(r.x) + "," + std::to_string(r.y) + "," + std::to_string(r.w) + "x" + std::to_string(r.h);
}

Pose poseOf(const Ticket& t, const VideoFacts& v) {
    PoseWish w;
    if (t.frame.on) w = {partFrom(t.frame.part), std::stoi(t.frame.turn), t.frame.mirror, t.frame.straighten};
    return poseOf({v.width, v.height}, w);
}

double keptShare(const FramingPlan& p, const Pose& pose) {
    const double all = double(pose.width) * pose.height;
    return std::min(1.0, (p.srcW * p.srcH + p.lowW * p.lowH) / all);
}

FramingPlan framingOf(const Ticket& t, const VideoFacts& v) {
    const Pose pose = poseOf(t, v);
    FramingWish w;
    if (t.enlarge.on) {
        w.scale = t.enlarge.scale;
        w.size = t.enlarge.size;
    }
    w.frame = t.frame.on && !keepsShape(t);
    w.aspect = ownShape(t) ? pose.size() : t.frame.aspect;
    w.delivered = t.frame.size;
    w.fill = fillFrom(t.frame.fill);
    w.place = t.frame.on ? FramingWish::Place{t.frame.x, t.frame.y, w.frame ? t.frame.zoom : 1}
                         : FramingWish::Place{t.enlarge.x, t.enlarge.y, 1};
    w.lower = {t.frame.lower.x, t.frame.lower.y, t.frame.lower.zoom};
    w.split = t.frame.split / 100;
    return planFraming(pose.size(), w);
}

StagePtr framed(StagePtr in, StagePtr source, const FramingPath& path, const Pose& pose, Kernel kernel) {
    const FramingPlan& plan = path.still;
    const PictureFormat f = deliveredFormat(source->format());
    if (!pose.cutsOnly()) in = posed(in, pose);
    if (plan.fill == Fill::Split) {
        FramingPath below = path;
        below.still = plan.lower();
        below.key += 1;
        if (path.at) below.at = [at = path.at](std::int64_t n) { return at(n).lower(); };
        const auto part = [&](const FramingPath& p) {
            return p.at ? std::make_shared<ResampleStage>(in, storedPath(p, pose, in->format()), kernel, f)
                        : std::make_shared<ResampleStage>(in, storedWindow(p.still, pose, in->format()), kernel, f);
        };
        return stacked(part(path), part(below));
    }
    const ScaleWindow w = storedWindow(plan, pose, in->format());
    const bool same = !path.at && w.x == 0 && w.y == 0 && w.w == in->format().width && w.h == in->format().height &&
                      w.width == in->format().width && w.height == in->format().height;
    StagePtr out = same && f.subW == in->format().subW && f.subH == in->format().subH
                       ? in
                       : std::make_shared<ResampleStage>(in, storedPath(path, pose, in->format()), kernel, f);
    if (plan.covers()) return out;
    const Rect place{plan.x, plan.y, plan.w, plan.h};
    if (plan.fill == Fill::Pad) return padded(out, place, plan.width, plan.height);
    const StagePtr base = withChroma(posed(source, pose), f.subW, f.subH, f.colour.chromaSite);
    return blurFilled(out, backdrop(base, plan.width, plan.height), place, plan.width, plan.height);
}

StepPart framePart() {
    StepPart p;
    p.step = "frame";
    p.keys = {
        switchKey("frame.on", OF_TICKET(frame.on)),
        aspectKey("frame.aspect", OF_TICKET(frame.aspect))
            .called("Shape")
            .does("Width to height of what is delivered; `clip`: as the clip has it.")
            .offers({{"9:16", "9:16"}, {"4:5", "4:5"}, {"1:1", "1:1"}, {"16:9", "16:9"}, {"clip", "Clip's"}})
            .actsIf(shapes, "where no frame.size of another shape is set"),
        sizeKey("frame.size", OF_TICKET(frame.size))
            .called("Exact size")
            .does("The delivered size in pixels; its shape wins over frame.aspect.")
            .hidden(),
        choiceKey("frame.fill", {{"crop", "Crop"}, {"split", "Split"}, {"pad", "Black"}, {"blur", "Blur"}},
                  OF_TICKET(frame.fill))
            .called("Fill by")
            .does("Crop: the picture fills the shape and loses its sides. Split: two places of it, one above the "
                  "other, for two people or a game and its player. Black, Blur: all of it stays, with black or a "
                  "blurred copy around it."),
        numberKey("frame.zoom", 1, 8, OF_TICKET(frame.zoom))
            .called("Closer", "×")
            .does("How much closer the crop comes; of a split its upper place. The wheel over the little picture does "
                  "it too.",
                  "the picture gets soft: it has that many fewer pixels to show.")
            .slides(1, 4)
            .by(0.05, 2)
            .actsIf([](const Ticket& t) { return crops(t) || splits(t); }, "where frame.fill is crop or split")
            .onlyWhereItActs(),
        numberKey("frame.x", 0, 1, OF_TICKET(frame.x))
            .called("Crop across")
            .does("Where the crop, or the upper place of a split, sits from left (0) to right (1). The picture can be "
                  "dragged too, with Shift.",
                  "the subject leaves the frame.")
            .by(0.01, 2)
            .actsIf(isPlaced, "where frame.fill is crop or split and frame.follow=place")
            .onlyWhereItActs(),
        numberKey("frame.y", 0, 1, OF_TICKET(frame.y))
            .called("Crop down")
            .does("Where the crop sits from top (0) to bottom (1).", "the subject leaves the frame.")
            .by(0.01, 2)
            .actsIf(isPlaced, "where frame.fill is crop or split and frame.follow=place")
            .onlyWhereItActs(),
        lowerKey("frame.lower_x", 0, 1, OF_TICKET(frame.lower.x)).called("Lower across").by(0.01, 2),
        lowerKey("frame.lower_y", 0, 1, OF_TICKET(frame.lower.y)).called("Lower down").by(0.01, 2),
        lowerKey("frame.lower_zoom", 1, 8, OF_TICKET(frame.lower.zoom))
            .called("Lower closer", "×")
            .slides(1, 4)
            .by(0.05, 2),
        lowerKey("frame.split", 20, 80, OF_TICKET(frame.split))
            .called("Upper takes", "%")
            .does("How much of the height the upper place takes.")
            .by(1, 0),
        choiceKey("frame.follow", {{"place", "Fixed"}, {"steady", "Each shot"}, {"subject", "Follow"}, {"two", "Two"}},
                  OF_TICKET(frame.follow))
            .called("Crop by")
            .does("Fixed: where you put it. Each shot: one place a shot, on its subject. Follow: the crop moves "
                  "with the "
                  "subject, calmly, and jumps at cuts; of a split the upper place does. Two: it keeps both of two "
                  "subjects "
                  "in sight where they fit; a split's places follow one each, the upper one the left of them. Drag the "
                  "picture with Shift to set its place at an instant.",
                  "the picture sways where nothing moves: take Each shot.")
            .actsIf(canFollow, "where frame.fill is crop or split")
            .onlyWhereItActs(),
        textKey("frame.pins", "SECONDS:X,Y …", pinsWrong, OF_TICKET(frame.pins))
            .called("Places set")
            .does(
                "Places of the crop's middle at instants of the clip, in fractions of its picture; they count for more "
                "than the subject.")
            .actsIf([](const Ticket& t) { return canFollow(t) && t.frame.follow != "place"; },
                    "where frame.fill is crop or split and frame.follow is not place")
            .onlyWhereItActs(),
        choiceKey("frame.turn", {{"0", "None"}, {"90", "Right"}, {"180", "Over"}, {"270", "Left"}},
                  OF_TICKET(frame.turn))
            .called("Turn")
            .under("Turned, straightened, cut")
            .does("Turns the picture by quarters, clockwise: 90 to the right, 180 upside down, 270 to the left."),
        flagKey("frame.mirror", OF_TICKET(frame.mirror))
            .called("Mirror")
            .does("Exchanges left and right, before turning.", "letters read backwards."),
        numberKey("frame.straighten", -15, 15, OF_TICKET(frame.straighten))
            .called("Straighten", "°")
            .does("Turns a slanted horizon level, clockwise; what then lies beside the picture is cut away on all "
                  "sides.",
                  "the picture gets narrow.")
            .by(0.1, 1),
        textKey("frame.part", "LEFT,TOP,WIDTHxHEIGHT", partWrong, OF_TICKET(frame.part))
            .called("Only a part")
            .does("The part of the clip that is used, in its own pixels, before it is turned: without black bars, or "
                  "closer.")};
    p.told = told;
    p.needsReadings = followsSubject;
    p.build = [](Building& b) {
        Kernel kernel = Kernel::Lanczos;
        kernelFromName(b.ticket.enlarge.method, kernel);
        b.picture = framed(b.picture, b.onClock(b.source), b.framing, b.pose, kernel);
    };
    return p;
}

} // namespace ulm
