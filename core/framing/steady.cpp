#include "core/framing/steady.h"

#include "core/engine/stage.h"

#include <algorithm>
#include <cmath>
#include <list>
#include <mutex>

namespace ulm {
namespace {

using Place = SteadyPath::Place;
constexpr double Place::*kParts[] = {&Place::x, &Place::y, &Place::turn, &Place::grow};
constexpr double kMostZoom = 1.25;

Affine shown(const Place& p, Size clip) {
    const double longer = std::max(clip.w, clip.h), cx = clip.w / 2.0, cy = clip.h / 2.0, k = std::exp(p.grow);
    return Affine::moving(-cx, -cy)
        .then(Affine::turning(p.turn * 180 / M_PI))
        .then(Affine::scaling(k, k))
        .then(Affine::moving(cx + p.x * longer, cy + p.y * longer));
}

// Whether the picture so shown reaches over all borders.
bool covers(const Place& p, double zoom, Size clip) {
    Place enlarged = p;
    enlarged.x *= zoom, enlarged.y *= zoom, enlarged.grow += std::log(zoom);
    const Affine back = shown(enlarged, clip).inverse();
    for (const Point corner :
         {Point{0, 0}, Point{double(clip.w), 0}, Point{0, double(clip.h)}, Point{double(clip.w), double(clip.h)}}) {
        const Point s = back(corner);
        if (s.x < -0.01 || s.y < -0.01 || s.x > clip.w + 0.01 || s.y > clip.h + 0.01) return false;
    }
    return true;
}

// The least enlargement that hides the borders of all frames; kMostZoom · 1.01 where none does.
double zoomFor(const std::vector<Place>& all, Size clip) {
    double zoom = 1;
    for (const Place& p : all) {
        if (covers(p, zoom, clip)) continue;
        double low = zoom, high = kMostZoom * 1.01;
        if (!covers(p, high, clip)) return high;
        while (high - low > 1e-4) (covers(p, (low + high) / 2, clip) ? high : low) = (low + high) / 2;
        zoom = high;
    }
    return zoom;
}

// Beyond its ends a path goes on as it came, turned about the end: a steady pan stays one.
double beyond(const std::vector<Place>& path, std::int64_t k, double Place::*part) {
    const auto n = std::int64_t(path.size());
    const auto at = [&](std::int64_t i) { return path[std::size_t(std::clamp<std::int64_t>(i, 0, n - 1))].*part; };
    if (k < 0) return 2 * at(0) - at(-k);
    if (k >= n) return 2 * at(n - 1) - at(2 * (n - 1) - k);
    return at(k);
}

// What brings every frame of a shot from where it is to where it is to be.
std::vector<Place> corrections(const std::vector<Place>& path, double sigma) {
    const auto reach = std::max<std::int64_t>(1, std::llround(3 * sigma));
    std::vector<double> weights;
    double sum = 0;
    for (std::int64_t k = -reach; k <= reach; ++k)
        weights.push_back(std::exp(-0.5 * double(k * k) / (sigma * sigma))), sum += weights.back();
    std::vector<Place> all(path.size());
    for (std::size_t n = 0; n < path.size(); ++n)
        for (const auto part : kParts) {
            double smooth = 0;
            for (std::int64_t k = -reach; k <= reach; ++k)
                smooth += weights[std::size_t(k + reach)] * beyond(path, std::int64_t(n) + k, part);
            all[n].*part = smooth / sum - path[n].*part;
        }
    return all;
}

SteadyPathPtr planned(const SteadyWish& wish, Size clip, std::uint64_t key) {
    const auto out = std::make_shared<SteadyPath>();
    out->key = key, out->clip = clip, out->cuts = wish.cuts;
    out->places.resize(wish.moves.size());
    out->was.resize(wish.moves.size());
    out->is.resize(wish.moves.size());
    std::vector<std::int64_t> edges = wish.cuts;
    edges.insert(edges.begin(), 0);
    edges.push_back(std::int64_t(wish.moves.size()));
    for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
        const std::int64_t first = std::clamp<std::int64_t>(edges[e], 0, std::int64_t(wish.moves.size())),
                           past = std::clamp<std::int64_t>(edges[e + 1], first, std::int64_t(wish.moves.size()));
        if (past - first < 3) continue;
        std::vector<Place> path(1);
        for (std::int64_t n = first + 1; n < past; ++n) {
            const CameraMove& m = wish.moves[std::size_t(n)];
            const Place& p = path.back();
            path.push_back({p.x + m.x, p.y + m.y, p.turn + m.turn, p.grow + m.grow});
        }
        for (std::size_t k = 0; k < path.size(); ++k)
            out->was[std::size_t(first) + k] = out->is[std::size_t(first) + k] = {path[k].x, path[k].y};
        double sigma = std::max(0.7, 0.1 * std::pow(30, wish.strength) * wish.fps);
        std::vector<Place> fix;
        double zoom = 1;
        for (int round = 0; round < 24; ++round, sigma *= 0.75) {
            fix = corrections(path, std::min(sigma, double(past - first)));
            zoom = zoomFor(fix, clip);
            if (zoom <= kMostZoom) break;
        }
        if (zoom > kMostZoom) continue; // nothing that could be made calm: left as it is
        out->mostZoom = std::max(out->mostZoom, zoom);
        for (std::size_t k = 0; k < fix.size(); ++k) {
            Place p = fix[k];
            Point& is = out->is[std::size_t(first) + k];
            is.x += p.x, is.y += p.y;
            p.x *= zoom, p.y *= zoom, p.grow += std::log(zoom);
            out->places[std::size_t(first) + k] = p;
        }
    }
    return out;
}

} // namespace

Affine SteadyPath::at(double frame) const {
    if (places.empty()) return {};
    const double inside = std::clamp(frame, 0.0, double(places.size() - 1));
    const auto n = std::size_t(inside);
    Place p = places[n];
    const double part = inside - double(n);
    if (part > 0 && n + 1 < places.size() && !std::ranges::binary_search(cuts, std::int64_t(n + 1)))
        for (const auto v : kParts) p.*v += part * (places[n + 1].*v - p.*v);
    return shown(p, clip);
}

SteadyPathPtr planSteady(const SteadyWish& wish, Size clip) {
    KeyMaker key("steady");
    key.add(wish.moves.data(), wish.moves.size() * sizeof(CameraMove));
    key.add(wish.cuts.data(), wish.cuts.size() * sizeof(std::int64_t));
    key.add(wish.fps).add(wish.strength).add(clip.w).add(clip.h);
    static std::mutex mutex;
    static std::list<SteadyPathPtr> kept;
    {
        std::lock_guard lock(mutex);
        for (const SteadyPathPtr& p : kept)
            if (p->key == Key(key)) return p;
    }
    const SteadyPathPtr path = planned(wish, clip, key);
    std::lock_guard lock(mutex);
    kept.push_front(path);
    if (kept.size() > 8) kept.pop_back();
    return path;
}

} // namespace ulm
