#include "app/ticket/gain_model.h"

#include "core/deliver/encoded_frame.h"

namespace ulm::app {
namespace {
constexpr int kSide = 192; // source pixels of a place
constexpr std::size_t kPlaces = 3;
} // namespace

GainModel::GainModel(Project& project, Live& live, QObject* parent) : QObject(parent), project_(project), live_(live) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &GainModel::refresh);
    const auto stale = [this] {
        ++round_;
        worker_.stop();
        enlarge_.reset();
        grainLeft_.reset();
        Q_EMIT updated();
        later_.start(600);
    };
    connect(&live_.deliveries(), &DeliveryModel::changed, this, stale);
    connect(&live_, &Live::stepChanged, this, stale);
}

void GainModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const auto p = live_.deliveries().onTable();
    if (!c || !c->clip || !p) return;
    const bool enlarge = live_.step() == "enlarge" && p->ticket.enlarge.on,
               grain = live_.step() == "finish" && p->ticket.finish.on && p->ticket.finish.grain.amount > 0;
    if (!enlarge && !grain) return;
    if (live_.busy()) return later_.start(200); // what people look at goes first
    enlarge ? weighEnlarge(*c, p) : weighGrain(p);
}

// Runs `work` beside the window and keeps its result in `to`, a member, unless it is out of date by then.
template <class Work, class Result>
void GainModel::weigh(Work work, std::optional<Result>& to) {
    const QPointer<QObject> self(this);
    worker_.submit([this, self, work, round = round_, &to](const CancelToken& cancel) {
        try {
            const Result result = work(cancel);
            onInterface(self, [this, round, result, &to] {
                if (round != round_) return;
                to = result;
                Q_EMIT updated();
            });
        } catch (const Cancelled&) {
        } catch (const Error&) { // the Bench's own pictures report it
        }
    });
}

void GainModel::weighEnlarge(const ClipEntry& c, DeliveryPtr p) {
    struct Place {
        std::int64_t frame;
        Rect box;
    };
    std::vector<Place> places;
    for (std::size_t i = 0; i < std::min(kPlaces, c.spots.size()); ++i) {
        const Spot& s = c.spots[i];
        places.push_back(
            {s.follows ? c.playhead : s.frame, {int(s.x) - kSide / 2, int(s.y) - kSide / 2, kSide, kSide}});
    }
    if (places.empty()) return;
    weigh(
        [this, p, places](const CancelToken& cancel) {
            EnlargeGain sum;
            for (const Place& place : places) {
                const EnlargeGain g =
                    enlargeGain(project_.engine(), p->source, place.frame, place.box, p->ticket, *p->found, cancel);
                sum.lanczos += g.lanczos / double(places.size());
                sum.method += g.method / double(places.size());
                sum.above += g.above / double(places.size());
            }
            return sum;
        },
        enlarge_);
}

void GainModel::weighGrain(DeliveryPtr p) {
    Ticket bare = project_.shownTicket();
    bare.finish.grain.amount = 0;
    const auto plain = live_.deliveries().ofTicket(bare);
    if (!plain) return;
    const std::int64_t here =
        std::clamp(live_.deliveries().stage() - p->clock.first(), std::int64_t(0), p->frames() - 1);
    weigh([this, p, plain, crf = live_.forecasts().plannedCrf(), here](
              const CancelToken& cancel) { return ulm::grainLeft(project_.engine(), *p, *plain, here, crf, cancel); },
          grainLeft_);
}

} // namespace ulm::app
