#pragma once

#include "core/deliver/forecast.h"

#include <list>
#include <mutex>
#include <optional>

namespace ulm {

/// Forecasts made so far, for all who need one of the same delivery: the gauges and the exports of a session. May be
/// used from several threads; holds the last few dozen.
class KnownForecasts {
public:
    /// In place of one of the same delivery, unless that one is better (not rough).
    void keep(const Delivery&, const Forecast&);
    /// One of this very delivery that is not rough.
    std::optional<Forecast> of(const Delivery&) const;
    /// The best there is: of(), or a rough one, or the newest of another shape of the clip, carriedOver().
    std::optional<Forecast> nearest(const Delivery&) const;

private:
    struct Kept {
        Key key, clip;
        Size size;
        std::int64_t frames;
        Forecast forecast;
    };
    const Kept* find(Key) const;

    mutable std::mutex lock_;
    std::list<Kept> kept_; ///< newest first
};

} // namespace ulm
