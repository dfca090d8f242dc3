#include "core/inspect/subject.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace ulm {
namespace {

constexpr int kW = Thumbprint::kColumns, kH = Thumbprint::kRows, kCells = kW * kH;
using Map = std::vector<float>; // one value a cell

float at(const Thumbprint& t, int x, int y) { return t.cells[std::size_t(y * kW + x)]; }

// Means over boxes, by running sums of rows and columns; borders count less.
Map boxed(const Map& in, int radius) {
    Map rows(kCells), out(kCells);
    std::array<float, kW + 1> sums{};
    for (int y = 0; y < kH; ++y) {
        const float* const line = in.data() + y * kW;
        for (int x = 0; x < kW; ++x) sums[std::size_t(x) + 1] = sums[std::size_t(x)] + line[x];
        for (int x = 0; x < kW; ++x) {
            const int a = std::max(0, x - radius), b = std::min(kW - 1, x + radius) + 1;
            rows[std::size_t(y * kW + x)] = (sums[std::size_t(b)] - sums[std::size_t(a)]) / float(b - a);
        }
    }
    std::array<float, kW> sum{};
    for (int y = 0; y < std::min(radius, kH); ++y)
        for (int x = 0; x < kW; ++x) sum[std::size_t(x)] += rows[std::size_t(y * kW + x)];
    for (int y = 0; y < kH; ++y) {
        const int comes = y + radius, goes = y - radius - 1;
        for (int x = 0; comes < kH && x < kW; ++x) sum[std::size_t(x)] += rows[std::size_t(comes * kW + x)];
        for (int x = 0; goes >= 0 && x < kW; ++x) sum[std::size_t(x)] -= rows[std::size_t(goes * kW + x)];
        const float share = 1 / float(std::min(kH - 1, comes) - std::max(0, y - radius) + 1);
        for (int x = 0; x < kW; ++x) out[std::size_t(y * kW + x)] = std::max(0.f, share * sum[std::size_t(x)]);
    }
    return out;
}

float moved(const Thumbprint& t, float u, float v) {
    u = std::clamp(u, 0.f, kW - 1.001f), v = std::clamp(v, 0.f, kH - 1.001f);
    const int i = int(u), j = int(v);
    const float p = u - float(i), q = v - float(j);
    return (at(t, i, j) * (1 - p) + at(t, i + 1, j) * p) * (1 - q) +
           (at(t, i, j + 1) * (1 - p) + at(t, i + 1, j + 1) * p) * q;
}

// How the camera moved: as the whole picture did, but only where that explains the borders, where the ground is; a
// large thing near the camera moves most of the picture and not its ground.
GlobalMotion cameraMotion(const Thumbprint& a, const Thumbprint& b) {
    const GlobalMotion g = globalMotion(a, b);
    if (g.trust < 0.25f) return {};
    constexpr int kX = kW / 8, kY = kH / 8;
    std::vector<float> still, along;
    for (int y = 1; y < kH - 1; ++y)
        for (int x = 1; x < kW - 1; ++x) {
            if (x >= kX && x < kW - kX && y >= kY && y < kH - kY) continue;
            still.push_back(std::abs(at(b, x, y) - at(a, x, y)));
            along.push_back(std::abs(moved(b, float(x) + g.x, float(y) + g.y) - at(a, x, y)));
        }
    const auto middle = [](std::vector<float>& v) {
        const auto m = v.begin() + std::ptrdiff_t(v.size() / 2);
        std::ranges::nth_element(v, m);
        return *m;
    };
    return middle(along) < 0.8f * middle(still) ? g : GlobalMotion{};
}

// What changes from `a` to `b` beside the movement of the camera.
Map ownMovement(const Thumbprint& a, const Thumbprint& b) {
    const GlobalMotion g = cameraMotion(a, b);
    Map out(kCells, 0.f);
    for (int y = 1; y < kH - 1; ++y)
        for (int x = 1; x < kW - 1; ++x) {
            const float there = moved(b, float(x) + g.x, float(y) + g.y);
            // A shift of a fraction of a cell changes what is steep: that much is nobody's movement.
            const float steep =
                std::abs(at(a, x + 1, y) - at(a, x - 1, y)) + std::abs(at(a, x, y + 1) - at(a, x, y - 1));
            out[std::size_t(y * kW + x)] = std::max(0.f, std::abs(there - at(a, x, y)) - 1.f - 0.12f * steep);
        }
    return out;
}

Map standingOut(const Thumbprint& t) {
    const Map near = boxed(t.cells, 1), far = boxed(t.cells, 9);
    Map out(kCells);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = std::abs(near[i] - far[i]);
    return out;
}

// The value that two thousandths of all are above: a ball is no larger.
float top(std::vector<float> v) {
    if (v.empty()) return 0;
    const auto n = v.begin() + std::ptrdiff_t(v.size() * 998 / 1000);
    std::ranges::nth_element(v, n);
    return *n;
}

// The path of a window over one axis that holds most weight for least movement. profiles: weight by place, one a frame.
std::vector<float> windowPath(const std::vector<std::vector<float>>& profiles, int window, float move) {
    const int n = int(profiles.front().size()), places = n; // the window's middle may be anywhere
    std::vector<std::vector<std::uint8_t>> from(profiles.size(), std::vector<std::uint8_t>(std::size_t(places)));
    std::vector<float> best(std::size_t(places), 0.f), held(best), next(best);
    std::vector<float> taper(std::size_t(2 * window + 1));
    for (int k = -window; k <= window; ++k) // all that is inside counts, but for what is near the edge
        taper[std::size_t(k + window)] = std::min(1.f, 2.5f * (1 - float(std::abs(k)) / float(window + 1)));
    for (std::size_t f = 0; f < profiles.size(); ++f) {
        const auto& p = profiles[f];
        const float total = std::max(1e-6f, std::accumulate(p.begin(), p.end(), 0.f));
        for (int c = 0; c < places; ++c) {
            float sum = 0;
            for (int k = std::max(-window, -c); k <= std::min(window, n - 1 - c); ++k)
                sum += taper[std::size_t(k + window)] * p[std::size_t(c + k)];
            held[std::size_t(c)] = sum / total;
        }
        if (f == 0) {
            best = held;
            continue;
        }
        // Least cost of arriving, for costs in proportion to the distance: two sweeps.
        next = best;
        std::vector<std::uint8_t>& back = from[f];
        std::iota(back.begin(), back.end(), std::uint8_t(0));
        const float step = move / float(n);
        for (int c = 1; c < places; ++c)
            if (next[std::size_t(c - 1)] - step > next[std::size_t(c)])
                next[std::size_t(c)] = next[std::size_t(c - 1)] - step, back[std::size_t(c)] = back[std::size_t(c - 1)];
        for (int c = places - 2; c >= 0; --c)
            if (next[std::size_t(c + 1)] - step > next[std::size_t(c)])
                next[std::size_t(c)] = next[std::size_t(c + 1)] - step, back[std::size_t(c)] = back[std::size_t(c + 1)];
        for (int c = 0; c < places; ++c) best[std::size_t(c)] = next[std::size_t(c)] + held[std::size_t(c)];
    }
    std::vector<float> path(profiles.size());
    int c = int(std::ranges::max_element(best) - best.begin());
    for (std::size_t f = profiles.size(); f-- > 0;) {
        path[f] = float(c);
        if (f) c = from[f][std::size_t(c)];
    }
    return path;
}

// Middle and extent of the weight within `window` of a place: as wide as what has the same spread and is even.
std::pair<float, float> gatheredAt(const std::vector<float>& p, float place, int window) {
    double sum = 0, first = 0, second = 0;
    for (int k = std::max(0, int(place) - window); k <= std::min(int(p.size()) - 1, int(place) + window); ++k)
        sum += p[std::size_t(k)], first += double(p[std::size_t(k)]) * k, second += double(p[std::size_t(k)]) * k * k;
    if (sum <= 0) return {place, 2 * float(window)};
    const double mean = first / sum;
    return {float(mean), float(std::sqrt(12 * std::max(0.0, second / sum - mean * mean)))};
}

void smooth(std::vector<float>& v, int most) {
    const std::vector<float> was = v;
    const int last = int(v.size()) - 1;
    for (int i = 0; i <= last; ++i) {
        float sum = 0;
        const int reach = std::min({most, i, last - i}); // the same on both sides, so that ends do not lag
        const int a = i - reach, b = i + reach;
        for (int k = a; k <= b; ++k) sum += was[std::size_t(k)];
        v[std::size_t(i)] = sum / float(b - a + 1);
    }
}

// Weights of what speaks for a cell. Kept on half the cells each way, in small numbers: a shot may be long. On average
// over a shot a cell has kMovement of movement (less where hardly anything moves) and kContrast of contrast, so that
// little that moves outweighs much that only stands out.
constexpr int kSmallW = kW / 2, kSmallH = kH / 2;
struct Weight {
    static constexpr float kFace = 200, kMovement = 8, kContrast = 2.5f;
    static constexpr float kThing = 16000, kThingStep = 4; // of all cells of a thing that is surely there; of `thing`
    std::uint8_t movement = 0, contrast = 0, face = 0, thing = 0;
    std::uint8_t body = 0; // of 255: what moves and stands out there does not count, for it is an animal's whose head
                           // is known to be elsewhere
    float counts() const { return 1 - float(body) / 255; }
    float all() const {
        return counts() * float(movement + contrast) + kFace * float(face) + kThingStep * float(thing);
    }
};
using Weights = std::vector<Weight>; // of one frame

class ShotFinder {
public:
    ShotFinder(const std::vector<Thumbprint>& prints, std::int64_t first, std::int64_t past, double fps)
        : prints_(prints), first_(first), count_(std::size_t(past - first)),
          pace_(fps > 25 ? std::size_t(std::min(fps / 25, 40.0) + 0.5) : 1), faces_(count_) {
        double moving = 0, outstanding = 0;
        std::vector<float> peaks;
        int taken = 0;
        for (std::size_t k = 0; k < count_; k += 1 + count_ / 40, ++taken) {
            const Strengths s = strengths(k);
            moving += std::accumulate(s.movement.begin(), s.movement.end(), 0.0) / double(s.movement.size());
            outstanding += std::accumulate(s.contrast.begin(), s.contrast.end(), 0.0) / double(s.contrast.size());
            peaks.insert(peaks.end(), s.movement.begin(), s.movement.end());
        }
        // A few steps of change move nobody's eye.
        const float lively = std::min(1.f, std::sqrt(top(std::move(peaks))) / 8);
        const float m = Weight::kMovement * lively / float(std::max(0.05, moving / taken)),
                    c = Weight::kContrast / float(std::max(0.5, outstanding / taken));
        for (std::size_t k = 0; k < count_; ++k) w_.push_back(weigh(strengths(k), m, c));
    }

    void addFace(std::int64_t frame, const CellBox& box) {
        const Track track = trackOf(frame, box, std::int64_t(count_)); // begins where it was seen
        for (const auto& [k, b] : track) {
            overCells(w_[k], b, [](Weight& c, float) { c.face = 1; });
            const auto away = float(std::abs(std::int64_t(k) + first_ - frame));
            const CellBox& seen = track.front().second; // in whole cells, and no larger than can be followed
            faces_[k].push_back(
                {{box.x + b.x - seen.x, box.y + b.y - seen.y, box.w, box.h}, 1 / ((1 + away) * (1 + away))});
        }
    }

    // Its weight is heaped up in its middle, or at its head: of what is larger than a window that is kept. Who lives
    // weighs in part as it moves; a thing as it wanders over its surroundings. `lower`: seen in the picture's lower
    // half alone.
    void addThing(std::int64_t frame, const CellBox& box, const Thing& t, bool lower) {
        // Small ones slip off their tracks.
        const auto carried = std::int64_t(25 * pace_) * std::min({box.w, box.h, 12});
        const Track track = trackOf(frame, box, carried);
        const bool limb = t.being == Being::Person && lower; // an arm, or legs
        const float share = t.being == Being::Thing ? wandering(track, box)
                            : limb                  ? 0.3f * moving(track)
                                                    : 0.4f + 0.6f * moving(track);
        const Thing::Place heaped = t.head.value_or(Thing::Place{});
        for (const auto& [k, b] : track) {
            float heap = 0;
            overCells(
                w_[k], b, [&](Weight&, float high) { heap += high; }, heaped);
            const float near = 1 - std::abs(float(std::int64_t(k) + first_ - frame)) / float(carried + 1);
            const float each = near * share * float(t.mark.confidence) * Weight::kThing / Weight::kThingStep / heap;
            overCells(
                w_[k], b,
                [&](Weight& c, float high) {
                    c.thing = std::max(c.thing, std::uint8_t(std::min(255.f, each * high + 0.5f)));
                    if (t.head) c.body = std::max(c.body, std::uint8_t(255 * near * (1 - high)));
                },
                heaped);
        }
        beings_[std::size_t(t.being)] += share * t.mark.confidence;
    }

    SubjectShot find(const Turning& shown, Subject& to) {
        const Way first = way();
        SubjectShot shot = judged(first);
        tell(first, shown, to.places);
        // The second is sought outside of the window that held the first.
        const double held = weightIn(first);
        for (std::size_t f = 0; f < count_; ++f)
            for (int y = 0; y < kSmallH; ++y)
                for (int x = 0; x < kSmallW; ++x)
                    if (std::abs(float(x) - first.xs[f]) <= kAcross && std::abs(float(y) - first.ys[f]) <= kDown)
                        w_[f][std::size_t(y * kSmallW + x)] = {};
        const Way second = way();
        shot.second = held > 0 ? std::min(1.0, weightIn(second) / held) : 0;
        tell(second, shown, to.seconds);
        return shot;
    }

private:
    static constexpr float kMove = 6;            // paces' worth of all weight that a trip across the picture must gain
    static constexpr int kAcross = 7, kDown = 7; // half a window: about a third, and half, of the picture

    struct Way {
        std::vector<float> xs, ys, wide, high; // middle and extent, small cells, one a frame
    };
    Way way() const {
        const float move = kMove * float(pace_);
        std::vector<std::vector<float>> columns(count_, std::vector<float>(kSmallW, 0.f)), rows(count_);
        for (std::size_t f = 0; f < count_; ++f)
            for (int y = 0; y < kSmallH; ++y)
                for (int x = 0; x < kSmallW; ++x) columns[f][std::size_t(x)] += cell(f, x, y).all();
        std::vector<float> xs = windowPath(columns, kAcross, move);
        for (std::size_t f = 0; f < count_; ++f) {
            rows[f].assign(kSmallH, 0.f);
            for (int y = 0; y < kSmallH; ++y)
                for (int x = std::max(0, int(xs[f]) - kAcross); x <= std::min(kSmallW - 1, int(xs[f]) + kAcross); ++x)
                    rows[f][std::size_t(y)] += cell(f, x, y).all();
        }
        std::vector<float> ys = windowPath(rows, kDown, move), wide(count_), high(count_);
        for (std::size_t f = 0; f < count_; ++f) {
            // A window may lag behind what it holds: it goes on to where the weight is.
            for (int pass = 0; pass < 3; ++pass) {
                std::tie(xs[f], wide[f]) = gatheredAt(columns[f], xs[f], kAcross);
                std::tie(ys[f], high[f]) = gatheredAt(rows[f], ys[f], kDown);
            }
        }
        for (std::size_t f = 0; f < count_; ++f) keepFaces(f, xs[f], ys[f], wide[f], high[f]);
        for (auto* v : {&xs, &ys, &wide, &high}) smooth(*v, 3 * int(pace_));
        return {xs, ys, wide, high};
    }
    // Weight is gathered in whole cells, and in less than what it speaks for: faces that lie there say themselves where
    // their middle is, and all of them is to be kept. What was seen nearest in time counts most.
    void keepFaces(std::size_t f, float& px, float& py, float& wide, float& high) const {
        std::vector<FaceSeen> here;
        for (const FaceSeen& s : faces_[f]) {
            const float x = smallX(s.box), y = smallY(s.box);
            const int cx = std::clamp(int(x), 0, kSmallW - 1), cy = std::clamp(int(y), 0, kSmallH - 1);
            // Not of one that was taken away to find the second.
            if (std::abs(x - px) <= kAcross && std::abs(y - py) <= kDown && cell(f, cx, cy).face) here.push_back(s);
        }
        float sum = 0, x = 0, y = 0;
        for (const FaceSeen& s : here) sum += s.near, x += s.near * smallX(s.box), y += s.near * smallY(s.box);
        if (here.empty()) return;
        px = x / sum, py = y / sum;
        for (const FaceSeen& s : here) {
            wide = std::max(wide, float(s.box.w) / 2 + 2 * std::abs(smallX(s.box) - px));
            high = std::max(high, float(s.box.h) / 2 + 2 * std::abs(smallY(s.box) - py));
        }
    }
    static float smallX(const CellBox& b) { return (b.x - 0.5f) / 2; }
    static float smallY(const CellBox& b) { return (b.y - 0.5f) / 2; }
    void tell(const Way& w, const Turning& shown, std::vector<SubjectPlace>& to) const {
        for (std::size_t f = 0; f < count_; ++f)
            to.push_back(uprightPlace(
                {2 * w.xs[f] + 0.5f, 2 * w.ys[f] + 0.5f, int(2 * w.wide[f]) | 1, int(2 * w.high[f]) | 1}, shown));
    }
    static bool isNear(const Way& w, std::size_t f, int x, int y) {
        return std::abs(float(x) - w.xs[f]) <= kAcross / 2.0f && std::abs(float(y) - w.ys[f]) <= kDown / 2.0f;
    }
    double weightIn(const Way& w) const {
        double sum = 0;
        for (std::size_t f = 0; f < count_; ++f)
            for (int y = 0; y < kSmallH; ++y)
                for (int x = 0; x < kSmallW; ++x)
                    if (isNear(w, f, x, y)) sum += cell(f, x, y).all();
        return sum;
    }

    // Where what lies in `box` on `frame` is up to `reach` frames away, as far as it is found: frames of the shot, and
    // boxes.
    using Track = std::vector<std::pair<std::size_t, CellBox>>;
    Track trackOf(std::int64_t frame, const CellBox& box, std::int64_t reach) const {
        Track track;
        const std::int64_t last = first_ + std::int64_t(count_) - 1;
        const auto before = followCells(prints_, frame, std::max(first_, frame - reach), box),
                   after = followCells(prints_, frame, std::min(last, frame + reach), box);
        const auto at = std::size_t(frame - first_);
        for (std::size_t k = 0; k < before.size(); ++k) track.emplace_back(at - k, before[k]);
        for (std::size_t k = 1; k < after.size(); ++k) track.emplace_back(at + k, after[k]);
        return track;
    }
    // Calls with the weight of each cell in the box, and how near to its middle it is: (0, 1].
    template <class Each>
    static void overCells(Weights& w, const CellBox& b, const Each& each, Thing::Place peak = {}) {
        const int left = int(b.x) - b.w / 2, upper = int(b.y) - b.h / 2;
        const auto near = [](int cell, float middle, int size, float at) { // half as many cells: in small ones
            const float away = float(cell) - (middle + (at - 0.5f) * float(size)) / 2;
            return std::max(0.05f, 1 - std::abs(away) / (float(size) / 2 * (away < 0 ? at : 1 - at) + 1));
        };
        for (int y = std::max(0, upper / 2); y <= std::min(kSmallH - 1, (upper + b.h) / 2); ++y)
            for (int x = std::max(0, left / 2); x <= std::min(kSmallW - 1, (left + b.w) / 2); ++x)
                each(w[std::size_t(y * kSmallW + x)], near(x, b.x, b.w, peak.x) * near(y, b.y, b.h, peak.y));
    }
    // How much of it moves more than the picture does as a whole, [0, 1]: all from a half on. What passes over a small
    // part of it moves by itself.
    float moving(const Track& track) {
        float sum = 0, cells = 0;
        for (const auto& [k, b] : track)
            overCells(w_[k], b, [&](Weight& c, float) { sum += c.movement > Weight::kMovement, cells += 1; });
        return std::min(1.f, 2 * sum / std::max(1.f, cells));
    }
    // How much of a thing moves, [0, 1]; where the ground goes by, only as far as the thing leaves its place there.
    // What fills much of the picture is ground itself.
    float wandering(const Track& track, const CellBox& box) {
        if (ground_.empty()) {
            ground_.push_back({});
            for (std::size_t k = 0; k + 1 < count_; ++k) {
                const GlobalMotion g = cameraMotion(print(k), print(k + 1));
                ground_.push_back({ground_[k].x + g.x, ground_[k].y + g.y});
            }
        }
        Track whole = track; // at the border a box cannot go on, and seems to move
        std::erase_if(whole, [](const auto& t) {
            const CellBox& b = t.second;
            return b.x - float(b.w / 2) < 1 || b.x + float(b.w / 2) > kW - 2 || b.y - float(b.h / 2) < 1 ||
                   b.y + float(b.h / 2) > kH - 2;
        });
        if (whole.empty()) return 0;
        const auto spreadOf = [](const auto& of, const auto& at) {
            const auto [least, most] = std::ranges::minmax_element(of, {}, at);
            return at(*most) - at(*least);
        };
        const auto ground = [&](const auto& t) { return ground_[t.first]; };
        const float far = std::hypot(spreadOf(whole, [&](const auto&t) { return t.second.x - ground(t).x; }),
                                     spreadOf(whole, [&](const auto&t) { return t.second.y - ground(t).y; })),
                    panned = std::hypot(spreadOf(ground_, [](const Offset&o) { return o.x; }),
                                        spreadOf(ground_, [](const Offset&o) { return o.y; }));
        // Cells: all from a tenth of the picture on; what rounding and the search for the ground may be off by.
        constexpr float kAll = 9, kRounding = 3, kDrift = 0.2f, kStill = 6;
        const float filled = float(box.w * box.h) / kCells, small = std::clamp((0.4f - filled) / 0.2f, 0.f, 1.f);
        const float wanders = std::clamp((far - kRounding - kDrift * panned) / kAll, 0.f, 1.f);
        // What is small or long slips along its surroundings: it has to move within as well.
        const int least = std::min(box.w, box.h), most = std::max(box.w, box.h);
        const float sure = least >= 7 && most <= 3 * least ? wanders : 0;
        return small * std::max(sure, moving(track) * std::max(wanders, 1 - panned / kStill));
    }

    const Thumbprint& print(std::size_t k) const { return prints_[std::size_t(first_) + k]; }
    const Weight& cell(std::size_t f, int x, int y) const { return w_[f][std::size_t(y * kSmallW + x)]; }

    // What differs from two other frames is here, not where it was: from one before and one after, at the shot's ends
    // from two on the same side. A 25th of a second lies between them, or of fast takes nothing would be seen to move.
    Map movement(std::size_t k) const {
        const std::size_t last = count_ - 1, step = std::min(pace_, last);
        if (step == 0) return Map(kCells, 0.f);
        const bool starts = k<step, ends = k + step> last;
        const std::size_t one = starts ? std::min(k + step, last) : k - step;
        const std::size_t other = starts ? std::min(k + 2 * step, last) : ends ? k - std::min(2 * step, k) : k + step;
        Map a = ownMovement(print(k), print(one));
        const Map b = ownMovement(print(k), print(other));
        for (std::size_t i = 0; i < a.size(); ++i) a[i] = std::sqrt(a[i] * b[i]);
        return boxed(a, 1);
    }

    // Squares, so that a little everywhere does not outweigh much at one place; more in the middle of the picture.
    struct Strengths {
        std::vector<float> movement, contrast;
    };
    Strengths strengths(std::size_t k) const {
        const Map moving = movement(k), outstanding = standingOut(print(k));
        const auto small = [](const Map& m, int x, int y) {
            const float* s = &m[std::size_t(2 * y * kW + 2 * x)];
            return 0.25f * (s[0] + s[1] + s[kW] + s[kW + 1]);
        };
        Strengths s;
        for (int y = 0; y < kSmallH; ++y)
            for (int x = 0; x < kSmallW; ++x) {
                const float dx = (float(x) + 0.5f) / kSmallW - 0.5f, dy = (float(y) + 0.5f) / kSmallH - 0.5f;
                const float middle = std::exp(-(dx * dx + dy * dy) / (2 * 0.3f * 0.3f));
                const float m = std::min(40.f, small(moving, x, y)), c = std::min(40.f, small(outstanding, x, y));
                s.movement.push_back(m * m * (0.4f + 0.6f * middle));
                s.contrast.push_back(c * c * middle);
            }
        return s;
    }

    static Weights weigh(const Strengths& s, float movement, float contrast) {
        Weights w(s.movement.size());
        const auto byte = [](float v) { return std::uint8_t(std::min(255.f, v + 0.5f)); };
        for (std::size_t i = 0; i < w.size(); ++i)
            w[i].movement = byte(movement * s.movement[i]), w[i].contrast = byte(contrast * s.contrast[i]);
        return w;
    }

    SubjectShot judged(const Way& way) const {
        SubjectShot s;
        s.first = first_;
        double inside = 0, total = 0;
        for (std::size_t f = 0; f < count_; ++f)
            for (int y = 0; y < kSmallH; ++y)
                for (int x = 0; x < kSmallW; ++x) {
                    const Weight& w = cell(f, x, y);
                    total += w.all();
                    if (!isNear(way, f, x, y)) continue;
                    inside += w.all();
                    s.faces += Weight::kFace * w.face;
                    s.things += Weight::kThingStep * w.thing;
                    s.movement += w.movement * w.counts(), s.contrast += w.contrast * w.counts();
                }
        if (inside > 0) s.faces /= inside, s.things /= inside, s.movement /= inside, s.contrast /= inside;
        const double even = double((kAcross + 1) * (kDown + 1)) / (kSmallW * kSmallH);
        s.being = Being(std::ranges::max_element(beings_) - beings_.begin());
        if (total > 0) s.confidence = std::clamp((inside / total - even) / (1 - even), 0.0, 1.0);
        return s;
    }

    const std::vector<Thumbprint>& prints_;
    std::int64_t first_;
    std::size_t count_, pace_; // frames; of a 25th of a second
    std::vector<Weights> w_;
    struct FaceSeen {
        CellBox box;
        float near; // in time to where it was seen
    };
    std::vector<std::vector<FaceSeen>> faces_; // of each frame
    std::array<double, 3> beings_{};           ///< by Being: what was added
    struct Offset {
        float x = 0, y = 0;
    };
    std::vector<Offset> ground_; ///< cells it has moved since the first frame; made when it is asked for
};

} // namespace

const SubjectShot* Subject::shotOf(std::int64_t frame) const {
    const SubjectShot* found = nullptr;
    for (const SubjectShot& s : shots)
        if (s.first <= frame) found = &s;
    return found;
}

namespace {

CellBox cellsOf(const Rect& upright, const Turning& shown) {
    return storedCells({float((upright.x + upright.w / 2.0) / shown.width),
                        float((upright.y + upright.h / 2.0) / shown.height), float(double(upright.w) / shown.width),
                        float(double(upright.h) / shown.height)},
                       shown);
}

// With its head where it is in a box that lies as the clip is stored: fractions of a box turn as those of a picture do.
Thing asStored(Thing t, const Turning& shown) {
    if (!t.head) return t;
    const CellBox at = storedCells({t.head->x, t.head->y, 0, 0}, shown);
    t.head = {(at.x + 0.5f) / kW, (at.y + 0.5f) / kH};
    return t;
}

} // namespace

Subject findSubject(const std::vector<Thumbprint>& prints, const std::vector<std::int64_t>& cuts,
                    const SeenThings& seen, const Turning& shown, double fps) {
    Subject s;
    const auto frames = std::int64_t(prints.size());
    std::vector<std::int64_t> starts = {0};
    for (const std::int64_t c : cuts)
        if (c > starts.back() && c < frames) starts.push_back(c);
    for (std::size_t k = 0; k < starts.size() && frames > 0; ++k) {
        const std::int64_t first = starts[k], past = k + 1 < starts.size() ? starts[k + 1] : frames;
        ShotFinder shot(prints, first, past, fps);
        const auto here = [&](const Mark& m) { return m.frame >= first && m.frame < past; };
        for (const Mark& f : seen.faces)
            if (here(f)) shot.addFace(f.frame, cellsOf(f.box, shown));
        for (const Thing& t : seen.things)
            if (here(t.mark))
                shot.addThing(t.mark.frame, cellsOf(t.mark.box, shown), asStored(t, shown),
                              2 * t.mark.box.y > shown.height);
        s.shots.push_back(shot.find(shown, s));
    }
    return s;
}

} // namespace ulm
