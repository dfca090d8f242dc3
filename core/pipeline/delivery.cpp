#include "core/pipeline/delivery.h"

#include "core/codec/video_codec.h"
#include "core/engine/pick_stage.h"
#include "core/engine/resample_stage.h"
#include "core/finish/dither_stage.h"
#include "core/finish/hdr_stage.h"
#include "core/framing/steady.h"
#include "core/media/deinterlace_stage.h"
#include "core/media/film_stage.h"
#include "core/picture/colour.h"
#include "core/ticket/networks.h"

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
        yccToRgb(out, matrixWeights(inputs()[0]->format().colour.matrix));
    }

private:
    static PictureFormat rgbFormat(PictureFormat f) {
        f.colour.matrix = 0;
        f.colour.fullRange = true;
        return f;
    }
};

// Where a box's corners come to lie along one axis: the outermost two, and the two between them, which bound a box
// that lies wholly inside the turned one.
struct Extent {
    double least, inner, outer, most;
};
Extent extent(const Affine& m, const Rect& r, double Point::*along) {
    double at[4] = {m({double(r.x), double(r.y)}).*along, m({double(r.right()), double(r.y)}).*along,
                    m({double(r.x), double(r.bottom())}).*along, m({double(r.right()), double(r.bottom())}).*along};
    std::ranges::sort(at);
    return {at[0], at[1], at[2], at[3]};
}

// What the step in hand makes of a clip that has to be enlarged for its size.
void tellEnlarging(const Delivery& d, const FramingPlan& plan, std::vector<Addition>& to) {
    if (plan.scale() <= kLeastEnlarged) return;
    const std::string factor = "×" + shortNumber(plan.scale(), 2);
    if (!d.ticket.enlarge.on)
        to.push_back({"enlarge",
                      "Enlarge is off: plain Lanczos makes up the " + factor,
                      "Use the network",
                      // Only what is missing is made up: no other destination gets more pixels by it.
                      {"enlarge.scale=1", "enlarge.size=none", "enlarge.method=learned"}});
    else if (d.target && plan.scale() > framingOf(ticketFor(d.asked, d.target->name), d.facts.video).scale() + 0.01)
        to.push_back({"enlarge", d.target->title + " needs " + factor + ", by the method chosen here", "", {}});
}

// What was found, by pictures of fields: two a frame.
Inspection ofFields(Inspection found) {
    for (std::int64_t& cut : found.cuts) cut *= 2;
    for (Mark& face : found.faces) face.frame *= 2;
    return found;
}

// Every frame shown where the camera would have held it, had it been held calmly.
void steady(Pose& p, const Delivery& d) {
    const SteadyPathPtr path = d.steadyPath();
    if (!path) return;
    p.key = path->key;
    p.at = [still = p.still, path, clock = d.clock](std::int64_t stage) {
        return path->at(clock.instantOf(stage)).then(still);
    };
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

SteadyPathPtr Delivery::steadyPath() const {
    const Ticket::Motion& m = ticket.motion;
    if (!m.on || m.stabilise <= 0 || std::int64_t(found->camera.size()) != reader->clip().frameCount()) return nullptr;
    const VideoFacts& v = facts.video;
    return planSteady({found->camera, found->cuts, v.fps > 0 ? v.fps : 25, m.stabilise / 100}, {v.width, v.height});
}

DeliveredFrame Delivery::at(std::int64_t k) const {
    const std::int64_t stage = clock.first() + k;
    return {stage, clock.pts(k), clock.duration(k), {{clock.instantOf(stage), 1}}, planAt(stage)};
}

FramingPlan Delivery::planAt(std::int64_t stage) const { return framing_(stage); }

Affine Delivery::clipToDelivered(std::int64_t stage, bool lower) const {
    const FramingPlan whole = planAt(stage), p = lower ? whole.lower() : whole;
    const PictureFormat& stored = source->format();
    return Affine::scaling(double(facts.video.width) / stored.width, double(facts.video.height) / stored.height)
        .then(pose_(stage))
        .then({p.w / p.srcW, 0, p.x - p.srcX * p.w / p.srcW, 0, p.h / p.srcH, p.y - p.srcY * p.h / p.srcH});
}

bool Delivery::onlyLower(std::int64_t stage, Point s) const {
    const FramingPlan p = planAt(stage);
    const auto within = [&](const Point& d, const FramingPlan& part) {
        return d.x >= part.x && d.y >= part.y && d.x < part.x + part.w && d.y < part.y + part.h;
    };
    return p.fill == Fill::Split && !within(toDelivered(stage, s, false), p) &&
           within(toDelivered(stage, s, true), p.lower());
}

// What neither place shows lies beside the upper one.
Point Delivery::toDelivered(std::int64_t stage, Point s) const { return toDelivered(stage, s, onlyLower(stage, s)); }

std::pair<Point, Point> Delivery::deliveredBox(std::int64_t stage, const Rect& r) const {
    const Affine m = clipToDelivered(stage, onlyLower(stage, {r.x + r.w / 2.0, r.y + r.h / 2.0}));
    const Extent x = extent(m, r, &Point::x), y = extent(m, r, &Point::y);
    return {{x.least, y.least}, {x.most, y.most}};
}

Point Delivery::toSource(std::int64_t stage, Point d) const {
    return clipToDelivered(stage, planAt(stage).isLower(d.y)).inverse()(d);
}

Rect Delivery::window(std::int64_t stage, bool lower) const {
    const FramingPlan whole = planAt(stage), p = lower ? whole.lower() : whole;
    const Affine back = clipToDelivered(stage, lower).inverse();
    const Extent x = extent(back, {p.x, p.y, p.w, p.h}, &Point::x), y = extent(back, {p.x, p.y, p.w, p.h}, &Point::y);
    const int l = int(std::floor(x.least)), t = int(std::floor(y.least));
    return Rect{l, t, int(std::ceil(x.most)) - l, int(std::ceil(y.most)) - t}.intersected(source->format().frame());
}

std::vector<Rect> Delivery::windows(std::int64_t stage) const {
    if (planAt(stage).fill != Fill::Split) return {window(stage, false)};
    return {window(stage, false), window(stage, true)};
}

Rect Delivery::readable(std::int64_t stage, const Rect& delivered, const Rect& wanted) const {
    constexpr int kRoom = 4; // what Lanczos reaches when it shrinks, and a sample for rounding
    const FramingPlan p = planAt(stage);
    const bool lower = p.isLower(delivered.y + delivered.h / 2.0);
    Rect part = delivered;
    if (p.fill == Fill::Split) part = part.intersected({0, lower ? p.h : 0, p.w, lower ? p.height - p.h : p.h});
    const Affine back = clipToDelivered(stage, lower).inverse();
    const Extent x = extent(back, part, &Point::x), y = extent(back, part, &Point::y);
    const int l = int(std::ceil(x.inner)), t = int(std::ceil(y.inner));
    return Rect{l, t, int(std::floor(x.outer)) - l, int(std::floor(y.outer)) - t}
        .intersected(window(stage, lower))
        .grown(-kRoom)
        .intersected(wanted)
        .intersected(source->format().frame());
}

StagePtr Delivery::inSourcePixels(const StagePtr& delivered, std::int64_t stage, const Rect& r) const {
    const Point middle{r.x + r.w / 2.0, r.y + r.h / 2.0};
    const Affine there = clipToDelivered(stage, onlyLower(stage, middle));
    const Extent x = extent(there, r, &Point::x), y = extent(there, r, &Point::y);
    PictureFormat f = delivered->format();
    if (pose_.cutsOnly()) {
        f.width = r.w, f.height = r.h;
        const ScaleWindow w{x.least, y.least, x.most - x.least, y.most - y.least, r.w, r.h};
        return std::make_shared<ResampleStage>(delivered, w, Kernel::Lanczos, f);
    }
    // Turned: first at the clip's scale as it lies, with room for the corners, then turned back.
    const double k = std::sqrt(std::abs(there.a * there.e - there.b * there.d)); // delivered pixels a pixel of the clip
    const double w = x.most - x.least, h = y.most - y.least;
    f.width = std::max(1, int(std::ceil(w / k))), f.height = std::max(1, int(std::ceil(h / k)));
    const ScaleWindow around{x.least, y.least, f.width * k, f.height * k, f.width, f.height};
    Warp back;
    back.still = Affine::moving(r.x, r.y)
                     .then(there)
                     .then(Affine::moving(-x.least, -y.least))
                     .then(Affine::scaling(1 / k, 1 / k));
    return warped(std::make_shared<ResampleStage>(delivered, around, Kernel::Lanczos, f), r.w, r.h, back);
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

DeliveryPtr resolve(std::shared_ptr<FrameReader> reader, std::shared_ptr<const Inspection> found, const Ticket& asked,
                    const std::optional<Target>& target) {
    static const auto nothing = std::make_shared<const Inspection>();
    const auto d = std::make_shared<Delivery>();
    d->asked = asked;
    d->target = target;
    d->found = found ? std::move(found) : nothing;
    d->reader = reader;
    d->facts = reader->clip().facts();
    const ClipPtr clip = reader->sharedClip();
    d->ticket =
        atWantedLength(target ? fitToTarget(asked, *target, d->facts, &d->additions) : ticketFor(asked, ""), *clip);
    d->framing_.still = framingOf(d->ticket, d->facts.video);
    tellEnlarging(*d, d->framing_.still, d->additions);
    d->clock = FrameClock(clip, d->ticket, *d->found);
    d->pose_ = poseOf(d->ticket, d->facts.video);
    steady(d->pose_, *d);
    // In fractions of the delivered picture: what the destination does not cover.
    const auto& c = target ? target->covered : Target::Covered{};
    const Point wanted{0.5 + (c.left - c.right) / 200, 0.5 + (c.top - c.bottom) / 200};
    const FramingPlan& still = d->framing_.still;
    const double down = still.fill == Fill::Split ? 0.5 : wanted.y; // what is covered lies in one of the halves
    const auto follow = [&](bool lower) {
        return followedPath(
            d->ticket, *d->found, lower ? still.lower() : still, d->pose_, d->facts.video.fps, clip->frameCount(),
            [&](double t) { return clip->frameAt(t); }, {wanted.x, down}, lower);
    };
    if (const auto path = follow(false), below = follow(true); path) {
        d->framing_.key = KeyMaker("followed").add(std::int64_t(path->key)).add(std::int64_t(below ? below->key : 0));
        d->framing_.at = [path, below, plan = still, held = d->pose_.size(), clock = d->clock](std::int64_t stage) {
            const double instant = clock.instantOf(stage);
            FramingPlan p = ulm::planAt(plan, *path, held, instant);
            if (!below) return p;
            const FramingPlan low = ulm::planAt(plan.lower(), *below, held, instant);
            p.lowX = low.srcX, p.lowY = low.srcY;
            return p;
        };
    }
    d->source = std::make_shared<SourceStage>(std::move(reader));
    // Fields become pictures before everything else; "before" shows the clip as it is.
    const bool topFirst = d->found->fieldOrder != "bottom", fields = takesFields(d->ticket, *d->found, d->facts.video);
    const bool film = undoesPulldown(d->ticket, *d->found, d->facts.video);
    StagePtr whole = film     ? filmPictures(d->source, d->found->pulldown.woven, d->found->pulldown.topFirst)
                     : fields ? fieldPictures(d->source, topFirst)
                     : deinterlaces(d->ticket, *d->found, d->facts.video) ? deinterlaced(d->source, topFirst)
                                                                          : d->source;
    const bool standard = standardises(d->ticket, d->facts.video);
    const auto inStandard = [&](const StagePtr& s) {
        return standard ? toStandardRange(s, d->facts.video.mastering) : s;
    };
    // A pixel of HDR costs more to bring to standard range than to scale: where Frame shrinks the clip, and nothing
    // before it has changed a picture, it is scaled first.
    const bool shrinks = standard && d->framing_.still.scale() < 1;
    const StagePtr hdr = whole;
    whole = inStandard(whole);
    std::optional<Inspection> byField;
    if (fields) byField = ofFields(*d->found);
    Building b{d->ticket,
               byField ? *byField : *d->found,
               d->facts.video,
               d->framing_,
               d->pose_,
               {},
               d->clock.retiming(),
               {},
               whole,
               whole,
               whole,
               {}};
    KeyMaker shown("showing");
    shown.add(std::int64_t(b.retiming.key)).add(d->clock.first()).add(d->seconds());
    b.showing = {d->seconds(), [clock = d->clock](std::int64_t stage) { return clock.movieOf(stage); }, shown};
    b.freeArea = target ? target->freeOf({d->framing_.still.width, d->framing_.still.height})
                        : Rect{0, 0, d->framing_.still.width, d->framing_.still.height};
    for (const StepPart& p : stepParts()) {
        const bool later = shrinks && p.step == "frame" && b.picture->key() == b.onClock(whole)->key();
        if (later) b.source = hdr, b.picture = b.onClock(hdr);
        if (p.build) p.build(b);
        if (later) b.source = whole, b.picture = inStandard(b.picture);
    }
    const auto untreated = [&](const StagePtr& s) {
        return fields ? pickFrames(s, b.retiming.frames, b.retiming.key + 1,
                                   [clock = d->clock](std::int64_t stage) { return clock.sourceOf(stage); })
                      : b.onClock(s);
    };
    const StagePtr asFilmed = untreated(shrinks ? d->source : inStandard(d->source));
    d->before = framed(asFilmed, asFilmed, d->framing_, d->pose_, Kernel::Bicubic);
    if (shrinks) d->before = inStandard(d->before);
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
