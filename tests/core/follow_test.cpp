// The crop that follows: finding the subject, planning the path, what a person sets, and what is delivered.
#include "core/deliver/movie_writer.h"
#include "core/framing/follow.h"
#include "core/inspect/inspection.h"
#include "core/inspect/pursuit.h"
#include "core/media/frame_convert.h"
#include "core/picture/hash_noise.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/frame_step.h"
#include "tests/support/clips.h"
#include "tests/support/skipped.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <functional>

using namespace ulm;
using test::TempFolder;

namespace {

constexpr int kWide = 320, kHigh = 180;
constexpr double kFps = 25, kWindow = 9.0 / 16 * kHigh / kWide; // 9:16 of the picture's height

// Smooth texture: three waves a direction, of a seed.
double texture(double x, double y, std::uint32_t seed) {
    double v = 0;
    for (std::uint32_t k = 0; k < 4; ++k) {
        const double a = 3.1 * hashNoise(seed, k, 1, 0), f = 0.04 + 0.1 * std::abs(hashNoise(seed, k, 2, 0));
        v += std::sin(f * (x * std::cos(a) + y * std::sin(a)) + 6 * hashNoise(seed, k, 3, 0));
    }
    return v / 4;
}

// A figure on a ground; both have texture. Places are fractions of the picture.
struct Scene {
    std::function<double(int)> figureX;
    double figureY = 0.55, figureW = 0.1, figureH = 0.5;
    std::function<double(int)> camera = [](int) { return 0.0; }; ///< pixels the ground has moved
    std::function<std::uint32_t(int)> ground = [](int) { return 3u; };
    std::function<bool(int)> hidden = [](int) { return false; };
    std::function<double(int)> secondX; ///< another, of the same size; null: none
    double pace = 1;                    ///< of how fast the figure moves in itself

    Plane luma(int frame) const {
        test::Painted p(kWide, kHigh, 1);
        const double cx = figureX(frame) * kWide, cy = figureY * kHigh;
        const double c2 = secondX ? secondX(frame) * kWide : 0;
        p.paint([&](int x, int y) {
            const double d2 = (x - c2) / (figureW * kWide / 2), dy2 = (y - cy) / (figureH * kHigh / 2);
            if (secondX && d2 * d2 + dy2 * dy2 < 1)
                return 0.3 + 0.22 * texture(x - c2 - 1.5 * std::sin(frame * 0.7), y + 2 * std::sin(frame * 0.6), 41);
            const double dx = (x - cx) / (figureW * kWide / 2), dy = (y - cy) / (figureH * kHigh / 2);
            if (!hidden(frame) && dx * dx + dy * dy < 1) // it moves in itself too, as people do
                return 0.62 + 0.22 * texture(x - cx + 1.5 * std::sin(frame * pace * 0.8),
                                             y + 2 * std::sin(frame * pace * 0.5), 77);
            return 0.4 + 0.12 * texture(x + camera(frame), y, ground(frame));
        });
        return p.picture.planes[0];
    }
    std::vector<Thumbprint> prints(int frames) const {
        std::vector<Thumbprint> all;
        for (int n = 0; n < frames; ++n) all.push_back(thumbprint(luma(n)));
        return all;
    }
};

FollowWish wishOf(const Subject& s, const std::vector<std::int64_t>& cuts = {}) {
    FollowWish w;
    for (const SubjectPlace& p : s.places) w.subject.push_back({p.x, p.y, p.w, p.h});
    w.cuts = cuts;
    w.fps = kFps;
    return w;
}

// Left end of the window in fractions.
double left(const FollowedPath& p, int n) { return (1 - kWindow) * double(p.places[std::size_t(n)].x); }

double jerk(const std::function<double(int)>& at, int first, int past) {
    double sum = 0;
    for (int n = first; n + 3 < past; ++n) sum += std::abs(at(n + 3) - 3 * at(n + 2) + 3 * at(n + 1) - at(n));
    return sum;
}

struct Held {
    double inside = 0, away = 0; ///< share of frames; mean distance of the figure's middle from the window's
};
Held held(const FollowedPath& path, const Scene& scene, int frames) {
    Held h;
    int seen = 0;
    for (int n = 0; n < frames; ++n) {
        if (scene.hidden(n)) continue;
        const double l = left(path, n), x = scene.figureX(n), half = scene.figureW / 2;
        ++seen;
        h.inside += x - half >= l - 1e-6 && x + half <= l + kWindow + 1e-6;
        h.away += std::abs(x - l - kWindow / 2);
    }
    h.inside /= seen, h.away /= seen;
    return h;
}

const Turning kUpright{0, false, kWide, kHigh};

} // namespace

TEST_CASE("The crop keeps a walker, a turner and one who is hidden for a while in the picture, calmly", "[follow]") {
    constexpr int kFrames = 100;
    struct Case {
        const char* name;
        Scene scene;
    };
    std::vector<Case> cases(4);
    cases[0] = {"walk", {}};
    cases[0].scene.figureX = [](int n) { return 0.2 + 0.6 * n / kFrames; };
    cases[1] = {"turn", {}};
    cases[1].scene.figureX = [](int n) {
        return n < 55 ? 0.25 + 0.5 * n / 55 : 0.75 - 0.4 * std::min(1.0, (n - 55) / 30.0);
    };
    cases[2] = {"hidden", {}};
    cases[2].scene.figureX = [](int n) { return 0.25 + 0.5 * n / kFrames; };
    cases[2].scene.hidden = [](int n) { return n >= 45 && n < 55; };
    cases[3] = {"camera pans", {}};
    cases[3].scene.figureX = [](int n) { return 0.3 + 0.3 * n / kFrames; };
    cases[3].scene.camera = [](int n) { return 2.5 * n; };
    for (const Case& c : cases) {
        INFO(c.name);
        const auto prints = c.scene.prints(kFrames);
        const Subject s = findSubject(prints, {}, {}, kUpright);
        REQUIRE(s.places.size() == kFrames);
        CHECK(s.shots[0].movement > 0.3); // it is told why
        const auto path = planFollow(wishOf(s), kWindow, 1);
        const Held h = held(*path, c.scene, kFrames);
        CHECK(h.inside >= 0.98);
        CHECK(h.away < 0.06);
        // Against a window put where each frame with its neighbours, by itself, says.
        const auto alone = [&](int n) {
            const int m = std::clamp(n, 1, kFrames - 2);
            return double(findSubject({prints.begin() + m - 1, prints.begin() + m + 2}, {}, {}, kUpright).places[1].x);
        };
        std::vector<double> each;
        for (int n = 0; n < kFrames; ++n) each.push_back(alone(n));
        const double calm = jerk([&](int n) { return left(*path, n); }, 0, kFrames),
                     restless = jerk([&](int n) { return each[std::size_t(n)]; }, 0, kFrames);
        INFO("jerk " << calm << " of " << restless);
        CHECK(calm < restless / 10);
        for (int n = 1; n < kFrames; ++n) // never faster than an eye takes for a camera
            CHECK(std::abs(left(*path, n) - left(*path, n - 1)) < 0.9 / kFps);
    }
}

TEST_CASE("Who crosses the picture in less than a second is kept in it, and at its border too", "[follow]") {
    constexpr int kFrames = 24;
    for (const bool back : {false, true}) {
        Scene rides;
        rides.figureX = [&](int n) {
            const double x = 0.12 + 0.8 * n / (kFrames - 1); // to the border, nearly a picture's width a second
            return back ? 1 - x : x;
        };
        const auto path = planFollow(wishOf(findSubject(rides.prints(kFrames), {}, {}, kUpright)), kWindow, 1);
        CHECK(held(*path, rides, kFrames).inside == 1);
    }
    // What is wanted lies beyond where a window can go: it goes as far as it can.
    FollowWish wish;
    for (int n = 0; n < 50; ++n) wish.subject.push_back({n < 25 ? 0.5f : 0.9f, 0.5f, 0.1f, 0.3f});
    wish.fps = kFps;
    CHECK(planFollow(wish, kWindow, 1)->places[49].x == Approx(1).margin(1e-3));
}

TEST_CASE("A shot's first and last places are not drawn to where a mover was next, and its extent is told",
          "[follow]") {
    constexpr int kFrames = 16;
    Scene walks;
    walks.figureX = [](int n) { return 0.2 + 0.6 * n / (kFrames - 1); };
    const Subject s = findSubject(walks.prints(kFrames), {}, {}, kUpright);
    for (const int n : {0, 1, kFrames / 2, kFrames - 2, kFrames - 1}) {
        INFO("frame " << n);
        CHECK(double(s.places[std::size_t(n)].x) == Approx(walks.figureX(n)).margin(0.028));
        CHECK(double(s.places[std::size_t(n)].w) == Approx(walks.figureW).margin(0.06));
        CHECK(double(s.places[std::size_t(n)].h) == Approx(walks.figureH).margin(0.2));
    }
}

TEST_CASE("What moves is found in fast takes as in slow ones", "[follow]") {
    constexpr int kSlow = 30, kTimes = 8;
    const auto found = [](int times, double fps) {
        Scene walks;
        walks.figureX = [=](int n) { return 0.7 + 0.1 * n / (kSlow * times); };
        walks.figureW = 0.06, walks.figureH = 0.25, walks.pace = 1.0 / times;
        return findSubject(walks.prints(kSlow * times), {}, {}, kUpright, fps);
    };
    const Subject slow = found(1, kFps), fast = found(kTimes, kFps * kTimes);
    CHECK(slow.shots[0].movement > 0.3);
    CHECK(fast.shots[0].movement == Approx(slow.shots[0].movement).margin(0.05));
    for (int n = 0; n < kSlow; ++n)
        CHECK(fast.places[std::size_t(n * kTimes)].x == Approx(slow.places[std::size_t(n)].x).margin(0.02));
}

TEST_CASE("Who leaves faster and faster is kept to the border, and the crop never jolts", "[follow]") {
    constexpr int kFrames = 26;
    FollowWish wish;
    const auto middle = [](int n) { return 0.15 + 0.75 * std::pow(n / (kFrames - 1.0), 1.7); };
    for (int n = 0; n < kFrames; ++n) wish.subject.push_back({float(middle(n)), 0.5f, 0.18f, 0.3f});
    wish.fps = kFps;
    constexpr double kWidth = 0.42; // of a picture of 4:3
    const auto path = planFollow(wish, kWidth, 1);
    const auto at = [&](int n) { return (1 - kWidth) * double(path->places[std::size_t(n)].x); };
    double hardest = 0;
    for (int n = 0; n < kFrames; ++n) {
        INFO("frame " << n);
        CHECK(middle(n) - 0.09 >= at(n) - 0.005);
        CHECK(middle(n) + 0.09 <= at(n) + kWidth + 0.005);
        if (n > 0 && n + 1 < kFrames) hardest = std::max(hardest, std::abs(at(n + 1) - 2 * at(n) + at(n - 1)));
    }
    CHECK(hardest < 4.05 / (kFps * kFps)); // picture's widths a second, per second
    // A window that goes by the subject alone stops dead at the border.
    const auto alone = [&](int n) { return std::clamp(middle(n) - kWidth / 2, 0.0, 1 - kWidth); };
    CHECK(jerk(at, 0, kFrames) < 0.05 * jerk(alone, 0, kFrames));
}

TEST_CASE("At rest nothing drifts, at a cut the crop jumps, and each shot may keep one place", "[follow]") {
    Scene sits;
    sits.figureX = [](int n) { return 0.7 + 0.008 * std::sin(n * 0.7); };
    const auto path = planFollow(wishOf(findSubject(sits.prints(75), {}, {}, kUpright)), kWindow, 1);
    for (int n = 1; n < 75; ++n) CHECK(left(*path, n) == left(*path, 0));
    CHECK(held(*path, sits, 75).inside == 1);

    Scene cut;
    cut.figureX = [](int n) { return n < 40 ? 0.25 : 0.75; };
    cut.ground = [](int n) { return n < 40 ? 3u : 9u; };
    const Subject s = findSubject(cut.prints(80), {40}, {}, kUpright);
    CHECK(s.shots.size() == 2);
    CHECK(s.shotOf(60)->first == 40);
    const auto jumps = planFollow(wishOf(s, {40}), kWindow, 1);
    CHECK(held(*jumps, cut, 80).inside == 1);
    CHECK(left(*jumps, 40) - left(*jumps, 39) > 0.3);
    CHECK(jumps->at(39.6).x == jumps->at(39).x); // nothing lies between two shots

    Scene walks;
    walks.figureX = [](int n) { return 0.3 + 0.2 * n / 60; };
    FollowWish still = wishOf(findSubject(walks.prints(60), {}, {}, kUpright));
    still.moves = false;
    const auto one = planFollow(still, kWindow, 1);
    for (int n = 1; n < 60; ++n) CHECK(one->places[std::size_t(n)].x == one->places[0].x);
    CHECK(left(*one, 0) + kWindow / 2 == Approx(0.4).margin(0.05));
    CHECK(planFollow(still, kWindow, 1) == one); // kept
}

TEST_CASE("A face outweighs what moves, and the larger of two movers the smaller", "[follow]") {
    Scene mover;
    mover.figureX = [](int n) { return 0.75 + 0.02 * std::sin(n * 0.4); };
    const auto prints = mover.prints(50);
    const Subject without = findSubject(prints, {}, {}, kUpright);
    CHECK(without.places[25].x > 0.6f);
    std::vector<Mark> faces;
    for (const int n : {5, 25, 45}) faces.push_back({n, {int(0.2 * kWide), 50, 40, 40}, 1});
    const Subject with = findSubject(prints, {}, {faces, {}}, kUpright);
    CHECK(with.places[25].x < 0.4f);
    CHECK(with.shots[0].faces > 0.5);
    const Subject near = findSubject(prints, {}, {{{25, {16, 30, 90, 90}, 1}}, {}}, kUpright);
    CHECK(near.places[25].w == Approx(90.0 / kWide).margin(0.05)); // all of a face is to be kept
    CHECK(near.places[25].h == Approx(90.0 / kHigh).margin(0.08));
    CHECK(findSubject({}, {}, {}, kUpright).places.empty());
    CHECK(findSubject({prints[0]}, {}, {}, kUpright).places.size() == 1);
}

TEST_CASE("Somebody who is seen outweighs what stands out, a thing only where it moves, an arm hardly", "[follow]") {
    Scene still, mover;
    still.figureX = [](int) { return 0.75; };
    still.hidden = [](int) { return true; }; // the ground alone
    mover.figureX = [](int n) { return 0.75 + 0.02 * std::sin(n * 0.4); };
    const auto with = [&](const Scene& scene, Being being, double x, int top, int high) {
        SeenThings seen;
        for (const int n : {5, 25, 45}) seen.things.push_back({{n, {int(x * kWide) - 30, top, 60, high}, 0.6}, being});
        return findSubject(scene.prints(50), {}, seen, kUpright);
    };
    for (const Being being : {Being::Person, Being::Animal}) {
        const Subject s = with(still, being, 0.25, 40, 100);
        CHECK(s.places[25].x == Approx(0.25).margin(0.06));
        CHECK(s.shots[0].being == being);
        CHECK(s.shots[0].things > 0.5);
    }
    CHECK(with(still, Being::Thing, 0.25, 40, 100).shots[0].things == 0); // a chair
    CHECK(with(mover, Being::Thing, 0.25, 40, 100).places[25].x > 0.6f);
    const Subject ball = with(mover, Being::Thing, 0.75, 60, 60); // lies where it moves
    CHECK(ball.places[25].x == Approx(0.75).margin(0.06));
    CHECK(ball.shots[0].things > 0.1);
    CHECK(ball.shots[0].being == Being::Thing);
    Scene panned = still; // what stands on a ground that goes by wanders over the picture, and does not move
    panned.camera = [](int n) { return 1.5 * n; };
    SeenThings pot;
    for (const int n : {5, 25, 45}) pot.things.push_back({{n, {200 - int(1.5 * n), 60, 50, 60}, 0.6}, Being::Thing});
    CHECK(findSubject(panned.prints(50), {}, pot, kUpright).shots[0].things < 0.02);
    SeenThings table; // as large as the ground
    table.things.push_back({{25, {20, 20, 280, 150}, 0.6}, Being::Thing});
    Scene sways = mover; // whatever moves over it
    sways.figureW = 0.25, sways.figureH = 0.5;
    sways.figureX = [](int n) { return 0.5 + 0.08 * std::sin(n * 0.7); };
    CHECK(findSubject(sways.prints(50), {}, table, kUpright).shots[0].things == 0);
    // Of two, the surer one; but not where no more of it is seen than an arm.
    const auto besideAnimal = [&](int top) {
        SeenThings seen;
        seen.things.push_back({{25, {int(0.25 * kWide) - 30, 60, 60, 60}, 0.4}, Being::Animal});
        seen.things.push_back({{25, {int(0.75 * kWide) - 30, top, 60, 60}, 0.7}, Being::Person});
        return findSubject(still.prints(50), {}, seen, kUpright).places[25].x;
    };
    CHECK(besideAnimal(60) == Approx(0.75).margin(0.06));
    SeenThings two;
    for (const auto& [x, sure] : {std::pair{0.25, 0.7}, {0.75, 0.3}})
        two.things.push_back({{25, {int(x * kWide) - 30, 60, 60, 60}, sure}, Being::Animal});
    CHECK(findSubject(still.prints(50), {}, two, kUpright).places[25].x == Approx(0.25).margin(0.06));
    CHECK(besideAnimal(115) == Approx(0.25).margin(0.06));
}

TEST_CASE("Of an animal wider than the crop the head is kept, whatever else of it moves", "[follow]") {
    Scene wing;
    wing.figureX = [](int n) { return 0.7 + 0.02 * std::sin(n * 0.4); };
    const auto prints = wing.prints(50);
    const auto placeWith = [&](std::optional<Thing::Place> head, const Turning& shown = kUpright) {
        SeenThings seen;
        for (const int n : {5, 25, 45})
            seen.things.push_back({{n, {int(0.1 * kWide), 10, int(0.8 * kWide), 160}, 0.9}, Being::Animal, head});
        return findSubject(prints, {}, seen, shown).places[25].x;
    };
    CHECK(placeWith({}) > 0.6f); // the wing draws it there
    CHECK(placeWith(Thing::Place{0.2f, 0.3f}) < 0.5f);
    CHECK(placeWith(Thing::Place{0.8f, 0.3f}) > 0.6f);
    // A clip that is shown mirrored: its wing is seen on the left.
    const Turning mirrored{0, true, kWide, kHigh};
    CHECK(placeWith({}, mirrored) < 0.4f);
    CHECK(placeWith(Thing::Place{0.8f, 0.3f}, mirrored) > 0.5f);
}

TEST_CASE("What is large is followed as truly as what is small", "[follow]") {
    for (const double size : {0.1, 0.3}) {
        Scene walks;
        walks.figureW = size, walks.figureH = 0.55;
        walks.figureX = [](int n) { return 0.3 + 0.4 * n / 40; };
        const auto prints = walks.prints(40);
        const auto path = followCells(prints, 0, 39, storedCells({0.3f, 0.55f, float(size), 0.5f}, kUpright));
        REQUIRE(path.size() == 40);
        for (std::size_t n = 0; n < 40; ++n)
            CHECK(path[n].x == Approx(walks.figureX(int(n)) * Thumbprint::kColumns - 0.5).margin(2));
    }
}

TEST_CASE("Each new shot is looked at for faces and people, however short it is", "[follow]") {
    const std::string film = "/usr/share/doc/opencv-doc/examples/data/Megamind.avi";
    if (!std::filesystem::exists(film)) {
        test::skipped("Debian's opencv-doc is here without its movies, as on systems that leave documentation out");
        return;
    }
    const Inspection found = inspectClip(Clip::openVideo(film), {});
    const SubjectShot* shot = found.subject.shotOf(170); // 46 frames, between two frames that are read closely
    REQUIRE(shot);
    CHECK(shot->first > 150);
    CHECK(shot->faces > 0.5);
    const MediaFacts facts = Clip::openVideo(film)->facts();
    const Inspection again = inspectionFromJson(toJson(found, facts), "");
    const SubjectShot* kept = again.subject.shotOf(250);
    REQUIRE(kept);
    CHECK(kept->being == Being::Person);
    CHECK(kept->things == Approx(found.subject.shotOf(250)->things));
    CHECK(kept->things > 0.05);
}

TEST_CASE("Places of stored cells are where they are seen, for every way a clip may be turned", "[follow]") {
    for (const bool mirrored : {false, true})
        for (const int rotation : {0, 90, 180, 270}) {
            const Turning t{rotation, mirrored, 100, 100};
            const CellBox box{20, 9, 5, 9};
            const CellBox back = storedCells(uprightPlace(box, t), t);
            CHECK(back.x == Approx(box.x).margin(1e-3));
            CHECK(back.y == Approx(box.y).margin(1e-3));
        }
    // Turned clockwise, what was at the upper left is at the upper right.
    const SubjectPlace p = uprightPlace({4, 4, 3, 3}, {90, false, 100, 100});
    CHECK(p.x > 0.85f);
    CHECK(p.y < 0.1f);
    CHECK(uprightPlace({4, 4, 3, 3}, {0, true, 100, 100}).x > 0.9f);
}

TEST_CASE("Places set by hand are kept to, read, written and refused in words", "[follow]") {
    Scene walks;
    walks.figureX = [](int n) { return 0.2 + 0.6 * n / 100; };
    FollowWish wish = wishOf(findSubject(walks.prints(100), {}, {}, kUpright));
    wish.pins = {{50, 0.25, 0.5}, {75, 0.7, 0.5}};
    const auto path = planFollow(wish, kWindow, 1);
    CHECK(left(*path, 50) + kWindow / 2 == Approx(0.25).margin(0.002));
    CHECK(left(*path, 75) + kWindow / 2 == Approx(0.7).margin(0.002));
    // Between them the way is the person's, before and after it is the subject's.
    wish.pins = {{30, 0.6, 0.5}, {50, 0.6, 0.5}};
    const auto held = planFollow(wish, kWindow, 1);
    for (int n = 30; n <= 50; ++n) CHECK(left(*held, n) + kWindow / 2 == Approx(0.6).margin(0.03));
    CHECK(left(*held, 0) + kWindow / 2 < 0.4);
    CHECK(left(*held, 97) + kWindow / 2 == Approx(0.78).margin(0.08));

    CHECK(pinsWrong("").empty());
    CHECK(pinsWrong("0.4:0.25,0.5 2:0.7,0.5").empty());
    for (const char* wrong : {"x", "1:2", "1:0.5,0.5 0.5:0.5,0.5", "1:1.5,0", "-1:0.5,0.5", "nan:0,0", "1:0.5,0.5;"})
        CHECK_FALSE(pinsWrong(wrong).empty());
    CHECK(pinsText(pinsFrom("0.4:0.25,0.5 2:0.7,0.5")) == "0.4:0.25,0.5 2:0.7,0.5");

    Ticket t;
    for (const char* set : {"frame.aspect=9:16", "frame.follow=subject"}) setByAssignment(t, set);
    VideoFacts v;
    v.width = kWide, v.height = kHigh;
    const FramingPlan plan = framingOf(t, v);
    placeCrop(t, plan, poseOf(t, v), 1.0, 1, 0.5);
    placeCrop(t, plan, poseOf(t, v), 0.5, 0, 0.5);
    placeCrop(t, plan, poseOf(t, v), 1.02, 0.5, 0.5); // the same place again
    const auto pins = pinsFrom(t.frame.pins);
    REQUIRE(pins.size() == 2);
    CHECK(pins[0].x == Approx(plan.srcW / v.width / 2).margin(1e-3));
    CHECK(pins[1].x == Approx(0.5));
    t.frame.follow = "place";
    placeCrop(t, plan, poseOf(t, v), 1.0, 0.9, 0.5);
    CHECK(t.frame.x == 0.9);
}

namespace {

// The scene as a clip.
std::string write(const TempFolder& folder, const Scene& scene, int frames) {
    VideoEncoding e;
    e.width = kWide, e.height = kHigh;
    e.crf = 16;
    const std::string path = folder / "scene.mp4";
    MovieWriter w(path, "mp4", e, std::nullopt);
    for (int n = 0; n < frames; ++n) {
        Picture p = test::Painted(kWide, kHigh, 1).picture;
        p.planes[0] = scene.luma(n);
        w.write(*toFrame(p, AV_PIX_FMT_YUV420P), n, 1);
    }
    w.finish();
    return path;
}

} // namespace

TEST_CASE("What is delivered follows the subject, and what was clicked on, until it is lost", "[follow]") {
    const TempFolder folder;
    Scene walks;
    walks.figureX = [](int n) { return 0.2 + 0.6 * n / 60; };
    const ClipPtr clip = Clip::openVideo(write(folder, walks, 60));
    const Inspection found = inspectClip(clip, {});
    REQUIRE(found.subject.places.size() == 60);
    const Inspection again = inspectionFromJson(toJson(found, clip->facts()), "");
    CHECK(again.subject.places[30].x == Approx(found.subject.places[30].x).margin(6e-4));
    CHECK(again.subject.shots.size() == found.subject.shots.size());

    Ticket t;
    for (const char* set : {"frame.aspect=9:16", "frame.follow=subject"}) setByAssignment(t, set);
    CHECK(needsReadings(t));
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 32 << 20);
    const DeliveryPtr d = resolve(reader, found, t);
    CHECK(d->sentence("frame").find("following the subject") != std::string::npos);
    Engine engine(std::size_t(32) << 20);
    for (const int n : {3, 30, 57}) {
        const Rect w = d->windows(n)[0];
        CHECK(walks.figureX(n) * kWide - 16 >= w.x - 1);
        CHECK(walks.figureX(n) * kWide + 16 <= w.right() + 1);
        // The window's pixels are those of that place of the clip.
        const Picture shown = engine.pull(*d->result, n, d->result->format().frame(), {}),
                      source = engine.pull(*d->source, n, d->source->format().frame(), {});
        const Point s = d->toSource(n, {50.5, 90.5});
        CHECK(shown.planes[0].at(50, 90) ==
              Approx(source.planes[0].at(int(std::lround(s.x - 0.5)), int(std::lround(s.y - 0.5)))).margin(0.06));
    }
    // Half as fast, the same instants show the same place.
    setByAssignment(t, "motion.speed=50");
    const DeliveryPtr slow = resolve(reader, found, t);
    CHECK(std::abs(slow->planAt(slow->clock.stageOf(30)).srcX - d->planAt(30).srcX) < 1.5);
    // Without an inspection the crop stays where it is set.
    CHECK(resolve(reader, Inspection{}, t)->planAt(5).srcX == resolve(reader, Inspection{}, t)->planAt(50).srcX);

    const Pursuit p = pursue(clip, 20, {float(walks.figureX(20)), 0.55f, 0.1f, 0.3f}, 0, 60, {});
    CHECK(p.first == 0);
    REQUIRE(p.places.size() == 60);
    for (const int n : {0, 20, 59}) CHECK(std::abs(p.places[std::size_t(n)].x - float(walks.figureX(n))) < 0.03f);
    Ticket pinned;
    pinPursuit(pinned, p, [](std::int64_t n) { return double(n) / 25; });
    const auto pins = pinsFrom(pinned.frame.pins);
    CHECK(pins.size() >= 2);
    CHECK(pins.size() <= 8); // a straight walk needs few
    CHECK(pinned.frame.follow == "subject");

    // Out of sight for a moment it is found again; out of sight for good it was lost there.
    Scene passes = walks;
    passes.hidden = [](int n) { return n >= 33 && n < 37; };
    const ClipPtr passed = Clip::openVideo(write(folder, passes, 60));
    const Pursuit through = pursue(passed, 20, {float(walks.figureX(20)), 0.55f, 0.1f, 0.3f}, 0, 60, {});
    REQUIRE(through.places.size() == 60);
    for (const int n : {30, 45, 59})
        CHECK(std::abs(through.places[std::size_t(n)].x - float(walks.figureX(n))) < 0.03f);
    Scene leaves = walks;
    leaves.hidden = [](int n) { return n >= 40; };
    const ClipPtr gone = Clip::openVideo(write(folder, leaves, 60));
    const Pursuit lost = pursue(gone, 20, {float(walks.figureX(20)), 0.55f, 0.1f, 0.3f}, 0, 60, {});
    CHECK(lost.first == 0);
    CHECK(std::int64_t(lost.places.size()) + lost.first <= 43);
}

TEST_CASE("What was clicked on is followed in a clip of one frame, and turned as it is seen", "[follow]") {
    const TempFolder folder;
    // A card passes along the upright picture's lower third, whichever way the file stores it.
    for (const int turn : {0, 90, 180, 270}) {
        test::ClipRecipe r;
        r.width = turn % 180 ? 180 : 320, r.height = turn % 180 ? 320 : 180, r.frames = 20, r.rotate = turn;
        r.luma = [turn, w = r.width, h = r.height](int x, int y, int n) {
            const int u = turn == 0 ? x : turn == 90 ? h - 1 - y : turn == 180 ? w - 1 - x : y;
            const int v = turn == 0 ? y : turn == 90 ? x : turn == 180 ? h - 1 - y : w - 1 - x;
            const int dx = u - (80 + 8 * n), dy = v - 120;
            if (std::abs(dx) < 14 && std::abs(dy) < 20) return dx + dy > 0 ? 210 : 150;
            return v < 60 ? 70 : 60 + 12 * ((u / 20 + v / 20) % 2); // a wall, and tiles
        };
        const std::string path = folder / ("turned" + std::to_string(turn) + ".mp4");
        test::writeClip(path, r);
        const Pursuit p = pursue(Clip::openVideo(path), 10, {160 / 320.f, 120 / 180.f, 0.12f, 0.28f}, 0, 20, {});
        INFO("turned by " << turn);
        REQUIRE(p.places.size() == 20);
        for (const int n : {0, 10, 19}) {
            CHECK(p.places[std::size_t(n)].x == Approx((80 + 8 * n) / 320.0).margin(0.02));
            CHECK(p.places[std::size_t(n)].y == Approx(120 / 180.0).margin(0.03));
        }
        if (turn) continue;
        r.frames = 1;
        test::writeClip(path, r);
        const Pursuit one = pursue(Clip::openVideo(path), 0, {80 / 320.f, 120 / 180.f, 0.12f, 0.28f}, 0, 1, {});
        CHECK(one.places.size() == 1);
        try { // where nothing stands out there is nothing to follow, and that is said
            pursue(Clip::openVideo(path), 0, {0.5f, 0.15f, 0.1f, 0.1f}, 0, 1, {});
            FAIL("an even wall was followed");
        } catch (const Error& e) {
            CHECK(std::string(e.what()).find("looks the same all over") != std::string::npos);
        }
    }
}

TEST_CASE("A small ball that was clicked on is followed, not the ground around it", "[follow]") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = kWide, r.height = kHigh, r.frames = 40;
    const auto middle = [](int n) { return std::pair{60 + 5 * n, 40 + std::abs(n - 20) * 4}; }; // comes down, and jumps
    r.luma = [&](int x, int y, int n) {
        const auto [cx, cy] = middle(n);
        const int d = (x - cx) * (x - cx) + (y - cy) * (y - cy);
        if (d <= 36) return 210 - d;
        return 90 + ((x / 24 + y / 18) % 2 ? 25 : 0) + (x * 7 + y * 3) % 9; // tiles, a little rough
    };
    const std::string path = folder / "ball.mp4";
    test::writeClip(path, r);
    const auto [x, y] = middle(8);
    const float side = 0.2f * kHigh; // as a click on the table has it, nine times as large as the ball
    const Pursuit p =
        pursue(Clip::openVideo(path), 8, {float(x) / kWide, float(y) / kHigh, side / kWide, side / kHigh}, 0, 40, {});
    REQUIRE(p.first == 0);
    REQUIRE(p.places.size() == 40);
    for (int n = 0; n < 40; ++n) {
        INFO("frame " << n);
        CHECK(std::abs(p.places[std::size_t(n)].x * kWide - float(middle(n).first)) < 8);
        CHECK(std::abs(p.places[std::size_t(n)].y * kHigh - float(middle(n).second)) < 8);
        CHECK(p.places[std::size_t(n)].w * kWide < 30);
    }
}

TEST_CASE("Of two, both are kept in sight where they fit, and a split follows one each, the left above", "[follow]") {
    constexpr int kFrames = 60;
    const TempFolder folder;
    Scene two;
    two.figureX = [](int n) { return 0.72 + 0.14 * n / kFrames; };
    two.secondX = [](int n) { return 0.30 - 0.14 * n / kFrames; };
    const ClipPtr clip = Clip::openVideo(write(folder, two, kFrames));
    const Inspection found = inspectClip(clip, {});
    REQUIRE(found.subject.seconds.size() == kFrames);
    CHECK(found.subject.shots[0].second >= kSecondSubject);
    for (const int n : {5, 30, 55}) {
        const double a = found.subject.places[std::size_t(n)].x, b = found.subject.seconds[std::size_t(n)].x;
        CHECK(std::max(a, b) == Approx(two.figureX(n)).margin(0.05));
        CHECK(std::min(a, b) == Approx(two.secondX(n)).margin(0.07));
    }
    const Inspection again = inspectionFromJson(toJson(found, clip->facts()), "");
    CHECK(again.subject.seconds[30].x == Approx(found.subject.seconds[30].x).margin(6e-4));
    CHECK(again.subject.shots[0].second == Approx(found.subject.shots[0].second));
    Scene alone = two;
    alone.secondX = nullptr;
    CHECK(findSubject(alone.prints(kFrames), {}, {}, kUpright).shots[0].second < kSecondSubject);

    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 32 << 20);
    const auto with = [&](std::initializer_list<const char*> settings, const Inspection& seen) {
        Ticket t;
        for (const char* set : settings) setByAssignment(t, set);
        return resolve(reader, seen, t);
    };
    const auto holds = [&](const Rect& w, double x) {
        return x * kWide - 16 >= w.x - 1 && x * kWide + 16 <= w.right() + 1;
    };
    // 4:5 of each half is wide enough for one alone.
    const DeliveryPtr split = with({"frame.aspect=9:16", "frame.fill=split", "frame.follow=two"}, found);
    CHECK(split->sentence("frame").find("each following") != std::string::npos);
    for (const int n : {3, 30, 57}) {
        const auto windows = split->windows(n);
        REQUIRE(windows.size() == 2);
        CHECK(holds(windows[0], two.secondX(n)));
        CHECK(holds(windows[1], two.figureX(n)));
    }
    // What is delivered is what the windows say, in both halves.
    Engine engine(std::size_t(32) << 20);
    for (const int n : {10, 50}) {
        const Picture shown = engine.pull(*split->result, n, split->result->format().frame(), {}),
                      source = engine.pull(*split->source, n, split->source->format().frame(), {});
        for (const double y : {40.5, double(split->size().h) - 40.5}) {
            const Point s = split->toSource(n, {50.5, y});
            CHECK(shown.planes[0].at(50, int(y)) ==
                  Approx(source.planes[0].at(int(std::lround(s.x - 0.5)), int(std::lround(s.y - 0.5)))).margin(0.08));
        }
    }
    // The subject alone: the lower place stays where it is put.
    const DeliveryPtr upper =
        with({"frame.aspect=9:16", "frame.fill=split", "frame.follow=subject", "frame.zoom=2"}, found);
    CHECK(upper->windows(3)[1].x == upper->windows(57)[1].x);
    CHECK(std::abs(upper->windows(3)[0].x - upper->windows(57)[0].x) > 5);
    // Where there is no second one, the lower place is where it is put too.
    Inspection single = found;
    single.subject.shots[0].second = 0;
    const DeliveryPtr lone =
        with({"frame.aspect=9:16", "frame.fill=split", "frame.follow=two", "frame.lower_x=0"}, single);
    CHECK(lone->windows(30)[1].x == 0);

    // A crop that is wide enough holds both; one that is not keeps to the first.
    const DeliveryPtr wide = with({"frame.aspect=4:3", "frame.follow=two"}, found);
    for (const int n : {3, 20}) {
        CHECK(holds(wide->windows(n)[0], two.figureX(n)));
        CHECK(holds(wide->windows(n)[0], two.secondX(n)));
    }
    const DeliveryPtr narrow = with({"frame.aspect=9:16", "frame.follow=two"}, found);
    CHECK((holds(narrow->windows(30)[0], two.figureX(30)) || holds(narrow->windows(30)[0], two.secondX(30))));

    // Dragged, the lower place stays where it is put, and the upper one goes on following.
    Ticket t;
    for (const char* set : {"frame.aspect=9:16", "frame.fill=split", "frame.follow=two"}) setByAssignment(t, set);
    placeCrop(t, split->planAt(3).lower(), split->pose(), 0.1, 0.25, 0.5, true);
    CHECK(t.frame.follow == "subject");
    CHECK(t.frame.lower.x == 0.25);
    placeCrop(t, split->planAt(3), split->pose(), 0.1, 0.5, 0.5, false);
    CHECK(pinsFrom(t.frame.pins).size() == 1);
}
