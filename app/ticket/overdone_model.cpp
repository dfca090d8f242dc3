#include "app/ticket/overdone_model.h"

#include <cmath>
#include <optional>

namespace ulm::app {
namespace {

constexpr int kSide = 224; // delivered pixels of a place
constexpr int kStretchFrames = 3;
constexpr int kEaseSteps = 6; // halvings: to 1/64 of the treatment

Rect around(const Point& centre, const PictureFormat& f) {
    const int w = std::min(kSide, f.width), h = std::min(kSide, f.height);
    return {std::clamp(int(centre.x) - w / 2, 0, f.width - w), std::clamp(int(centre.y) - h / 2, 0, f.height - h), w,
            h};
}

// Beside frames made in between the source repeats, which does not mean that it stands still. So flicker is judged
// from a frame as it was filmed to the one delivered after it, beside the source up to its next frame.
constexpr int kSoon = 64;

// The nearest stage frame that shows one of the clip's as it was filmed.
std::optional<std::int64_t> filmedNear(const Delivery& d, std::int64_t stage) {
    for (int away = 0; away < kSoon; ++away)
        for (const std::int64_t n : {stage - away, stage + away})
            if (n >= 0 && n < d.result->frames() && !d.clock.isBetween(n)) return n;
    return std::nullopt;
}

// The first stage frame after this one that shows another frame of the clip; 0 where none follows soon.
std::int64_t nextFilmed(const Delivery& d, std::int64_t stage) {
    for (std::int64_t n = stage + 1; n < std::min(stage + kSoon, d.result->frames()); ++n)
        if (d.clock.sourceOf(n) != d.clock.sourceOf(stage)) return n;
    return 0;
}

bool treats(const Ticket& t) { return t.clean.on || t.enlarge.on || t.motion.on || t.finish.on; }

} // namespace

OverdoneModel::OverdoneModel(Project& project, Live& live, QObject* parent)
    : QObject(parent), project_(project), live_(live) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &OverdoneModel::refresh);
    const auto stale = [this] {
        if (other_.is(project_)) overdone_ = {};
        fresh_ = false;
        ++round_;
        worker_.stop();
        if (easer_.stop()) easing_ = false;
        Q_EMIT updated();
        later_.start(250);
    };
    connect(&live_.deliveries(), &DeliveryModel::changed, this, stale);
    connect(&project_, &Project::spotsChanged, this, stale);
}

std::vector<OverdoneModel::Place> OverdoneModel::places() const {
    std::vector<Place> all;
    const ClipEntry* c = project_.currentClip();
    const Delivery* p = live_.delivery();
    if (!c || !c->clip || !p) return all;
    for (const Spot& s : c->spots) {
        const std::int64_t stage = p->clock.stageOf(live_.spots().frameOf(s));
        all.push_back({filmedNear(*p, stage).value_or(stage), {s.x, s.y}, s.what == "text", false});
    }
    for (int k = 0; k < kStretchFrames; ++k) {
        const std::int64_t middle = p->clock.first() + (p->frames() - 1) * (2 * k + 1) / (2 * kStretchFrames);
        const auto filmed = filmedNear(*p, middle);
        const std::int64_t stage = filmed.value_or(middle);
        const FramingPlan f = p->planAt(stage);
        all.push_back({stage, p->toSource(stage, {f.x + f.w / 2.0, f.y + f.h / 2.0}), false, filmed.has_value()});
    }
    return all;
}

Overdone OverdoneModel::judge(const Delivery& d, const std::vector<Place>& places, const CancelToken& cancel) {
    Overdone all;
    Engine& e = project_.engine();
    for (const Place& place : places) {
        const Rect region = around(d.toDelivered(place.stage, place.source), d.result->format());
        OverdonePlace o = overdonePlace(e, d, place.stage, region, cancel);
        o.text = place.text;
        if (const std::int64_t next = nextFilmed(d, place.stage)) {
            o.beforeNext = e.pull(*d.toned, next, region, cancel);
            if (place.moving) o.afterNext = e.pull(*d.result, place.stage + 1, region, cancel);
        }
        all.join(judgeOverdone(o));
    }
    return all;
}

void OverdoneModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const auto p = live_.deliveries().onTable();
    if (!c || !p || !c->clip || !treats(p->ticket)) {
        overdone_ = {};
        fresh_ = true;
        Q_EMIT updated();
        return;
    }
    // Spots and table go first; forecasts may take a minute, and wait for nobody.
    if (live_.spots().busy() || live_.table().busy()) return later_.start(120);
    const QPointer<QObject> self(this);
    worker_.submit([this, self, p, round = round_, at = places()](const CancelToken& cancel) {
        try {
            const Overdone found = judge(*p, at, cancel);
            onInterface(self, [this, round, found] {
                if (round != round_) return;
                overdone_ = found;
                fresh_ = true;
                Q_EMIT updated();
            });
        } catch (const Cancelled&) {
        } catch (const Error&) { // the Bench's own pictures report it
        }
    });
}

void OverdoneModel::ease() {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip || easing_) return;
    easing_ = true;
    Q_EMIT updated();
    const QPointer<QObject> self(this);
    easer_.submit([this, self, round = round_, at = places(), ticket = project_.shownTicket(), found = c->inspection,
                   reader = c->reader, target = project_.targetOnTable()](const CancelToken& cancel) {
        static const Inspection nothing;
        const Inspection& known = found ? *found : nothing;
        const auto finish = [&](std::optional<double> share) {
            const Ticket eased = share ? scaledTicket(ticket, known, *share) : ticket;
            onInterface(self, [this, round, share, eased] {
                easing_ = false;
                if (round == round_ && share && *share > 0 && *share < 1) project_.edit([&](Ticket& t) { t = eased; });
                Q_EMIT updated();
                if (round == round_ && share && *share <= 0) Q_EMIT cannotEase(); // last: its words stay
            });
        };
        try {
            finish(easeShare(ticket, known, 99, kEaseSteps, [&](const Ticket& t) {
                return judge(*resolve(reader, found, t, target), at, cancel).gauge();
            }));
        } catch (const Cancelled&) {
            finish({});
        } catch (const Error&) {
            finish({});
        }
    });
}

} // namespace ulm::app
