#include "app/bench/overdone_model.h"

#include <cmath>

namespace ulm::app {
namespace {

constexpr int kSide = 224; // delivered pixels of a place
constexpr int kStretchFrames = 3;
constexpr int kEaseSteps = 6; // halvings: to 1/64 of the treatment

Rect around(const QPointF& centre, const PictureFormat& f) {
    const int w = std::min(kSide, f.width), h = std::min(kSide, f.height);
    return {std::clamp(int(centre.x()) - w / 2, 0, f.width - w), std::clamp(int(centre.y()) - h / 2, 0, f.height - h),
            w, h};
}

} // namespace

OverdoneModel::OverdoneModel(Project& project, LiveModel& live, QObject* parent)
    : QObject(parent), project_(project), live_(live) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &OverdoneModel::refresh);
    const auto stale = [this] {
        fresh_ = false;
        ++round_;
        worker_.stop();
        if (easer_.stop()) easing_ = false;
        Q_EMIT updated();
        later_.start(250);
    };
    connect(&live_, &LiveModel::pipelineChanged, this, stale);
    connect(&project_, &Project::spotsChanged, this, stale);
}

std::vector<OverdoneModel::Place> OverdoneModel::places() const {
    std::vector<Place> all;
    const ClipEntry* c = project_.currentClip();
    const Pipeline* p = live_.pipeline();
    if (!c || !c->clip || !p) return all;
    const std::int64_t last = c->clip->frameCount() - 1;
    for (const Spot& s : c->spots)
        all.push_back({std::clamp<std::int64_t>(s.follows ? c->playhead : s.frame, 0, last),
                       {s.x, s.y},
                       s.what == "text",
                       false});
    const FramingPlan& f = p->plan;
    const QPointF middle(f.srcX + f.srcW / 2, f.srcY + f.srcH / 2);
    for (int k = 0; k < kStretchFrames; ++k) {
        const std::size_t n = (p->frames.size() - 1) * static_cast<std::size_t>(2 * k + 1) / (2 * kStretchFrames);
        all.push_back({p->frames[n].source, middle, false, true});
    }
    return all;
}

Overdone OverdoneModel::judge(const Pipeline& p, const std::vector<Place>& places, double noise,
                              const CancelToken& cancel) {
    Overdone all;
    Engine& e = project_.engine();
    for (const Place& place : places) {
        const QPointF d = LiveModel::deliveredOf(p, place.source.x(), place.source.y());
        const Rect region = around(d, p.result->format());
        OverdonePlace o;
        o.before = e.pull(*p.before, place.frame, region, cancel);
        o.after = e.pull(*p.result, place.frame, region, cancel);
        o.frame = place.frame;
        o.scale = p.plan.scale();
        o.noise = noise;
        o.text = place.text;
        if (place.moving && place.frame + 1 < p.source->frames()) {
            o.beforeNext = e.pull(*p.before, place.frame + 1, region, cancel);
            o.afterNext = e.pull(*p.result, place.frame + 1, region, cancel);
        }
        all.join(judgeOverdone(o));
    }
    return all;
}

void OverdoneModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const auto p = live_.sharedPipeline();
    if (!c || !p || !c->clip) {
        overdone_ = {};
        fresh_ = true;
        Q_EMIT updated();
        return;
    }
    if (live_.busy()) return later_.start(120); // what people look at goes first
    const QPointer<QObject> self(this);
    worker_.submit(
        [this, self, p, round = round_, at = places(), noise = c->readings().noise](const CancelToken& cancel) {
            try {
                const Overdone found = judge(*p, at, noise, cancel);
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
    easer_.submit([this, self, round = round_, at = places(), ticket = c->ticket, readings = c->readings(),
                   reader = c->reader](const CancelToken& cancel) {
        const auto finish = [&](std::optional<double> share) {
            onInterface(self, [this, round, share, ticket, readings] {
                easing_ = false;
                if (round == round_ && share && *share > 0 && *share < 1)
                    project_.change(easedTicket(ticket, readings, *share));
                else if (round == round_ && share && *share <= 0)
                    Q_EMIT cannotEase();
                Q_EMIT updated();
            });
        };
        try {
            finish(easeShare(ticket, readings, 99, kEaseSteps, [&](const Ticket& t) {
                return judge(buildPipeline(reader, t, readings), at, readings.noise, cancel).gauge();
            }));
        } catch (const Cancelled&) {
            finish({});
        } catch (const Error&) {
            finish({});
        }
    });
}

} // namespace ulm::app
