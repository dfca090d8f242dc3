#include "core/pipeline/time_map.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr double kLevel = 1e-9; // change of speed a second under which it is even

// Seconds of the movie that `clip` seconds take from a knot on, where the speed grows by `grows` a second of the clip.
double takes(double speed, double grows, double clip) {
    return std::abs(grows) < kLevel ? clip / speed : std::log1p(grows * clip / speed) / grows;
}

double covers(double speed, double grows, double movie) {
    return std::abs(grows) < kLevel ? movie * speed : speed * std::expm1(grows * movie) / grows;
}

} // namespace

TimeMap::TimeMap(double origin, double speed, const std::vector<SpeedAt>& ramps, const std::vector<FreezeAt>& freezes,
                 bool backwards)
    : backwards_(backwards) {
    const auto speedAt = [&](double s) {
        if (ramps.empty()) return speed;
        const auto next = std::ranges::upper_bound(ramps, s, {}, &SpeedAt::seconds);
        if (next == ramps.begin()) return speed * next->speed;
        const auto before = std::prev(next);
        if (next == ramps.end()) return speed * before->speed;
        const double part = (s - before->seconds) / (next->seconds - before->seconds);
        return speed * (before->speed + part * (next->speed - before->speed));
    };
    std::vector<double> places = {0};
    for (const SpeedAt& r : ramps) places.push_back(r.seconds);
    for (const FreezeAt& f : freezes) places.push_back(f.seconds);
    std::ranges::sort(places);
    places.erase(std::unique(places.begin(), places.end()), places.end());
    knots_.clear();
    double shown = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        if (i > 0) {
            const double length = places[i] - places[i - 1], v = knots_.back().speed;
            shown += takes(v, (speedAt(places[i]) - v) / length, length);
        }
        knots_.push_back({places[i], shown, speedAt(places[i])});
        for (const FreezeAt& f : freezes)
            if (f.seconds == places[i]) {
                shown += f.length;
                knots_.push_back({places[i], shown, knots_.back().speed});
            }
    }
    shift_ = forwards(origin);
}

double TimeMap::forwards(double clip) const {
    const auto next = std::ranges::lower_bound(knots_, clip, {}, &Knot::clip);
    if (next != knots_.end() && next->clip == clip) return next->movie;
    if (next == knots_.begin()) return next->movie + (clip - next->clip) / next->speed;
    const auto k = std::prev(next);
    const double grows = next == knots_.end() ? 0 : (next->speed - k->speed) / (next->clip - k->clip);
    return k->movie + takes(k->speed, grows, clip - k->clip);
}

double TimeMap::movieAt(double clip) const {
    const double m = forwards(clip);
    return backwards_ ? shift_ - m : m - shift_;
}

double TimeMap::clipAt(double movie) const {
    const double m = backwards_ ? shift_ - movie : shift_ + movie;
    const auto next = std::ranges::upper_bound(knots_, m, {}, &Knot::movie);
    if (next == knots_.begin()) return next->clip + (m - next->movie) * next->speed;
    const auto k = std::prev(next);
    if (next == knots_.end()) return k->clip + (m - k->movie) * k->speed;
    if (next->clip == k->clip) return k->clip; // it stands still
    return std::min(next->clip,
                    k->clip + covers(k->speed, (next->speed - k->speed) / (next->clip - k->clip), m - k->movie));
}

} // namespace ulm
