#include "core/pipeline/time_map.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr double kLevel = 1e-9; // change of speed a second under which it is even

// Where smooth easing has come to, of the way's length, at a share of its time: the integral of v₀ + (v₁ − v₀)(3u² −
// 2u³), whose mean is (v₀ + v₁) / 2.
double easedTo(double v0, double v1, double u) { return v0 * u + (v1 - v0) * (u * u * u - u * u * u * u / 2); }

} // namespace

// Seconds of the movie that `clip` seconds take from a knot on.
double TimeMap::takes(const Knot& a, const Knot& b, double clip) const {
    const double length = b.clip - a.clip, grows = (b.speed - a.speed) / length;
    if (std::abs(grows) < kLevel) return clip / a.speed;
    if (!eased_) return std::log1p(grows * clip / a.speed) / grows;
    const double whole = 2 * length / (a.speed + b.speed), wanted = clip / whole;
    double least = 0, most = 1;
    for (int i = 0; i < 60; ++i) { // it grows throughout: halving finds it
        const double u = (least + most) / 2;
        (easedTo(a.speed, b.speed, u) < wanted ? least : most) = u;
    }
    return whole * (least + most) / 2;
}

// Seconds of the clip that `movie` seconds show.
double TimeMap::covers(const Knot& a, const Knot& b, double movie) const {
    const double length = b.clip - a.clip, grows = (b.speed - a.speed) / length;
    if (std::abs(grows) < kLevel) return movie * a.speed;
    if (!eased_) return a.speed * std::expm1(grows * movie) / grows;
    const double whole = 2 * length / (a.speed + b.speed);
    return whole * easedTo(a.speed, b.speed, std::clamp(movie / whole, 0.0, 1.0));
}

TimeMap::TimeMap(const Wish& w) : eased_(w.eased), backwards_(w.backwards) {
    const auto speedAt = [&](double s) {
        if (w.ramps.empty()) return w.speed;
        const auto next = std::ranges::upper_bound(w.ramps, s, {}, &SpeedAt::seconds);
        if (next == w.ramps.begin()) return w.speed * next->speed;
        const auto before = std::prev(next);
        if (next == w.ramps.end()) return w.speed * before->speed;
        const double part = (s - before->seconds) / (next->seconds - before->seconds);
        return w.speed * (before->speed + part * (next->speed - before->speed));
    };
    std::vector<double> places = {0};
    for (const SpeedAt& r : w.ramps) places.push_back(r.seconds);
    for (const FreezeAt& f : w.halts) places.push_back(f.seconds);
    for (const LeftOut& p : w.without) places.push_back(p.from), places.push_back(p.to);
    std::ranges::sort(places);
    places.erase(std::unique(places.begin(), places.end()), places.end());
    knots_.clear();
    double shown = 0;
    for (const double at : places) {
        if (std::ranges::any_of(w.without, [&](const LeftOut& p) { return at > p.from && at < p.to; })) continue;
        Knot k{at, 0, speedAt(at)};
        const bool back = std::ranges::any_of(w.without, [&](const LeftOut& p) { return at == p.to; });
        if (!knots_.empty() && !back) shown += takes(knots_.back(), k, at - knots_.back().clip);
        k.movie = shown;
        knots_.push_back(k);
        if (std::ranges::any_of(w.without, [&](const LeftOut& p) { return at == p.from; })) continue;
        for (const FreezeAt& f : w.halts)
            if (f.seconds == at) {
                shown += f.length;
                knots_.push_back({at, shown, k.speed});
            }
    }
    shift_ = forwards(w.origin);
}

double TimeMap::forwards(double clip) const {
    const auto next = std::ranges::lower_bound(knots_, clip, {}, &Knot::clip);
    if (next != knots_.end() && next->clip == clip) return next->movie;
    if (next == knots_.begin()) return next->movie + (clip - next->clip) / next->speed;
    const auto k = std::prev(next);
    if (next == knots_.end()) return k->movie + (clip - k->clip) / k->speed;
    if (next->movie == k->movie) return k->movie; // left out
    return k->movie + takes(*k, *next, clip - k->clip);
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
    return std::min(next->clip, k->clip + covers(*k, *next, m - k->movie));
}

} // namespace ulm
