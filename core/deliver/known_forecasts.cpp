#include "core/deliver/known_forecasts.h"

#include "core/deliver/size_plan.h"

#include <algorithm>

namespace ulm {
namespace {

constexpr std::size_t kMostKept = 64;

// All that a forecast depends on.
Key keyOf(const Delivery& d) {
    return KeyMaker("forecast")
        .add(d.result)
        .add(d.clock.first())
        .add(d.clock.count())
        .add(d.ticket.deliver.codec)
        .add(bestCrf(d));
}

} // namespace

const KnownForecasts::Kept* KnownForecasts::find(Key key) const {
    const auto it = std::ranges::find(kept_, key, &Kept::key);
    return it == kept_.end() ? nullptr : &*it;
}

void KnownForecasts::keep(const Delivery& d, const Forecast& f) {
    const std::scoped_lock held(lock_);
    const Key key = keyOf(d);
    if (const Kept* before = find(key); before && f.rough && !before->forecast.rough) return;
    kept_.remove_if([&](const Kept& k) { return k.key == key; });
    kept_.push_front({key, d.source->key(), d.size(), d.frames(), f});
    if (kept_.size() > kMostKept) kept_.pop_back();
}

std::optional<Forecast> KnownForecasts::of(const Delivery& d) const {
    const std::scoped_lock held(lock_);
    const Kept* k = find(keyOf(d));
    return k && !k->forecast.rough ? std::optional(k->forecast) : std::nullopt;
}

std::optional<Forecast> KnownForecasts::nearest(const Delivery& d) const {
    const std::scoped_lock held(lock_);
    if (const Kept* own = find(keyOf(d))) return own->forecast;
    const auto other = std::ranges::find(kept_, d.source->key(), &Kept::clip);
    if (other == kept_.end()) return std::nullopt;
    return carriedOver(other->forecast, other->size, other->frames, d);
}

} // namespace ulm
