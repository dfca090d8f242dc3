#include "app/live/forecast_model.h"

#include "core/codec/video_codec.h"

#include <algorithm>

namespace ulm::app {
namespace {
constexpr std::size_t kMostKept = 64;
}

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

Key ForecastModel::keyOf(const Delivery& d) {
    return KeyMaker("forecast")
        .add(d.result)
        .add(d.clock.first())
        .add(d.clock.count())
        .add(d.ticket.deliver.codec)
        .add(bestCrf(d));
}

const Forecast* ForecastModel::of(const DeliveryPtr& d) const {
    if (!d) return nullptr;
    const auto it = std::ranges::find(kept_, keyOf(*d), &Kept::key);
    return it == kept_.end() ? nullptr : &it->forecast;
}

SizePlan ForecastModel::plan(const DeliveryPtr& d) const {
    if (!d) return {};
    if (const Forecast* own = of(d)) return planSize(*d, own);
    const auto other = std::ranges::find(kept_, d->source->key(), &Kept::clip); // the newest
    if (other == kept_.end()) return planSize(*d, nullptr);
    const Forecast rough = carriedOver(other->forecast, other->size, other->frames, *d);
    return planSize(*d, &rough);
}

double ForecastModel::plannedCrf() const {
    const DeliveryPtr& d = deliveries_.onTable();
    if (!d) return kH264.good;
    const SizePlan p = plan(d);
    // A bitrate has no rate factor of its own: the one that comes to the same size.
    if (const Forecast* f = of(d); f && p.way == SizePlan::Way::Bitrate) {
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

// What has no forecast yet: the table's first, then those that are ticked, then the others on the bar.
std::vector<DeliveryPtr> ForecastModel::wanted() const {
    std::vector<DeliveryPtr> all{deliveries_.onTable()};
    for (const bool ticked : {true, false})
        for (const Target& t : project_.targets())
            if (project_.watched().contains(t.name) && project_.chosen().contains(t.name) == ticked)
                all.push_back(deliveries_.of(t.name));
    std::erase_if(all, [this](const DeliveryPtr& d) { return !d || of(d); });
    return all;
}

void ForecastModel::refresh() {
    if (playing_) return;
    if (busy_() || worker_.busy()) return later_.start(worker_.busy() ? 50 : 300);
    const auto missing = wanted();
    if (missing.empty()) return;
    const QPointer<QObject> self(this);
    worker_.submit([this, self, d = missing.front(), round = round_](const CancelToken& cancel) {
        try {
            const Forecast f = forecastFor(project_.engine(), d, cancel);
            onInterface(self, [this, f, d, round] {
                kept_.push_front({keyOf(*d), d->source->key(), d->size(), d->frames(), f});
                if (kept_.size() > kMostKept) kept_.pop_back();
                if (round != round_) return;
                Q_EMIT updated();
                later_.start(0); // the next one
            });
        } catch (const Error&) { // the spots and the table say what is wrong
        }
    });
}

} // namespace ulm::app
