#include "core/pipeline/even_times.h"
#include "core/pipeline/frame_clock.h"

#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

using namespace ulm;

namespace {

constexpr double kPeriod = 1 / 30.0, kTick = 1 / 90000.0;

// A phone's: the first frame stands for five periods and a half, the others come evenly.
std::vector<double> lateStart(int frames, double gap) {
    std::vector<double> s = {0};
    for (int i = 1; i < frames; ++i) s.push_back((gap + i - 1) * 2999 / 90000.0);
    return s;
}

// How far from an instant of the grid, in periods.
double offGrid(double s, double period) { return std::abs(s / period - std::round(s / period)); }

} // namespace

TEST_CASE("frames behind a gap of half a period go to the movie's instants together, none far from its own") {
    const std::vector<double> own = lateStart(41, 5.54), even = evenTimes(own, 0, kPeriod, kTick);
    REQUIRE(even.size() == own.size());
    for (std::size_t i = 0; i < even.size(); ++i) {
        INFO("frame " << i);
        CHECK(offGrid(even[i], kPeriod) < 1e-9);
        CHECK(std::abs(even[i] - own[i]) < 0.65 * kPeriod);
        if (i > 1) CHECK(even[i] - even[i - 1] == Approx(kPeriod));
    }
    // At twice the rate too; the grid is that of the stretch.
    const std::vector<double> twice = evenTimes(own, 0.01, kPeriod / 2, kTick);
    REQUIRE(twice.size() == own.size());
    for (std::size_t i = 2; i < twice.size(); ++i) CHECK(offGrid(twice[i] - 0.01, kPeriod / 2) < 1e-9);
}

TEST_CASE("frames stamped a little early or late are shown evenly; those at random times keep theirs") {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> late(-0.004, 0.004), any(0.01, 0.09);
    std::vector<double> phone, screen;
    double at = 0;
    for (int i = 0; i < 300; ++i) {
        phone.push_back(i * kPeriod + 0.01 + late(random));
        screen.push_back(at += any(random));
    }
    const std::vector<double> even = evenTimes(phone, phone[0], kPeriod, kTick);
    REQUIRE(even.size() == phone.size());
    for (std::size_t i = 1; i < even.size(); ++i) CHECK(even[i] - even[i - 1] == Approx(kPeriod));
    CHECK(evenTimes(screen, 0, kPeriod, kTick).empty());
}

TEST_CASE("a slow clock drifts from the movie's by no more than a frame, which then comes or goes") {
    std::vector<double> own = lateStart(3000, 2.5);
    for (double& s : own) s *= 1.0015;
    const std::vector<double> even = evenTimes(own, 0, kPeriod, kTick);
    REQUIRE(even.size() == own.size());
    int uneven = 0;
    for (std::size_t i = 1; i < even.size(); ++i) {
        CHECK(even[i] > even[i - 1]);
        CHECK(std::abs(even[i] - own[i]) < 0.65 * kPeriod);
        uneven += std::abs(even[i] - even[i - 1] - kPeriod) > 1e-6;
    }
    CHECK(uneven >= 4); // 4.5 periods in all
    CHECK(uneven <= 7);
}

TEST_CASE("even times, and a rate that is none of the clip's, move nothing") {
    std::vector<double> even, rounded;
    for (int i = 0; i < 60; ++i) even.push_back(i * kPeriod), rounded.push_back(std::round(i * kPeriod * 1000) / 1000);
    CHECK(evenTimes(even, 0, kPeriod, kTick).empty());
    CHECK(evenTimes(rounded, 0, kPeriod, 0.001).empty());
    CHECK(evenTimes(lateStart(41, 5.54), 0, 1 / 25.0, kTick).empty());
    CHECK(evenTimes(lateStart(41, 5.54), 0, 1 / 24.0, kTick).empty());
    CHECK(evenTimes(lateStart(3, 5.54), 0, kPeriod, kTick).empty());
}

TEST_CASE("a clip with a gap shows all its frames as filmed at an even rate, and only the gap is made in between") {
    test::TempFolder folder;
    test::ClipRecipe r;
    r.frames = 40;
    r.bFrames = 0;
    for (int i = 0; i < r.frames; ++i) r.pts.push_back(i < 10 ? i * 40 : i * 40 + 100); // two periods and a half more
    test::writeClip(folder / "gap.mkv", r);
    const ClipPtr clip = Clip::openVideo(folder / "gap.mkv");
    Ticket t;
    t.motion.on = true;
    t.motion.fps = 25;
    const FrameClock clock(clip, t);
    std::vector<int> seen(40);
    int made = 0;
    for (std::int64_t k = 0; k < clock.count(); ++k) {
        const std::int64_t shown = clock.sourceOf(clock.first() + k);
        if (clock.isBetween(clock.first() + k)) {
            ++made;
            CHECK((shown == 9 || shown == 10));
        } else
            ++seen[std::size_t(shown)];
    }
    CHECK(made >= 2);
    CHECK(made <= 3);
    for (int n = 0; n < 39; ++n) CHECK(seen[std::size_t(n)] == 1);
    // Held instead, nothing is made and nothing is lost.
    t.motion.method = "hold";
    const FrameClock held(clip, t);
    std::ranges::fill(seen, 0);
    for (std::int64_t k = 0; k < held.count(); ++k) ++seen[std::size_t(held.sourceOf(held.first() + k))];
    for (int n = 0; n < 40; ++n) CHECK(seen[std::size_t(n)] >= 1);
}
