#include "core/framing/follow.h"

#include "core/engine/stage.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <coin/ClpSimplex.hpp>
#include <coin/CoinPackedMatrix.hpp>
#include <mutex>

namespace ulm {
namespace {

constexpr double kNodesASecond = 6, kMostNodes = 240; ///< of a shot: jerk is not felt between nodes
constexpr double kFastest = 1.2, kHardest = 4; ///< speed and acceleration: picture sides a second, and per second
constexpr double kSpeed = 10, kAcceleration = 1, kJerk = 300; ///< what each costs
constexpr double kLeft = 400, kOutside = 8000, kByHand = 1e4,
                 kPinned = 1e5; ///< and what a place costs that is not as wanted
constexpr double kAway = 0.3;   ///< of any distance: where nothing speaks against it the subject sits in the middle

// What is wanted of a path along one axis at one place of it, in fractions of the picture.
struct Wanted {
    double at = 0;              ///< counted in nodes
    double middle = 0.5;        ///< of the window
    double slack = 0;           ///< how far from there is as good
    double cost = kLeft;        ///< of being further away
    double least = 0, most = 1; ///< between these all of the subject is inside
};

// A linear program whose rows may be left, at a cost.
class Program {
public:
    int column(double least, double most, double cost = 0) {
        low_.push_back(least), high_.push_back(most), cost_.push_back(cost);
        return int(cost_.size()) - 1;
    }
    // Σ terms lies between these, or at most `far` beyond, at `cost` a unit.
    void keep(std::vector<std::pair<int, double>> terms, double least, double most, double cost,
              double far = COIN_DBL_MAX) {
        terms.emplace_back(column(0, far, cost), 1);
        terms.emplace_back(column(0, far, cost), -1);
        for (const auto& [of, factor] : terms)
            rows_.push_back(int(least_.size())), columns_.push_back(of), values_.push_back(factor);
        least_.push_back(least), most_.push_back(most);
    }
    std::vector<double> solve() const {
        CoinPackedMatrix matrix(false, rows_.data(), columns_.data(), values_.data(), CoinBigIndex(values_.size()));
        matrix.setDimensions(int(least_.size()), int(cost_.size()));
        ClpSimplex solver;
        solver.setLogLevel(0);
        solver.loadProblem(matrix, low_.data(), high_.data(), cost_.data(), least_.data(), most_.data());
        solver.setMaximumSeconds(2);
        solver.dual();
        const double* x = solver.primalColumnSolution();
        return {x, x + cost_.size()};
    }

private:
    std::vector<double> low_, high_, cost_, least_, most_, values_;
    std::vector<int> rows_, columns_;
};

// What each of four controls gives to a uniform cubic B-spline at a place between the two in the middle, [0, 1].
std::array<double, 4> shares(double t) {
    const double u = 1 - t;
    return {u * u * u / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (3 * u * u * u - 6 * u * u + 4) / 6, t * t * t / 6};
}

struct Stretch {       // between two nodes
    std::size_t first; ///< of its four controls
    std::array<double, 4> share;
};
Stretch stretchAt(double at, std::size_t controls) {
    const double first = std::clamp(std::floor(at), 0.0, double(controls) - 4);
    return {std::size_t(first), shares(std::clamp(at - first, 0.0, 1.0))};
}

// Least speed, acceleration and jerk of a path that stays near what is wanted. step: seconds between nodes. Returned
// are the controls of a uniform cubic B-spline, one more than there are nodes at either end: their differences bound
// the path's derivatives (de Boor, "A Practical Guide to Splines", 1978), and jerk changes at nodes alone.
std::vector<double> calmest(const std::vector<Wanted>& all, std::size_t nodes, double least, double most, double step) {
    Program p;
    const std::size_t controls = std::max<std::size_t>(2, nodes) + 2;
    for (std::size_t i = 0; i < controls; ++i) { // at its ends the path need not slow down before the border
        const double beyond = i == 0 || i + 1 == controls ? 1 : 0;
        p.column(least - beyond, most + beyond);
    }
    // Of neighbours from the control `first` on, by these factors.
    const auto sum = [](std::size_t first, const auto& factors) {
        std::vector<std::pair<int, double>> terms;
        for (std::size_t k = 0; k < factors.size(); ++k) terms.emplace_back(int(first + k), factors[k]);
        return terms;
    };
    for (const Wanted& w : all) {
        const Stretch s = stretchAt(w.at, controls);
        const auto there = sum(s.first, s.share);
        p.keep(there, w.middle - w.slack, w.middle + w.slack, w.cost);
        p.keep(there, w.middle, w.middle, kAway);
        if (w.least > least || w.most < most) p.keep(there, w.least, w.most, kOutside);
    }
    const auto differences = [&](const std::vector<double>& factors, double cost, double far) {
        for (std::size_t i = 0; i + factors.size() <= controls; ++i) p.keep(sum(i, factors), 0, 0, cost, far);
    };
    differences({-1, 1}, kSpeed, kFastest * step);
    differences({1, -2, 1}, kAcceleration, kHardest * step * step);
    differences({-1, 3, -3, 1}, kJerk, COIN_DBL_MAX);
    std::vector<double> x = p.solve();
    x.resize(controls);
    return x;
}

// The spline at a place counted in nodes. Of equal controls it is their value to the bit: what is still stays still.
double splineAt(const std::vector<double>& controls, double at) {
    const Stretch s = stretchAt(at, controls.size());
    const double* const c = &controls[s.first];
    return c[1] + s.share[0] * (c[0] - c[1]) + s.share[2] * (c[2] - c[1]) + s.share[3] * (c[3] - c[1]);
}

double median(std::vector<double> v) {
    const auto m = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::ranges::nth_element(v, m);
    return *m;
}

struct Axis {
    float FollowWish::Place::*middle;
    float FollowWish::Place::*extent;
    double Pin::*pin;
    float FollowedPath::Place::*to;
    double window;
};

// The path of one shot along one axis, written to `path` as places in the room.
void follow(const FollowWish& wish, std::int64_t first, std::int64_t past, const Axis& a, FollowedPath& path) {
    const double half = a.window / 2, room = 1 - a.window;
    const auto write = [&](std::int64_t frame, double middle) {
        path.places[std::size_t(frame)].*a.to = float(room > 1e-6 ? std::clamp((middle - half) / room, 0.0, 1.0) : 0.5);
    };
    std::vector<Pin> pins;
    for (const Pin& p : wish.pins)
        if (p.frame >= first && p.frame < past) pins.push_back(p);
    if (room <= 1e-6) {
        for (std::int64_t n = first; n < past; ++n) write(n, 0.5);
        return;
    }
    const auto clamped = [&](double middle) { return std::clamp(middle, half, 1 - half); };
    if (!wish.moves) {
        std::vector<double> all;
        for (std::int64_t n = first; n < past; ++n) all.push_back(wish.subject[std::size_t(n)].*a.middle);
        const double still = clamped(pins.empty() ? median(all) : pins.front().*a.pin);
        for (std::int64_t n = first; n < past; ++n) write(n, still);
        return;
    }
    const std::int64_t frames = past - first;
    const double widest = std::max({1.0, wish.fps / kNodesASecond, double(frames) / kMostNodes});
    const int last = int(std::ceil(double(frames - 1) / widest)); // on the shot's last frame
    const double spacing = last > 0 ? double(frames - 1) / last : widest;
    std::vector<Wanted> all;
    for (int k = 0; k <= last; ++k) {
        const double frame = double(first) + k * spacing;
        if (!pins.empty() && frame >= double(pins.front().frame) && frame <= double(pins.back().frame)) {
            // Between the first and the last pin the way is the person's, beyond them the subject's again.
            const auto after = std::ranges::find_if(pins, [&](const Pin& p) { return double(p.frame) >= frame; });
            const Pin& b = *after;
            const Pin& c = after == pins.begin() ? b : *(after - 1);
            const double t = b.frame > c.frame ? (frame - double(c.frame)) / double(b.frame - c.frame) : 0;
            all.push_back({double(k), clamped(c.*a.pin + t * (b.*a.pin - c.*a.pin)), 0.02, kByHand});
            continue;
        }
        const auto& s = wish.subject[std::size_t(std::min<std::int64_t>(past - 1, std::llround(frame)))];
        // The subject may wander a quarter of the way to where its extent would leave the window; at the picture's
        // border it has done so already.
        const double middle = s.*a.middle, wanted = clamped(middle), reach = std::max(0.0, half - s.*a.extent / 2);
        const double slack = std::max(0.05 * half, (half - s.*a.extent / 2) / 4) - std::abs(middle - wanted);
        all.push_back({double(k), wanted, std::max(0.0, slack), kLeft, std::min(1 - half, middle - reach),
                       std::max(half, middle + reach)});
    }
    for (const Pin& p : pins) all.push_back({double(p.frame - first) / spacing, clamped(p.*a.pin), 0, kPinned});
    const std::vector<double> calm = calmest(all, std::size_t(last) + 1, half, 1 - half, spacing / wish.fps);
    for (std::int64_t n = first; n < past; ++n) write(n, splineAt(calm, double(n - first) / spacing));
}

std::uint64_t keyOf(const FollowWish& w, double windowW, double windowH) {
    KeyMaker key("follow");
    key.add(windowW).add(windowH).add(w.fps).add(int(w.moves));
    static_assert(sizeof(FollowWish::Place) == 4 * sizeof(float)); // no padding: hashed as it lies
    key.add(w.subject.data(), w.subject.size() * sizeof(FollowWish::Place));
    for (const auto c : w.cuts) key.add(c);
    for (const Pin& p : w.pins) key.add(p.frame).add(p.x).add(p.y);
    return key;
}

} // namespace

FollowedPath::Place FollowedPath::at(double frame) const {
    const auto last = std::int64_t(places.size()) - 1;
    const auto n = std::clamp<std::int64_t>(std::int64_t(std::floor(frame)), 0, last);
    const Place a = places[std::size_t(n)];
    if (n == last || frame <= double(n) || std::ranges::binary_search(cuts, n + 1)) return a;
    const Place b = places[std::size_t(n) + 1];
    const auto t = float(frame - double(n));
    return {a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)};
}

FollowedPathPtr planFollow(const FollowWish& wish, double windowW, double windowH) {
    const std::uint64_t key = keyOf(wish, windowW, windowH);
    static std::mutex mutex;
    static std::vector<FollowedPathPtr> kept; // the last few, newest at the end
    constexpr std::size_t kKept = 32;
    {
        const std::lock_guard lock(mutex);
        for (const auto& k : kept)
            if (k->key == key) return k;
    }
    const auto path = std::make_shared<FollowedPath>();
    path->key = key;
    path->places.resize(wish.subject.size());
    const auto frames = std::int64_t(wish.subject.size());
    std::int64_t first = 0;
    for (const std::int64_t c : wish.cuts)
        if (c > 0 && c < frames && (path->cuts.empty() || c > path->cuts.back())) path->cuts.push_back(c);
    auto ends = path->cuts;
    ends.push_back(frames);
    for (const std::int64_t past : ends) {
        follow(wish, first, past,
               {&FollowWish::Place::x, &FollowWish::Place::w, &Pin::x, &FollowedPath::Place::x, windowW}, *path);
        follow(wish, first, past,
               {&FollowWish::Place::y, &FollowWish::Place::h, &Pin::y, &FollowedPath::Place::y, windowH}, *path);
        first = past;
    }
    const std::lock_guard lock(mutex);
    if (kept.size() == kKept) kept.erase(kept.begin());
    kept.push_back(path);
    return path;
}

} // namespace ulm
