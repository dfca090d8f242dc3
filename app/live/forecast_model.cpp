#include "app/live/forecast_model.h"

#include "core/codec/video_codec.h"
#include "core/deliver/known_forecasts.h"
#include "core/engine/large_work.h"

#include <algorithm>

namespace ulm::app {

ForecastModel::ForecastModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent)
    : QObject(parent), project_(project), deliveries_(deliveries), busy_(std::move(busy)) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &ForecastModel::refresh);
    connect(&deliveries_, &DeliveryModel::changed, this, [this] {
        ++round_;
        worker_.stop();
        Q_EMIT updated();
        later_.start(900);
    });
    connect(&project_, &Project::targetsChanged, this, [this] { later_.start(300); });
}

SizePlan ForecastModel::plan(const DeliveryPtr& d) const {
    if (!d) return {};
    const auto known = project_.forecasts()->nearest(*d);
    return planSize(*d, known ? &*known : nullptr);
}

double ForecastModel::plannedCrf() const {
    const DeliveryPtr& d = deliveries_.onTable();
    if (!d) return kH264.good;
    const SizePlan p = plan(d);
    // A bitrate has no rate factor of its own: the one that comes to the same size.
    if (const auto f = project_.forecasts()->of(*d); f && p.way == SizePlan::Way::Bitrate) {
        double crf = bestCrf(*d);
        while (crf < 45 && f->bytesAt(crf) > p.bitrate / 8 * d->seconds()) crf += 0.5;
        return crf;
    }
    return p.crf;
}

void ForecastModel::setPlaying(bool playing) {
    playing_ = playing;
    if (playing)
        worker_.stop();
    else
        later_.start(400);
}

// What has no forecast yet: the destination's on the table first, then those that are ticked, then the others on the
// bar, at last that of no destination, which no gauge shows. Not of what is refused as it stands, unless it is on the
// table.
std::vector<DeliveryPtr> ForecastModel::wanted() const {
    std::vector<DeliveryPtr> all;
    if (!project_.onTable().empty()) all.push_back(deliveries_.onTable());
    for (const bool ticked : {true, false})
        for (const Target& t : project_.targets())
            if (project_.watched().contains(t.name) && project_.chosen().contains(t.name) == ticked)
                all.push_back(deliveries_.of(t.name));
    if (project_.onTable().empty()) all.push_back(deliveries_.onTable());
    std::erase_if(all, [&](const DeliveryPtr& d) {
        return !d || project_.forecasts()->of(*d) || (d != deliveries_.onTable() && !d->broken().empty());
    });
    return all;
}

// Large clips are looked over first: that would wait for a forecast, which measured values then change.
bool ForecastModel::waitsForInspection() const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip || c->inspection || !c->notInspected.isEmpty()) return false;
    for (int i = 0; i < project_.count(); ++i)
        if (i != project_.current() && project_.at(i).inspecting > 0) return false; // its own may come late
    const VideoFacts& v = c->clip->facts().video;
    return isLargeFrame(v.codedWidth, v.codedHeight);
}

void ForecastModel::refresh() {
    if (playing_) return;
    if (waitsForInspection()) return later_.start(300);
    if (busy_() || worker_.busy()) return later_.start(worker_.busy() ? 50 : 300);
    const auto missing = wanted();
    const ClipEntry* c = project_.currentClip();
    if (missing.empty() || !c) return;
    const QPointer<QObject> self(this);
    worker_.submit([this, self, d = missing.front(), clip = c->clip, found = c->inspection, ticket = c->ticket,
                    round = round_](const CancelToken& cancel) {
        try {
            // By a reader of its own: with one for all, this and what people look at would seek in turn, and decode
            // from a key frame on each time.
            const auto reader =
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(48) << 20);
            const DeliveryPtr own = resolve(reader, found, ticket, d->target);
            KnownForecasts& known = *project_.forecasts();
            const auto tell = [&](bool last) {
                onInterface(self, [this, last, round] {
                    if (round != round_) return;
                    Q_EMIT updated();
                    if (last) later_.start(0); // the next one
                });
            };
            const auto early = [&](const Forecast& f) {
                known.keep(*d, f);
                tell(false);
            };
            known.keep(*d, forecastFor(project_.engine(), own, cancel, {{}, early}));
            tell(true);
        } catch (const Error&) { // the spots and the table say what is wrong
        }
    });
}

} // namespace ulm::app
