// Pictures in between made otherwise in places, and the blur of a shutter, which is the mean of several.
#include "core/base/error.h"
#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/media/frame_convert.h"
#include "core/pipeline/between_doubt.h"
#include "core/pipeline/cadence.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/between_places.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/film.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::Film;
using test::TempFolder;
using test::ticketOf;

namespace {

double away(const Picture& a, const Picture& b) {
    double most = 0;
    for (std::size_t c = 0; c < 3; ++c) most = std::max(most, test::meanSquare(a.planes[c], b.planes[c]));
    return std::sqrt(most);
}

Picture mean(const std::vector<Picture>& all) {
    Picture sum = Picture::make(all[0].format, all[0].area);
    for (std::size_t c = 0; c < 3; ++c)
        for (int y = 0; y < sum.planes[c].area().h; ++y)
            for (int x = 0; x < sum.planes[c].area().w; ++x) {
                double v = 0;
                for (const Picture& p : all) v += p.planes[c].at(x, y) / double(all.size());
                sum.planes[c].row(y)[x] = float(v);
            }
    return sum;
}

} // namespace

TEST_CASE("places where in-betweens are made otherwise are read, refused in words, and laid over each other") {
    const auto read = betweenPlacesFrom("0.5-1.2:hold 0:03-0:04.5:blend 5-6:rebuild");
    REQUIRE(read.size() == 3);
    CHECK(read[1].from == Approx(3));
    CHECK(read[1].to == Approx(4.5));
    CHECK(read[1].way == BetweenWay::Blend);
    CHECK(read[2].way == BetweenWay::Rebuild);
    for (const char* bad :
         {"1-2", "1:hold", "2-1:hold", "1-2:melt", "1-3:hold 2-4:blend", "3-4:hold 1-2:hold", "-1-2:hold"}) {
        INFO(bad);
        CHECK_FALSE(betweenPlacesWrong(bad).empty());
        CHECK_THROWS_AS(ticketOf({std::string("motion.places=") + bad}), Error);
    }
    CHECK(withPlace(read, 1, 3.5, BetweenWay::Blend) == "0.5-1:hold 1-3.5:blend 3.5-4.5:blend 5-6:rebuild");
    CHECK(withPlace(read, 0.7, 0.9, BetweenWay::Rebuild) ==
          "0.5-0.7:hold 0.7-0.9:rebuild 0.9-1.2:hold 3-4.5:blend 5-6:rebuild");
    CHECK(withPlace(read, 0, 10, std::nullopt).empty());
    CHECK(betweenPlacesWrong(withPlace(read, 1, 3.5, BetweenWay::Blend)).empty());
}

TEST_CASE("in places frames are held, blended or rebuilt, and nowhere else") {
    const Film film; // 25 frames a second, a number on each
    const std::string places = "motion.places=0.4-0.8:hold 1-1.4:blend";
    const DeliveryPtr usual = film.with({"motion.fps=50"}), other = film.with({"motion.fps=50", places});
    for (const std::int64_t k : {5, 45, 75}) // outside of both
        CHECK(away(film.delivered(usual, k), film.delivered(other, k)) == 0);
    CHECK(other->clock.instantOf(other->clock.first() + 25) == 13); // half way from 12 on: held, the later of equals
    CHECK(away(film.delivered(other, 25), film.frame(13)) == 0);
    const Picture blend = film.delivered(other, 55); // half way from 27 to 28
    CHECK(away(blend, mean({film.frame(27), film.frame(28)})) < 1e-6);
    CHECK(away(blend, film.delivered(usual, 55)) > 1e-4);
    // The other way round: held everywhere but there.
    const DeliveryPtr held =
        film.with({"motion.fps=50", "motion.method=hold", "motion.places=1-1.4:blend 1.6-1.8:rebuild"});
    CHECK(away(film.delivered(held, 55), blend) == 0);
    CHECK(away(film.delivered(held, 83), film.delivered(usual, 83)) == 0);
    for (const std::int64_t k : {5, 45, 75}) {
        const double n = held->clock.instantOf(held->clock.first() + k);
        CHECK(n == std::round(n));
    }
}

TEST_CASE(
    "a shutter smears what moves over the time it is open, around the frame's instant, and nothing across a cut") {
    const Film film;
    // Sped up four times, open for half of it: two frames of the clip, each of many instants.
    const DeliveryPtr fast = film.with({"motion.speed=400", "motion.shutter=180"});
    CHECK(fast->frames() == 13);
    // The mean of pictures in between over [n − 1, n + 1], here made one by one with slow motion.
    const DeliveryPtr slow =
        film.with({"motion.speed=10", "motion.fps=100", "motion.method=fast", "motion.unsure=mix"}); // 40 a frame
    const std::int64_t middle = 5; // frame 20 of the clip
    std::vector<Picture> open;
    for (int e = 0; e < 16; ++e) {
        const double at = 20 + (e + 0.5) / 8 - 1;
        open.push_back(film.delivered(slow, std::llround(at * 40)));
    }
    const Picture made = film.delivered(fast, middle);
    CHECK(away(made, mean(open)) < 0.01);
    CHECK(away(made, film.frame(20)) > 3 * away(made, mean(open)));

    // What was found to be a cut at frame 20: both sides keep to themselves.
    Inspection found;
    found.cuts = {20};
    const DeliveryPtr cut = film.with({"motion.shutter=360"}, found);
    CHECK(cut->frames() == 50);
    CHECK(cut->fps() == Approx(25));
    const DeliveryPtr before = film.with({"motion.shutter=360", "stretch.from=0", "stretch.to=0.8"});
    CHECK(away(film.delivered(cut, 19), film.delivered(before, 19)) < 1e-6);
    const DeliveryPtr uncut = film.with({"motion.shutter=360"});
    CHECK(away(film.delivered(cut, 19), film.delivered(uncut, 19)) > 1e-3);
    CHECK(away(film.delivered(cut, 10), film.delivered(uncut, 10)) == 0);
    // Nor into a place that is held: what would be seen of it is not.
    const DeliveryPtr beside = film.with({"motion.shutter=360", "motion.places=0.8-1.2:hold"});
    CHECK(away(film.delivered(beside, 20), film.frame(20)) < 1e-6);
    CHECK(away(film.delivered(beside, 10), film.delivered(uncut, 10)) == 0);
    // Across what was left out, neither; and where it stands still, nothing is smeared.
    const DeliveryPtr joined = film.with({"motion.shutter=360", "stretch.without=0.8-1.2"});
    CHECK(away(film.delivered(joined, 19), film.delivered(before, 19)) < 1e-6);
    const DeliveryPtr halt = film.with({"motion.shutter=180", "motion.freezes=0.4:0.4"});
    CHECK(away(film.delivered(halt, 15), film.frame(10)) < 1e-6);
    // Repeated frames have nothing to be smeared with.
    CHECK(film.with({"motion.shutter=180", "motion.method=hold"})->clock.untouched());
}

TEST_CASE("a stage that is the mean of several instants keeps the contract of all") {
    const auto guide = std::make_shared<test::PatternStage>(PictureFormat{64, 48, 1, 1}, 9);
    const auto clock = [](int exposures) {
        const auto at = [exposures](std::int64_t n) {
            const int e = int(n % exposures);
            return BetweenInstant{n / exposures, 0.2 * e, e == 2 ? BetweenWay::Blend : BetweenWay::Rebuild};
        };
        return BetweenClock{8, KeyMaker("several").add(exposures), at, {}, exposures};
    };
    test::checkContract(*inBetween(guide, guide, clock(4), Between::Fast), 2e-5);
    test::checkContract(*inBetween(guide, guide, clock(3), Between::Careful), 2e-5);
    test::checkKeys({[&] { return inBetween(guide, guide, clock(3), Between::Fast); },
                     [&] { return inBetween(guide, guide, clock(4), Between::Fast); }});
}

namespace {

// A picture that slides evenly, of which a corner becomes another with frame 7: nothing leads from one to the other.
std::string writeTorn(const TempFolder& folder) {
    VideoEncoding e;
    e.width = 256, e.height = 160, e.crf = 8;
    const std::string path = folder / "torn.mp4";
    MovieWriter w(path, "mp4", e, std::nullopt);
    const Picture photo = test::photograph(400, 160, 5), other = test::photograph(400, 160, 91);
    for (int n = 0; n < 14; ++n) {
        Picture p = Picture::make({256, 160, 1, 1}, {0, 0, 256, 160});
        for (std::size_t c = 0; c < 3; ++c) {
            const Rect all = p.planes[c].area();
            for (int y = 0; y < all.h; ++y)
                for (int x = 0; x < all.w; ++x) {
                    const bool torn = n >= 7 && x > all.w * 3 / 5 && y > all.h / 2;
                    const float v = (torn ? other : photo).planes[c].at(x + n * (c ? 2 : 4), y);
                    p.planes[c].row(y)[x] = torn && !c ? 1 - v : v;
                }
        }
        w.write(*toFrame(p, AV_PIX_FMT_YUV420P), n, 1);
    }
    w.finish();
    return path;
}

} // namespace

TEST_CASE("doubt stands out where nothing leads from one frame to the next, and only made pictures are doubted") {
    const TempFolder folder;
    const auto reader = std::make_shared<FrameReader>(Clip::openVideo(writeTorn(folder)),
                                                      PacketDecoder::Threads::Single, std::size_t(32) << 20);
    const auto plan = [&](const std::vector<std::string>& settings, std::size_t most = 100) {
        return doubtPlan(*resolve(reader, Inspection{}, ticketOf(settings)), most, {});
    };
    Engine engine(std::size_t(64) << 20);
    for (const char* method : {"motion.method=careful", "motion.method=fast"}) {
        const DoubtPlan all = plan({"motion.speed=50", method});
        REQUIRE(all.frames.size() == 13); // the last has none after it
        for (std::size_t k = 0; k < all.frames.size(); ++k) {
            const BetweenDoubt d = doubtAt(engine, all, k, {});
            INFO(method << ", frame " << d.frame << ": " << d.steps);
            CHECK(d.frame == std::int64_t(k));
            CHECK((d.steps >= kDoubtful) == (d.frame == 6));
            if (d.frame != 6) CHECK(d.steps < 0.6 * kDoubtful);
        }
    }
    CHECK_FALSE(plan({"motion.fps=25"}).paths); // none is made
    CHECK_FALSE(plan({"motion.speed=50", "motion.method=hold"}).paths);
    CHECK(plan({"motion.speed=50"}, 5).frames == std::vector<std::int64_t>{0, 2, 5, 7, 10});
    // 25 frames a second: the third to the tenth are held.
    CHECK(plan({"motion.speed=50", "motion.places=0.08-0.4:hold"}).frames ==
          std::vector<std::int64_t>{0, 1, 10, 11, 12});
    Inspection twice;
    twice.duplicates = {4};
    CHECK_FALSE(std::ranges::count(
        doubtPlan(*resolve(reader, twice, ticketOf({"motion.speed=50", "motion.duplicates=replace"})), 99, {}).frames,
        4));

    // Where movement leads, told of any frame: four pixels to the left.
    const DeliveryPtr d = resolve(reader, Inspection{}, Ticket{});
    const auto paths = pathsAt(engine, *d, 3, {});
    REQUIRE(paths);
    std::vector<float> across;
    const Rect field = paths->planes[0].area();
    for (int y = field.h / 4; y < field.h * 3 / 4; ++y)
        for (int x = field.w / 4; x < field.w * 3 / 4; ++x) across.push_back(paths->planes[0].at(x, y));
    std::ranges::nth_element(across, across.begin() + std::ptrdiff_t(across.size() / 2));
    CHECK(across[across.size() / 2] == Approx(-4).margin(0.3));
    CHECK_FALSE(pathsAt(engine, *d, 13, {}));
}

TEST_CASE(
    "judder is measured before and after: repeats stray until they are replaced, a rate that does not fit strays") {
    const Film film({.width = 128, .height = 64, .frames = 60, .fps = {30, 1}});
    const ClipPtr clip = film.clip;
    const auto judder = [&](const std::vector<std::string>& settings, const Inspection& found = {}) {
        return judderOf(clip, ticketOf(settings), found);
    };
    CHECK(judder({"motion.fps=30"}).before == Approx(0).margin(0.01));
    CHECK(judder({"motion.fps=30"}).after == Approx(0).margin(0.01));
    CHECK(judder({"motion.fps=60", "motion.method=hold"}).after == Approx(1000.0 / 120).margin(0.2));
    CHECK(judder({"motion.fps=60"}).after == Approx(0).margin(0.2));
    Inspection found; // every fifth repeats the one before: 24 frames spread over 30
    for (std::int64_t n = 4; n < 60; n += 5) found.duplicates.push_back(n);
    found.repeats = {1, 5};
    // Four frames 1/24 s apart are shown 1/30 s apart, the last twice: 0, 8.3, 16.7, 25 ms early, then 8.3 late.
    CHECK(judder({"motion.fps=30"}, found).before == Approx(11.8).margin(0.3));
    CHECK(judder({"motion.fps=30"}, found).after == Approx(judder({"motion.fps=30"}, found).before));
    CHECK(judder({"motion.duplicates=replace"}, found).after < 0.5);
    CHECK(judder({"motion.duplicates=remove"}, found).after < 0.5);
    // What places and shutters of the ticket do is no part of what a rate would cost without in-betweens.
    const auto held = [&](const std::vector<std::string>& settings) {
        return cadencesOf(clip, ticketOf(settings), {}, {60})[0].judder;
    };
    CHECK(held({"motion.fps=60", "motion.places=0-1.5:blend", "motion.shutter=180"}) ==
          Approx(held({"motion.fps=60"})));
}
