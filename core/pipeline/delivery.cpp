#include "core/pipeline/delivery.h"

#include "core/codec/video_codec.h"
#include "core/engine/resample_stage.h"
#include "core/finish/dither_stage.h"
#include "core/finish/hdr_stage.h"
#include "core/media/deinterlace_stage.h"
#include "core/picture/colour.h"
#include "core/ticket/sound_step.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ulm {
namespace {

class RgbStage : public Stage {
public:
    explicit RgbStage(StagePtr input) : Stage({input}, rgbFormat(input->format()), KeyMaker("rgb").add(input)) {}
    const char* name() const override { return "rgb"; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
        yccToRgb(out, matrixWeights(inputs()[0]->format().colour.matrix));
    }

private:
    static PictureFormat rgbFormat(PictureFormat f) {
        f.colour.matrix = 0;
        f.colour.fullRange = true;
        return f;
    }
};

// What the step in hand makes of a clip that has to be enlarged for its size.
void tellEnlarging(const Delivery& d, const FramingPlan& plan, std::vector<Addition>& to) {
    if (plan.scale() <= 1.02) return;
    const std::string factor = "×" + shortNumber(plan.scale(), 2);
    if (!d.ticket.enlarge.on)
        to.push_back({"enlarge",
                      "Enlarge is off: plain Lanczos makes up the " + factor,
                      "Use the network",
                      {"enlarge.on=true", "enlarge.method=learned"}});
    else if (d.target && plan.scale() > framingOf(ticketFor(d.asked, d.target->name), d.facts.video).scale() + 0.01)
        to.push_back({"enlarge", d.target->title + " needs " + factor + ", by the method chosen here", "", {}});
}

// Encoders take even sizes: an odd one that was asked for is delivered one pixel off, and that is said.
void tellEven(const Delivery& d, std::vector<Addition>& to) {
    const auto& t = d.ticket;
    const char* step = t.frame.on && t.frame.size ? "frame" : t.enlarge.on && t.enlarge.size ? "enlarge" : nullptr;
    if (!step) return;
    const Size asked = step[0] == 'f' ? *t.frame.size : *t.enlarge.size;
    if (asked.w % 2 || asked.h % 2)
        to.push_back({step, sizeText(asked) + " is made " + sizeText(d.size()) + ": encoders take even sizes", "", {}});
}

} // namespace

DeliveredFrame Delivery::at(std::int64_t k) const {
    const std::int64_t stage = clock.first() + k;
    return {stage, clock.pts(k), clock.duration(k), {{clock.instantOf(stage), 1}}, planAt(stage)};
}

FramingPlan Delivery::planAt(std::int64_t stage) const { return framing_(stage); }

Point Delivery::toDelivered(std::int64_t stage, Point s) const {
    const FramingPlan p = planAt(stage);
    const PictureFormat& stored = source->format();
    const double dx = s.x * facts.video.width / stored.width, dy = s.y * facts.video.height / stored.height;
    return {p.x + (dx - p.srcX) * p.w / p.srcW, p.y + (dy - p.srcY) * p.h / p.srcH};
}

Point Delivery::toSource(std::int64_t stage, Point d) const {
    const FramingPlan p = planAt(stage);
    const PictureFormat& stored = source->format();
    return {(p.srcX + (d.x - p.x) * p.srcW / p.w) * stored.width / facts.video.width,
            (p.srcY + (d.y - p.y) * p.srcH / p.h) * stored.height / facts.video.height};
}

Rect Delivery::window(std::int64_t stage) const {
    const FramingPlan p = planAt(stage);
    const Point a = toSource(stage, {double(p.x), double(p.y)}),
                b = toSource(stage, {double(p.x + p.w), double(p.y + p.h)});
    return Rect{int(std::floor(a.x)), int(std::floor(a.y)), int(std::ceil(b.x) - std::floor(a.x)),
                int(std::ceil(b.y) - std::floor(a.y))}
        .intersected(source->format().frame());
}

Rect Delivery::readable(std::int64_t stage, const Rect& delivered, const Rect& wanted) const {
    constexpr int kRoom = 4; // what Lanczos reaches when it shrinks, and a sample for rounding
    const Point a = toSource(stage, {double(delivered.x), double(delivered.y)}),
                b = toSource(stage, {double(delivered.right()), double(delivered.bottom())});
    const int l = int(std::ceil(a.x)), t = int(std::ceil(a.y));
    return Rect{l, t, int(std::floor(b.x)) - l, int(std::floor(b.y)) - t}
        .intersected(window(stage))
        .grown(-kRoom)
        .intersected(wanted)
        .intersected(source->format().frame());
}

StagePtr Delivery::inSourcePixels(const StagePtr& delivered, std::int64_t stage, const Rect& r) const {
    const Point a = toDelivered(stage, {double(r.x), double(r.y)}),
                b = toDelivered(stage, {double(r.right()), double(r.bottom())});
    PictureFormat f = delivered->format();
    f.width = r.w, f.height = r.h;
    return std::make_shared<ResampleStage>(delivered, ScaleWindow{a.x, a.y, b.x - a.x, b.y - a.y, r.w, r.h},
                                           Kernel::Lanczos, f);
}

DeliveredFile Delivery::planned() const {
    return {size().w,
            size().h,
            fps(),
            seconds(),
            0,
            avcodec_get_name(videoCodec(ticket.deliver.codec).id),
            ticket.deliver.container,
            true};
}

std::vector<LimitCheck> Delivery::broken() const {
    if (!target) return {};
    std::vector<LimitCheck> all = checkLimits(*target, planned());
    std::erase_if(all, [](const LimitCheck& c) { return c.holds; });
    return all;
}

std::int64_t Delivery::sizeLimit() const {
    std::int64_t limit = ticket.deliver.rate == "size" ? static_cast<std::int64_t>(ticket.deliver.sizeMb * 1e6) : 0;
    if (target && target->maxMb > 0) limit = limit ? std::min(limit, target->maxBytes()) : target->maxBytes();
    return limit;
}

std::string Delivery::sentence(const std::string& step) const {
    return stepSentence(step, {ticket, *found, facts, &framing_.still, seconds()});
}

std::vector<std::string> Delivery::remarks() const {
    std::vector<std::string> all;
    for (const Addition& a : additions) all.push_back(a.told);
    if (!note.empty()) all.push_back(note);
    if (const auto n = facts.subtitles.size())
        all.push_back(n == 1 ? "its subtitle track is not carried over"
                             : "its " + std::to_string(n) + " subtitle tracks are not carried over");
    if (facts.video.alpha) all.push_back("its transparency is dropped: the picture is delivered as it is stored");
    const VideoFacts& v = facts.video;
    if (v.hdr() && !standardises(ticket, v))
        all.push_back(
            "its HDR colours stay as they are; data on the mastering screen and on brightness are not carried "
            "over");
    if (v.hdr() && !standardises(ticket, v) && toned != before)
        all.push_back(
            "its light and colour are set as if it were no HDR clip: bring it to standard range (Finish, HDR)");
    if ((v.interlaced || found->fieldOrder != "progressive") && !deinterlaces(ticket, *found, v))
        all.push_back(!v.upright() ? "it is interlaced and turned: both fields stay woven into one picture"
                                   : "it is interlaced: both fields stay woven into one picture; Motion makes whole "
                                     "pictures of them");
    if (!clock.untouched() && ticket.motion.method == "hold" && fps() > v.fps * clock.speed() * 1.001)
        all.push_back(shortNumber(fps(), 2) + " frames a second are more than its " +
                      shortNumber(v.fps * clock.speed(), 2) + ": some are shown twice");
    if (ticket.motion.on && ticket.motion.duplicates == "remove" && !found->duplicates.empty() && !found->repeats.of)
        all.push_back("its repeated frames come in no steady pattern: they are replaced, not taken out");
    if (ticket.motion.on && ticket.motion.duplicates != "keep" && found->complete && found->runs.size() > 1)
        all.push_back("it is too long to look at every frame: repeats are known in parts of it only");
    if (followsSubject(ticket) && found->complete && found->subject.places.empty())
        all.push_back("it is too long to look for its subject in every frame: the crop stays where it is set");
    for (const std::string& told : soundRemarks(ticket, facts)) all.push_back(told);
    return all;
}

DeliveryPtr resolve(std::shared_ptr<FrameReader> reader, std::shared_ptr<const Inspection> found, const Ticket& asked,
                    const std::optional<Target>& target) {
    static const auto nothing = std::make_shared<const Inspection>();
    const auto d = std::make_shared<Delivery>();
    d->asked = asked;
    d->target = target;
    d->found = found ? std::move(found) : nothing;
    d->reader = reader;
    d->facts = reader->clip().facts();
    d->ticket = target ? fitToTarget(asked, *target, d->facts, &d->additions) : ticketFor(asked, "");
    d->framing_.still = framingOf(d->ticket, d->facts.video);
    tellEnlarging(*d, d->framing_.still, d->additions);
    d->clock = FrameClock(reader->sharedClip(), d->ticket, *d->found);
    const ClipPtr clip = reader->sharedClip();
    if (const auto path = followedPath(d->ticket, *d->found, d->framing_.still, d->facts.video, clip->frameCount(),
                                       [&](double t) { return clip->frameAt(t); })) {
        d->framing_.key = path->key;
        d->framing_.at = [path, plan = d->framing_.still, v = d->facts.video, clock = d->clock](std::int64_t stage) {
            return ulm::planAt(plan, *path, v, clock.instantOf(stage));
        };
    }
    d->source = std::make_shared<SourceStage>(std::move(reader));
    // Fields become pictures before everything else; "before" shows the clip as it is.
    StagePtr whole = deinterlaces(d->ticket, *d->found, d->facts.video)
                         ? deinterlaced(d->source, d->found->fieldOrder != "bottom")
                         : d->source;
    const bool standard = standardises(d->ticket, d->facts.video);
    const StagePtr untreated = standard ? toStandardRange(d->source) : d->source;
    if (standard) whole = toStandardRange(whole);
    Building b{d->ticket, *d->found, d->facts.video, d->framing_, d->clock.retiming(), whole, whole, whole, {}};
    for (const StepPart& p : stepParts())
        if (p.build) p.build(b);
    d->before = framed(b.onClock(untreated), b.onClock(untreated), d->framing_, d->facts.video, Kernel::Bicubic);
    d->result = standard ? dithered(b.picture) : b.picture;
    d->note = b.note;
    b.picture = d->before;
    for (const StepPart& p : stepParts())
        if (p.tones) p.build(b);
    d->toned = b.picture;
    tellEven(*d, d->additions);
    d->picturesUntouched = d->result == d->source && d->clock.untouched();
    return d;
}

DeliveryPtr resolve(std::shared_ptr<FrameReader> reader, const Inspection& found, const Ticket& asked,
                    const std::optional<Target>& target) {
    return resolve(std::move(reader), std::make_shared<const Inspection>(found), asked, target);
}

DeliveryPtr withoutNetworks(const DeliveryPtr& d) {
    const Ticket plain = withoutNetworks(d->ticket);
    return plain == d->ticket ? d : resolve(d->reader, d->found, plain, d->target);
}

Ticket fitToTarget(const Ticket& asked, const Target& target, const MediaFacts& facts,
                   std::vector<Addition>* additions) {
    Ticket t = ticketFor(asked, target.name);
    const auto tell = [&](const char* step, const std::string& what) {
        if (additions) additions->push_back({step, target.title + " " + what, "", {}});
    };
    if (const double fps = t.motion.on && t.motion.fps > 0 ? t.motion.fps : facts.video.fps;
        target.maxFps > 0 && fps > target.maxFps * 1.0005) {
        // A limit alone makes nothing up: frames are left out, unless the ticket asks for movement of its own.
        const bool makes = t.motion.on && t.motion.method != "hold";
        if (!t.motion.on) t.motion.method = "hold";
        t.motion.on = true;
        t.motion.fps = target.maxFps;
        tell("motion", "takes at most " + shortNumber(target.maxFps, 2) +
                           " frames a second: " + (makes ? "made at that rate" : "some are left out"));
    }
    if (facts.video.hdr() && !target.hdr && !standardises(t, facts.video)) {
        if (!t.finish.on) t.finish.amount = 0; // nothing else is to be done by a step that is off
        t.finish.on = true;
        t.finish.hdr = "standard";
        tell("finish", "takes no HDR: brought to standard range");
    }
    const auto& codecs = target.codecs;
    const auto taken = [&](const VideoCodec& c) {
        return std::ranges::find(codecs, avcodec_get_name(c.id)) != codecs.end();
    };
    if (!codecs.empty() && !taken(videoCodec(t.deliver.codec)))
        for (const VideoCodec& c : videoCodecs())
            if (taken(c)) {
                t.deliver.codec = c.name;
                t.deliver.container = c.containers.front();
                tell("deliver", "does not take the ticket's codec: encoded as " + c.title);
                break;
            }
    if (target.maxMb > 0) tell("deliver", "takes at most " + shortNumber(target.maxMb, 2) + " MB");
    FramingPlan plan = framingOf(t, facts.video);
    const auto deliver = [&](Size s) {
        t.frame.on = true;
        t.frame.size = s;
        const int g = std::gcd(s.w, s.h);
        t.frame.aspect = {s.w / g, s.h / g};
    };
    // How the asked shape is filled, and what that costs.
    const auto filled = [&] {
        plan = framingOf(t, facts.video);
        if (t.frame.fill == "pad") return std::string("black beside the picture");
        if (t.frame.fill == "blur") return std::string("a blurred copy around the picture");
        const long stays = std::lround(100 * keptShare(plan, facts.video));
        return stays >= 100 ? std::string("all of the picture stays") : "crop, " + std::to_string(stays) + " % stays";
    };
    // A crop that the destination alone asks for sits in the middle, wherever the subject is.
    const auto offerToFollow = [&] {
        if (!additions || t.frame.fill != "crop" || t.frame.follow != "place" || keptShare(plan, facts.video) > 0.9)
            return;
        additions->back().offer = "Follow the subject";
        additions->back().set = {"frame.aspect=" + aspectText(t.frame.aspect), "frame.follow=subject"};
    };
    if (target.size) {
        if (plan.width != target.size->w || plan.height != target.size->h) {
            deliver(*target.size);
            tell("frame", "asks " + sizeText(*target.size) + ": " + filled());
            offerToFollow();
        }
        return t;
    }
    if (!target.aspects.empty()) {
        Target shape;
        shape.aspects = target.aspects;
        if (!allHold(checkLimits(shape, {plan.width, plan.height, 0, 0, 0, "", "", true}))) {
            t.frame.on = true;
            t.frame.size.reset();
            t.frame.aspect = target.aspects.front();
            std::string shapes;
            for (const Size& a : target.aspects) shapes += (shapes.empty() ? "" : " or ") + aspectText(a);
            tell("frame", "asks " + shapes + ": " + filled());
            offerToFollow();
        }
    }
    double scale = 1;
    std::string limit;
    const auto within = [&](int most, int value, const char* what) {
        if (!most || double(most) / value >= scale) return;
        scale = double(most) / value;
        limit = std::to_string(most) + what;
    };
    within(target.maxWidth, plan.width, " pixels across");
    within(target.maxHeight, plan.height, " pixels down");
    within(target.maxLines, std::min(plan.width, plan.height), " lines");
    if (scale < 1) {
        const Size s{std::max(2, static_cast<int>(plan.width * scale + 0.01) / 2 * 2),
                     std::max(2, static_cast<int>(plan.height * scale + 0.01) / 2 * 2)};
        if (t.frame.on)
            deliver(s);
        else {
            t.enlarge.on = true;
            t.enlarge.size = s;
        }
        tell(t.frame.on ? "frame" : "enlarge", "takes at most " + limit + ": made " + sizeText(s));
    }
    return t;
}

bool needsInspection(const Ticket& t, const std::optional<Target>& target, const MediaFacts& facts) {
    return needsReadings(target ? fitToTarget(t, *target, facts) : t);
}

std::array<double, 3> lightAt(const Delivery& d, Engine& engine, std::int64_t stage, Point p) {
    const StagePtr rgb = asRgb(d.before);
    const Rect around =
        Rect{int(std::floor(p.x)), int(std::floor(p.y)), 1, 1}.grown(4).intersected(rgb->format().frame());
    std::array<double, 3> light{1e-4, 1e-4, 1e-4};
    if (around.empty()) return light;
    const Picture seen = engine.pull(*rgb, stage, around, {});
    for (std::size_t c = 0; c < 3; ++c) {
        double sum = 0;
        for (int y = around.y; y < around.bottom(); ++y)
            for (int x = 0; x < around.w; ++x) sum += std::pow(std::max(0.f, seen.planes[c].row(y)[x]), kDisplayGamma);
        light[c] = std::max(1e-4, sum / double(around.pixels()));
    }
    return light;
}

StagePtr asRgb(StagePtr input) { return std::make_shared<RgbStage>(withChroma(input, 0, 0, 0)); }

} // namespace ulm
