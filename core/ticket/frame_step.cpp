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
    if (f.fill == "split") return shape + " from two places, one above the other.";
    const std::string closer = f.zoom > 1 ? ", " + shortNumber(f.zoom, 2) + " times closer" : "",
                      how = (f.follow == "subject"  ? " by cropping, following the subject"
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
bool isPlaced(const Ticket& t) { return splits(t) || (crops(t) && t.frame.follow == "place"); }

constexpr std::size_t kMostPins = 1000;

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

// A place of the clip, on the picture that the pose holds.
SubjectPlace heldPlace(const SubjectPlace& p, const Pose& pose) {
    const Affine& m = pose.still;
    const Point at = m({p.x * pose.clip.w, p.y * pose.clip.h});
    const double w = std::abs(m.a) * p.w * pose.clip.w + std::abs(m.b) * p.h * pose.clip.h,
                 h = std::abs(m.d) * p.w * pose.clip.w + std::abs(m.e) * p.h * pose.clip.h;
    return {float(std::clamp(at.x / pose.width, 0.0, 1.0)), float(std::clamp(at.y / pose.height, 0.0, 1.0)),
            float(std::min(1.0, w / pose.width)), float(std::min(1.0, h / pose.height))};
}

// The pins, or what is wrong with them.
std::string readPins(const std::string& text, std::vector<FramePin>& pins) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        std::string_view left = word;
        const auto t = takeNumber(left, ':'), x = t ? takeNumber(left, ',') : std::nullopt,
                   y = x ? takeNumber(left, 0) : std::nullopt;
        if (!y) return "must be SECONDS:X,Y …, such as 0.4:0.25,0.5 2:0.7,0.5";
        if (*t < 0 || *x < 0 || *x > 1 || *y < 0 || *y > 1) return "must have times from 0 on and places in 0…1";
        if (!pins.empty() && *t <= pins.back().seconds) return "must be in order of time";
        if (pins.size() == kMostPins) return "must not have more than 1000 places";
        pins.push_back({*t, *x, *y});
    }
    return "";
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
        const auto part = [&](const FramingPlan& p) {
            return std::make_shared<ResampleStage>(in, storedWindow(p, pose, in->format()), kernel, f);
        };
        return stacked(part(plan), part(plan.lower()));
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

std::string pinsWrong(const std::string& text) {
    std::vector<FramePin> pins;
    return readPins(text, pins);
}

std::vector<FramePin> pinsFrom(const std::string& text) {
    std::vector<FramePin> pins;
    readPins(text, pins);
    return pins;
}

std::string pinsText(const std::vector<FramePin>& pins) {
    std::string all;
    for (const FramePin& p : pins)
        all += (all.empty() ? "" : " ") + shortNumber(p.seconds, 3) + ":" + shortNumber(p.x, 4) + "," +
               shortNumber(p.y, 4);
    return all;
}

bool followsSubject(const Ticket& t) { return t.frame.on && crops(t) && t.frame.follow != "place"; }

FollowedPathPtr followedPath(const Ticket& t, const Inspection& found, const FramingPlan& plan, const Pose& pose,
                             double fps, std::int64_t frames, const std::function<std::int64_t(double)>& frameAt,
                             Point wanted) {
    const auto& places = found.subject.places;
    if (!followsSubject(t) || places.empty() || std::int64_t(places.size()) != frames) return nullptr;
    FollowWish wish;
    wish.subject.reserve(places.size());
    // Where hardly anything stands out the crop stays nearer to the middle.
    constexpr double kSure = 0.12;
    const double windowW = std::min(1.0, plan.srcW / pose.width), windowH = std::min(1.0, plan.srcH / pose.height);
    const auto offX = float((wanted.x - 0.5) * windowW), offY = float((wanted.y - 0.5) * windowH);
    for (std::size_t n = 0; n < places.size(); ++n) {
        const SubjectShot* shot = found.subject.shotOf(std::int64_t(n));
        const auto trust = float(shot ? std::clamp(shot->confidence / kSure, 0.3, 1.0) : 1);
        const SubjectPlace p = heldPlace(places[n], pose);
        wish.subject.push_back({0.5f + trust * (p.x - offX - 0.5f), 0.5f + trust * (p.y - offY - 0.5f), p.w, p.h});
    }
    wish.cuts = found.cuts;
    wish.fps = fps > 0 ? fps : 25;
    wish.moves = t.frame.follow == "subject";
    for (const FramePin& p : pinsFrom(t.frame.pins)) {
        const SubjectPlace at = heldPlace({float(p.x), float(p.y), 0, 0}, pose);
        wish.pins.push_back({frameAt(p.seconds), at.x, at.y});
    }
    return planFollow(wish, windowW, windowH);
}

FramingPlan planAt(const FramingPlan& plan, const FollowedPath& path, Size held, double instant) {
    FramingPlan p = plan;
    const FollowedPath::Place at = path.at(instant);
    p.srcX = (held.w - p.srcW) * double(at.x);
    p.srcY = (held.h - p.srcH) * double(at.y);
    return p;
}

void placeCrop(Ticket& t, const FramingPlan& plan, const Pose& pose, double seconds, double x, double y, bool lower) {
    x = std::clamp(x, 0.0, 1.0), y = std::clamp(y, 0.0, 1.0);
    if (lower) {
        t.frame.lower.x = x, t.frame.lower.y = y;
        return;
    }
    if (!followsSubject(t)) {
        t.frame.x = x, t.frame.y = y;
        return;
    }
    constexpr double kSame = 0.05;
    std::vector<FramePin> pins = pinsFrom(t.frame.pins);
    std::erase_if(pins, [&](const FramePin& p) { return std::abs(p.seconds - seconds) < kSame; });
    // Pins are places of the clip itself: they stay where they are when it is turned or cut otherwise later.
    const Point at = pose.still.inverse()(
        {x * (pose.width - plan.srcW) + plan.srcW / 2, y * (pose.height - plan.srcH) + plan.srcH / 2});
    const FramePin pin{std::max(0.0, seconds), std::clamp(at.x / pose.clip.w, 0.0, 1.0),
                       std::clamp(at.y / pose.clip.h, 0.0, 1.0)};
    if (pins.size() < kMostPins) pins.insert(std::ranges::upper_bound(pins, pin.seconds, {}, &FramePin::seconds), pin);
    t.frame.pins = pinsText(pins);
}

void pinPursuit(Ticket& t, const Pursuit& pursuit, const std::function<double(std::int64_t)>& secondsAt) {
    const auto& p = pursuit.places;
    if (p.empty()) return;
    // The places that a way of straight lines cannot do without (Douglas & Peucker 1973).
    constexpr float kNear = 0.015f;
    std::vector<bool> needed(p.size(), false);
    needed.front() = needed.back() = true;
    std::vector<std::pair<std::size_t, std::size_t>> left = {{0, p.size() - 1}};
    while (!left.empty()) {
        const auto [a, b] = left.back();
        left.pop_back();
        float most = kNear;
        std::size_t at = 0;
        for (std::size_t k = a + 1; k < b; ++k) {
            const float part = float(k - a) / float(b - a);
            const float off = std::max(std::abs(p[a].x + part * (p[b].x - p[a].x) - p[k].x),
                                       std::abs(p[a].y + part * (p[b].y - p[a].y) - p[k].y));
            if (off > most) most = off, at = k;
        }
        if (at == 0) continue;
        needed[at] = true;
        left.push_back({a, at});
        left.push_back({at, b});
    }
    std::vector<FramePin> pins = pinsFrom(t.frame.pins);
    const double from = secondsAt(pursuit.first), to = secondsAt(pursuit.first + std::int64_t(p.size()) - 1);
    std::erase_if(pins, [&](const FramePin& pin) { return pin.seconds > from - 0.02 && pin.seconds < to + 0.02; });
    for (std::size_t k = 0; k < p.size(); ++k)
        if (needed[k] && pins.size() < kMostPins)
            pins.push_back({secondsAt(pursuit.first + std::int64_t(k)), std::clamp(double(p[k].x), 0.0, 1.0),
                            std::clamp(double(p[k].y), 0.0, 1.0)});
    std::ranges::sort(pins, {}, &FramePin::seconds);
    t.frame.on = true;
    t.frame.fill = "crop";
    t.frame.follow = "subject";
    t.frame.pins = pinsText(pins);
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
            .actsIf(isPlaced, "where frame.fill=split, or crop with frame.follow=place")
            .onlyWhereItActs(),
        numberKey("frame.y", 0, 1, OF_TICKET(frame.y))
            .called("Crop down")
            .does("Where the crop sits from top (0) to bottom (1).", "the subject leaves the frame.")
            .by(0.01, 2)
            .actsIf(isPlaced, "where frame.fill=split, or crop with frame.follow=place")
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
        choiceKey("frame.follow", {{"place", "Place set"}, {"steady", "Each shot"}, {"subject", "Follow"}},
                  OF_TICKET(frame.follow))
            .called("Crop by")
            .does("Place set: where you put it. Each shot: one place a shot, on its subject. Follow: the crop moves "
                  "with the "
                  "subject, calmly, and jumps at cuts. Drag the picture with Shift to set its place at an instant.",
                  "the picture sways where nothing moves: take Each shot.")
            .actsIf(crops, "where frame.fill=crop")
            .onlyWhereItActs(),
        textKey("frame.pins", "SECONDS:X,Y …", pinsWrong, OF_TICKET(frame.pins))
            .called("Places set")
            .does(
                "Places of the crop's middle at instants of the clip, in fractions of its picture; they count for more "
                "than the subject.")
            .actsIf([](const Ticket& t) { return crops(t) && t.frame.follow != "place"; },
                    "where frame.fill=crop and frame.follow is steady or subject")
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
