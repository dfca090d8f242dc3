// Where a crop goes: by the subject, by both of two, by places that a person set.
#include "core/base/words.h"
#include "core/inspect/pursuit.h"
#include "core/ticket/frame_step.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {

constexpr std::size_t kMostPins = 1000;

// A place of the clip, on the picture that the pose holds.
SubjectPlace heldPlace(const SubjectPlace& p, const Pose& pose) {
    const Affine& m = pose.still;
    const Point at = m({p.x * pose.clip.w, p.y * pose.clip.h});
    const double w = std::abs(m.a) * p.w * pose.clip.w + std::abs(m.b) * p.h * pose.clip.h,
                 h = std::abs(m.d) * p.w * pose.clip.w + std::abs(m.e) * p.h * pose.clip.h;
    return {float(std::clamp(at.x / pose.width, 0.0, 1.0)), float(std::clamp(at.y / pose.height, 0.0, 1.0)),
            float(std::min(1.0, w / pose.width)), float(std::min(1.0, h / pose.height))};
}

// The pins, or what is wrong with them.
std::string readPins(const std::string& text, std::vector<FramePin>& pins) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        std::string_view left = word;
        const auto t = takeNumber(left, ':'), x = t ? takeNumber(left, ',') : std::nullopt,
                   y = x ? takeNumber(left, 0) : std::nullopt;
        if (!y) return "must be SECONDS:X,Y …, such as 0.4:0.25,0.5 2:0.7,0.5";
        if (*t < 0 || *x < 0 || *x > 1 || *y < 0 || *y > 1) return "must have times from 0 on and places in 0…1";
        if (!pins.empty() && *t <= pins.back().seconds) return "must be in order of time";
        if (pins.size() == kMostPins) return "must not have more than 1000 places";
        pins.push_back({*t, *x, *y});
    }
    return "";
}

bool crops(const Ticket& t) { return t.frame.fill == "crop"; }
bool splits(const Ticket& t) { return t.frame.fill == "split"; }
bool canFollow(const Ticket& t) { return crops(t) || splits(t); }

bool hasSecond(const Inspection& found, std::size_t frame) {
    const SubjectShot* shot = found.subject.shotOf(std::int64_t(frame));
    return shot && shot->second >= kSecondSubject && found.subject.seconds.size() == found.subject.places.size();
}

// Both, where a window of this size (fractions of the picture) holds them; else the first whole and as much as goes of
// the second, so that nothing jumps when they part.
SubjectPlace around(const SubjectPlace& a, const SubjectPlace& b, double windowW, double windowH) {
    const float left = std::min(a.x - a.w / 2, b.x - b.w / 2), right = std::max(a.x + a.w / 2, b.x + b.w / 2),
                top = std::min(a.y - a.h / 2, b.y - b.h / 2), bottom = std::max(a.y + a.h / 2, b.y + b.h / 2);
    const auto towards = [](float middle, float at, float extent, double window) {
        const float room = std::max(0.f, (float(window) - extent) / 2);
        return std::clamp(middle, at - room, at + room);
    };
    return {towards((left + right) / 2, a.x, a.w, windowW), towards((top + bottom) / 2, a.y, a.h, windowH),
            std::min(right - left, float(windowW)), std::min(bottom - top, float(windowH))};
}

// Whether the first of two is the one further right, over its shot: the upper place of a split shows the left one.
std::vector<bool> exchanged(const Subject& s) {
    std::vector<bool> all(s.places.size(), false);
    for (std::size_t k = 0; k < s.shots.size(); ++k) {
        const auto first = std::size_t(s.shots[k].first),
                   past = k + 1 < s.shots.size() ? std::size_t(s.shots[k + 1].first) : s.places.size();
        double apart = 0;
        for (std::size_t n = first; n < std::min(past, s.places.size()); ++n) apart += s.places[n].x - s.seconds[n].x;
        for (std::size_t n = first; n < std::min(past, s.places.size()); ++n) all[n] = apart > 0;
    }
    return all;
}

} // namespace

std::string pinsWrong(const std::string& text) {
    std::vector<FramePin> pins;
    return readPins(text, pins);
}

std::vector<FramePin> pinsFrom(const std::string& text) {
    std::vector<FramePin> pins;
    readPins(text, pins);
    return pins;
}

std::string pinsText(const std::vector<FramePin>& pins) {
    std::string all;
    for (const FramePin& p : pins)
        all += (all.empty() ? "" : " ") + shortNumber(p.seconds, 3) + ":" + shortNumber(p.x, 4) + "," +
               shortNumber(p.y, 4);
    return all;
}

bool followsSubject(const Ticket& t) { return t.frame.on && canFollow(t) && t.frame.follow != "place"; }
bool followsTwo(const Ticket& t) { return followsSubject(t) && splits(t) && t.frame.follow == "two"; }

FollowedPathPtr followedPath(const Ticket& t, const Inspection& found, const FramingPlan& plan, const Pose& pose,
                             double fps, std::int64_t frames, const std::function<std::int64_t(double)>& frameAt,
                             Point wanted, bool lower) {
    const auto& places = found.subject.places;
    if (!followsSubject(t) || places.empty() || std::int64_t(places.size()) != frames) return nullptr;
    if (lower && !followsTwo(t)) return nullptr;
    const std::vector<bool> swapped = found.subject.seconds.size() == places.size() && followsTwo(t)
                                          ? exchanged(found.subject)
                                          : std::vector<bool>(places.size(), false);
    FollowWish wish;
    wish.subject.reserve(places.size());
    // Where hardly anything stands out the crop stays nearer to the middle.
    constexpr double kSure = 0.12;
    const double windowW = std::min(1.0, plan.srcW / pose.width), windowH = std::min(1.0, plan.srcH / pose.height);
    const auto offX = float((wanted.x - 0.5) * windowW), offY = float((wanted.y - 0.5) * windowH);
    for (std::size_t n = 0; n < places.size(); ++n) {
        const SubjectShot* shot = found.subject.shotOf(std::int64_t(n));
        const auto trust = float(shot ? std::clamp(shot->confidence / kSure, 0.3, 1.0) : 1);
        SubjectPlace p = heldPlace(places[n], pose);
        if (t.frame.follow == "two" && hasSecond(found, n)) {
            const SubjectPlace second = heldPlace(found.subject.seconds[n], pose);
            if (crops(t))
                p = around(p, second, windowW, windowH);
            else if (lower != swapped[n])
                p = second;
        } else if (lower) { // nothing to follow in this shot: where it was put
            const double x = t.frame.lower.x * (1 - windowW) + windowW / 2,
                         y = t.frame.lower.y * (1 - windowH) + windowH / 2;
            wish.subject.push_back({float(x), float(y), 0, 0});
            continue;
        }
        wish.subject.push_back({0.5f + trust * (p.x - offX - 0.5f), 0.5f + trust * (p.y - offY - 0.5f), p.w, p.h});
    }
    wish.cuts = found.cuts;
    wish.fps = fps > 0 ? fps : 25;
    wish.moves = t.frame.follow != "steady";
    if (!lower)
        for (const FramePin& p : pinsFrom(t.frame.pins)) {
            const SubjectPlace at = heldPlace({float(p.x), float(p.y), 0, 0}, pose);
            wish.pins.push_back({frameAt(p.seconds), at.x, at.y});
        }
    return planFollow(wish, windowW, windowH);
}

FramingPlan planAt(const FramingPlan& plan, const FollowedPath& path, Size held, double instant) {
    FramingPlan p = plan;
    const FollowedPath::Place at = path.at(instant);
    p.srcX = (held.w - p.srcW) * double(at.x);
    p.srcY = (held.h - p.srcH) * double(at.y);
    return p;
}

void placeCrop(Ticket& t, const FramingPlan& plan, const Pose& pose, double seconds, double x, double y, bool lower) {
    x = std::clamp(x, 0.0, 1.0), y = std::clamp(y, 0.0, 1.0);
    if (lower) {
        t.frame.lower.x = x, t.frame.lower.y = y;
        if (followsTwo(t)) t.frame.follow = "subject"; // it stays where it is put; the upper one goes on following
        return;
    }
    if (!followsSubject(t)) {
        t.frame.x = x, t.frame.y = y;
        return;
    }
    constexpr double kSame = 0.05;
    std::vector<FramePin> pins = pinsFrom(t.frame.pins);
    std::erase_if(pins, [&](const FramePin& p) { return std::abs(p.seconds - seconds) < kSame; });
    // Pins are places of the clip itself: they stay where they are when it is turned or cut otherwise later.
    const Point at = pose.still.inverse()(
        {x * (pose.width - plan.srcW) + plan.srcW / 2, y * (pose.height - plan.srcH) + plan.srcH / 2});
    const FramePin pin{std::max(0.0, seconds), std::clamp(at.x / pose.clip.w, 0.0, 1.0),
                       std::clamp(at.y / pose.clip.h, 0.0, 1.0)};
    if (pins.size() < kMostPins) pins.insert(std::ranges::upper_bound(pins, pin.seconds, {}, &FramePin::seconds), pin);
    t.frame.pins = pinsText(pins);
}

void pinPursuit(Ticket& t, const Pursuit& pursuit, const std::function<double(std::int64_t)>& secondsAt) {
    const auto& p = pursuit.places;
    if (p.empty()) return;
    // The places that a way of straight lines cannot do without (Douglas & Peucker 1973).
    constexpr float kNear = 0.015f;
    std::vector<bool> needed(p.size(), false);
    needed.front() = needed.back() = true;
    std::vector<std::pair<std::size_t, std::size_t>> left = {{0, p.size() - 1}};
    while (!left.empty()) {
        const auto [a, b] = left.back();
        left.pop_back();
        float most = kNear;
        std::size_t at = 0;
        for (std::size_t k = a + 1; k < b; ++k) {
            const float part = float(k - a) / float(b - a);
            const float off = std::max(std::abs(p[a].x + part * (p[b].x - p[a].x) - p[k].x),
                                       std::abs(p[a].y + part * (p[b].y - p[a].y) - p[k].y));
            if (off > most) most = off, at = k;
        }
        if (at == 0) continue;
        needed[at] = true;
        left.push_back({a, at});
        left.push_back({at, b});
    }
    std::vector<FramePin> pins = pinsFrom(t.frame.pins);
    const double from = secondsAt(pursuit.first), to = secondsAt(pursuit.first + std::int64_t(p.size()) - 1);
    std::erase_if(pins, [&](const FramePin& pin) { return pin.seconds > from - 0.02 && pin.seconds < to + 0.02; });
    for (std::size_t k = 0; k < p.size(); ++k)
        if (needed[k] && pins.size() < kMostPins)
            pins.push_back({secondsAt(pursuit.first + std::int64_t(k)), std::clamp(double(p[k].x), 0.0, 1.0),
                            std::clamp(double(p[k].y), 0.0, 1.0)});
    std::ranges::sort(pins, {}, &FramePin::seconds);
    t.frame.on = true;
    if (!canFollow(t)) t.frame.fill = "crop";
    if (t.frame.follow != "two" || crops(t)) t.frame.follow = "subject";
    t.frame.pins = pinsText(pins);
}

} // namespace ulm
