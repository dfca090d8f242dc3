// When instants of the clip are shown: ramps, halts, backwards, a length that was asked for, pictures of fields.
#include "core/base/error.h"
#include "core/deliver/export.h"
#include "core/engine/engine.h"
#include "core/media/deinterlace_stage.h"
#include "core/media/sound_reader.h"
#include "core/pipeline/cadence.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/sound_step.h"
#include "tests/support/clips.h"
#include "tests/support/film.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::Film;
using test::TempFolder;
using test::ticketOf;

TEST_CASE("a map of times is its own inverse, whatever its ramps, halts and parts left out") {
    const std::vector<SpeedAt> ramps = {{0.5, 1}, {1.5, 0.25}, {2, 3}};
    const std::vector<FreezeAt> halts = {{1, 0.5}, {2.5, 1}};
    const std::vector<LeftOut> out = {{1.2, 1.7}, {2.9, 3.1}};
    for (const bool backwards : {false, true})
        for (const bool eased : {false, true})
            for (const double speed : {0.5, 1.0, 2.5}) {
                const TimeMap map({0.8, speed, ramps, eased, halts, out, backwards});
                CHECK(map.movieAt(0.8) == Approx(0).margin(1e-12));
                double last = backwards ? 1e9 : -1e9;
                for (double s = 0; s < 4; s += 0.037) {
                    const bool gone =
                        std::ranges::any_of(out, [&](const LeftOut& p) { return s >= p.from && s < p.to; });
                    if (!gone) CHECK(map.clipAt(map.movieAt(s)) == Approx(s).margin(1e-9));
                    if (!gone) CHECK((backwards ? map.movieAt(s) < last : map.movieAt(s) > last));
                    last = map.movieAt(s);
                }
                for (const LeftOut& p : out) CHECK(map.movieAt(p.from) == Approx(map.movieAt(p.to)));
            }
    // Against summing up tiny steps: a second from full to half speed takes 2 ln 2 seconds.
    const TimeMap ramp({0, 1, {{0, 1}, {1, 0.5}}, false, {}, {}, false});
    double sum = 0;
    for (int i = 0; i < 100000; ++i) sum += 1e-5 / (1 - 0.5 * (i + 0.5) * 1e-5);
    CHECK(ramp.movieAt(1) == Approx(sum).epsilon(1e-6));
    CHECK(ramp.movieAt(1) == Approx(2 * std::log(2)));
    // Eased, a second from full to half speed takes 4/3 s: the mean speed is 3/4; it sets off and arrives level.
    const TimeMap eased({0, 1, {{0, 1}, {1, 0.5}}, true, {}, {}, false});
    CHECK(eased.movieAt(1) == Approx(4.0 / 3));
    const auto speed = [&](double movie) { return (eased.clipAt(movie + 5e-4) - eased.clipAt(movie - 5e-4)) / 1e-3; };
    CHECK(speed(0.02) == Approx(1).margin(2e-3));
    CHECK(speed(2.0 / 3) == Approx(0.75).margin(1e-3));
    CHECK(speed(4.0 / 3 - 0.02) == Approx(0.5).margin(2e-3));
    // Before the first place of speed and after the last theirs hold, times the speed of all.
    const TimeMap between({0, 2, {{2, 0.25}, {4, 1}}, false, {}, {}, false});
    CHECK(between.movieAt(1) == Approx(2));
    CHECK(between.movieAt(5) - between.movieAt(4) == Approx(0.5));
    // A halt shows one instant for its whole length; one inside of what is left out does not.
    const TimeMap halt({0, 1, {}, false, {{1, 0.75}}, {}, false});
    CHECK(halt.movieAt(2) == Approx(2.75));
    CHECK(halt.clipAt(1.4) == Approx(1));
    CHECK(halt.clipAt(1.8) == Approx(1.05));
    CHECK(TimeMap({0, 1, {}, false, {{1, 0.75}, {1.2, 1}}, {{1, 1.5}}, false}).movieAt(2) == Approx(1.5));
}

TEST_CASE("parts that are left out are not shown, what remains is, and nothing is made up across a join") {
    const Film film; // 50 frames, 25 a second
    std::vector<int> left;
    for (int n = 0; n < 50; ++n)
        if (!(n >= 10 && n < 15) && !(n >= 30 && n < 40)) left.push_back(n);
    CHECK(film.shown({"stretch.without=0.4-0.6 1.2-1.6"}) == left);
    CHECK(film.shown({"stretch.without=0.4-0.6 1.2-1.6", "motion.reverse=true"}) ==
          std::vector<int>(left.rbegin(), left.rend()));
    CHECK(film.shown({"stretch.without=0.4-0.6 1.2-1.6", "motion.reverse=true", "motion.method=hold"}) ==
          std::vector<int>(left.rbegin(), left.rend()));
    // A part that reaches over an end moves that end; one outside counts for nothing.
    CHECK(film.shown({"stretch.without=0-0.2 1.8-9", "stretch.from=0.4", "stretch.to=0.6"}) ==
          std::vector<int>{10, 11, 12, 13, 14});
    const DeliveryPtr ends = film.with({"stretch.without=0-0.2 1.8-9"});
    CHECK(ends->frames() == 40);
    CHECK(ends->clock.untouched());
    // Between frame 9 and frame 15 no picture is made.
    const DeliveryPtr twice = film.with({"stretch.without=0.4-0.6", "motion.fps=50"});
    CHECK(twice->frames() == 90);
    for (std::int64_t k = 0; k < 90; ++k) {
        const double at = twice->clock.instantOf(twice->clock.first() + k);
        CHECK((at <= 9 || at >= 15));
        if (k == 19) CHECK(at == 9); // half a frame on there is nothing to go to
        if (k == 20) CHECK(at == 15);
    }
    const DeliveryPtr d = film.with({"stretch.without=0.4-0.6"});
    const auto told = d->remarks();
    CHECK(std::ranges::count(told, "one part is left out, 0.2 s of it") == 1);
    CHECK(film.with({"stretch.without=0.4-0.6", "motion.seconds=0.9"})->seconds() == Approx(0.9).margin(0.021));
    CHECK_THROWS_WITH(film.with({"stretch.without=0-5"}), Catch::Contains("all of it is left out"));
    for (const char* bad : {"1", "1-", "2-1", "1-2 1.5-3", "a-b", "1-2 2-3", "-1-2"}) CHECK(!leftOutWrong(bad).empty());
    CHECK(leftOutText({{3, 4}, {1, 2}, {2, 2.5}, {7, 7}}) == "1-2.5 3-4");
    CHECK(leftOutFrom("0:01.5-0:02")[0].from == 1.5);
}

TEST_CASE("the sound is joined where the pictures are") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 96, .height = 64, .frames = 75, .sound = true});
    const auto rendered = [&](const std::vector<std::string>& set) {
        ExportJob job;
        job.source = folder / "a.mp4";
        job.output = folder / (std::to_string(set.size()) + ".mp4");
        job.ticket = ticketOf(set);
        return exportClip(job, {}, {});
    };
    const ExportReport joined = rendered({"stretch.without=0.4-1.16 2-2.2"});
    CHECK(joined.seconds == Approx(2.04).margin(0.01));
    const PlainSound a = readSound(folder / "a.mp4", 30, {}), b = readSound(joined.output, 30, {});
    CHECK(double(b.samples.size()) / 2 / PlainSound::kRate == Approx(2.04).margin(0.05));
    // Wave against wave, well inside each of what remains: later by what was left out before it.
    const auto differ = [&](double movie, double clip) {
        double sum = 0, power = 0;
        for (int i = 0; i < PlainSound::kRate / 10; ++i) {
            const double x = a.samples[2 * (std::size_t(clip * PlainSound::kRate) + std::size_t(i))],
                         y = b.samples[2 * (std::size_t(movie * PlainSound::kRate) + std::size_t(i))];
            sum += (x - y) * (x - y), power += x * x;
        }
        return sum / power;
    };
    CHECK(differ(0.2, 0.2) < 0.02);
    CHECK(differ(0.8, 1.56) < 0.02);
    CHECK(differ(1.6, 2.56) < 0.02);
    CHECK(differ(0.8, 1.561) > 0.5); // a thousandth of a second late is heard here: 0.44 of a wave
    // It dips at the join instead of clicking.
    double least = 1;
    for (int i = -40; i < 40; ++i)
        least = std::min(least, std::abs(double(b.samples[2 * std::size_t(0.4 * PlainSound::kRate + i)])));
    CHECK(least < 0.01);
    CHECK(std::ranges::any_of(joined.remarks,
                              [](const auto& s) { return s.find("joined as the pictures are") != s.npos; }));
}

TEST_CASE("backwards every frame is shown once, the last one first; of a stretch too") {
    const Film film;
    const std::vector<int> all = film.shown({"motion.reverse=true", "motion.method=hold"});
    REQUIRE(all.size() == 50);
    for (std::size_t k = 0; k < 50; ++k) CHECK(all[k] == 49 - int(k));
    const std::vector<int> part =
        film.shown({"motion.reverse=true", "motion.method=hold", "stretch.from=0.4", "stretch.to=0.8"});
    CHECK(part == std::vector<int>{19, 18, 17, 16, 15, 14, 13, 12, 11, 10});
    CHECK(film.shown({"motion.reverse=true", "stretch.from=0.4", "stretch.to=0.8"}) == part);
    const DeliveryPtr d = film.with({"motion.reverse=true"});
    for (const std::int64_t n : {0, 7, 49}) CHECK(d->clock.sourceOf(d->clock.stageOf(n)) == n);
}

TEST_CASE("a halt repeats its frame for as long as it lasts, and a ramp slows what it crosses") {
    const Film film;
    const std::vector<int> halted = film.shown({"motion.freezes=0.4:0.2", "motion.method=hold"});
    REQUIRE(halted.size() == 55);
    CHECK(std::ranges::count(halted, 10) == 6);
    CHECK(std::ranges::count(halted, 11) == 1);
    const DeliveryPtr slow = film.with({"motion.ramps=0:100 1:50"});
    // One second by a ramp, one at half speed.
    CHECK(slow->seconds() == Approx(2 * std::log(2) + 2).epsilon(0.02));
    CHECK(slow->clock.instantOf(slow->clock.deliveredAt(3) + slow->clock.first()) ==
          Approx(25 * (1 + (3 - 2 * std::log(2)) / 2)).margin(0.6));
}

TEST_CASE("a length that is asked for is met by the speed, and refused where no speed does") {
    const Film film;
    for (const double seconds : {1.0, 3.0, 0.8})
        CHECK(film.with({"motion.seconds=" + std::to_string(seconds)})->seconds() == Approx(seconds).margin(0.021));
    CHECK(film.with({"motion.seconds=3", "motion.ramps=0:100 1:50", "motion.freezes=0.2:0.4"})->seconds() ==
          Approx(3).margin(0.03));
    CHECK(film.with({"motion.seconds=0.5", "stretch.from=0.2", "stretch.to=1.2"})->seconds() ==
          Approx(0.5).margin(0.021));
    CHECK_THROWS_WITH(film.with({"motion.seconds=0.2"}),
                      Catch::Contains("too fast") && Catch::Contains("0.5 s to 20 s"));
    CHECK_THROWS_WITH(film.with({"motion.seconds=60"}), Catch::Contains("too slow"));
}

TEST_CASE("places of speed and halts that cannot be are refused in words") {
    for (const char* bad : {"1", "1:", "1:2:3", "a:50", "-1:50", "2:50 1:50", "1:50 1:60", "1:4", "1:900", "nan:50"})
        CHECK(!rampsWrong(bad).empty());
    for (const char* bad : {"1:0", "1:61", "0.5:1 0.5:1", "1e9:1"}) CHECK(!freezesWrong(bad).empty());
    CHECK(rampsWrong("0:100 1.5:5 2:800").empty());
    CHECK(freezesWrong(" 0.5:0.01  2:60 ").empty());
    Ticket t;
    CHECK_THROWS_WITH(setByKey(t, "motion.ramps", "2:50 1:50"), Catch::Contains("in order of time"));
}

TEST_CASE("of a clip of fields every field becomes a picture of its own, half a frame apart") {
    const Film film;
    Inspection found;
    found.complete = true;
    found.fieldOrder = "top";
    found.cuts = {25};
    found.faces = {{10, {8, 8, 16, 16}, 0.9}};
    const DeliveryPtr d = film.with({"motion.deinterlace=fields"}, found);
    CHECK(d->fps() == Approx(50));
    CHECK(d->frames() == 100);
    for (const std::int64_t k : {0, 21, 22, 98}) {
        CHECK(d->clock.sourceOf(k) == k / 2);
        CHECK(d->clock.instantOf(k) == Approx(double(k) / 2));
    }
    // A clip without fields keeps its frames.
    CHECK(film.with({"motion.deinterlace=fields"})->frames() == 50);
    CHECK(film.with({"motion.deinterlace=fields", "motion.fps=25"}, found)->frames() == 50);
}

TEST_CASE("a bar that moves from field to field is where it was, in each picture of a field") {
    // Woven fields: on even lines the bar is at 4 t, on odd lines half a frame later.
    class Woven : public Stage {
    public:
        Woven() : Stage({}, {160, 64, 1, 1}, KeyMaker("woven")) {}
        const char* name() const override { return "woven"; }
        std::int64_t frames() const override { return 8; }
        std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
        void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
            for (std::size_t c = 0; c < 3; ++c) {
                const Rect r = out.planes[c].area();
                for (int y = r.y; y < r.bottom(); ++y)
                    for (int x = 0; x < r.w; ++x) {
                        const int at = int(8 * n) + (y % 2 ? 4 : 0) + 20;
                        out.planes[c].row(y)[x] = c ? 0.f : r.x + x >= at && r.x + x < at + 24 ? 0.8f : 0.2f;
                    }
            }
        }
    };
    const StagePtr s = fieldPictures(std::make_shared<Woven>(), true);
    REQUIRE(s->frames() == 16);
    Engine engine(std::size_t(16) << 20);
    for (const std::int64_t k : {6, 7, 8, 9}) {
        const Picture p = engine.pull(*s, k, s->format().frame(), {});
        const int at = int(4 * k) + 20;
        int wrong = 0;
        for (int y = 8; y < 56; ++y)
            for (int x = 0; x < 160; ++x)
                wrong += std::abs(p.planes[0].at(x, y) - (x >= at && x < at + 24 ? 0.8f : 0.2f)) > 0.2f;
        CHECK(wrong < 40); // of 7680
    }
}

TEST_CASE("sound follows a ramp at its own pitch, and is left out, and told so, where there is none that fits") {
    const Film film({.width = 96, .height = 64, .frames = 75, .sound = true});
    const auto rendered = [&](const std::vector<std::string>& set, const std::string& name) {
        ExportJob job;
        job.source = film.folder / "a.mp4";
        job.output = film.folder / name;
        job.ticket = ticketOf(set);
        return exportClip(job, {}, {});
    };
    const ExportReport slow = rendered({"motion.ramps=0:100 1:50 2:100", "motion.method=hold"}, "slow.mp4");
    const PlainSound sound = readSound(slow.output, 30, {});
    CHECK(double(sound.samples.size()) / 2 / PlainSound::kRate == Approx(slow.seconds).margin(0.1));
    // At its own pitch all the way: 440 Hz cross zero upwards so often, in the slowest place too.
    for (const double from : {0.2, 1.3, 2.6}) {
        int crossings = 0;
        for (std::size_t i = std::size_t(from * PlainSound::kRate); i < std::size_t((from + 0.5) * PlainSound::kRate);
             ++i)
            crossings += sound.samples[2 * i] < 0 && sound.samples[2 * i + 2] >= 0;
        CHECK(crossings == Approx(220).margin(8));
    }
    for (const char* set : {"motion.reverse=true", "motion.freezes=1:0.5"}) {
        const ExportReport r = rendered({set, "motion.method=hold"}, std::string(set).substr(7, 4) + ".mp4");
        CHECK(Clip::open(r.output)->facts().audio.empty());
        CHECK(std::ranges::any_of(r.remarks, [](const auto& s) { return s.find("sound is left out") != s.npos; }));
    }
}

TEST_CASE("what a frame rate costs is told: how many frames are made up, or how movement strays without") {
    const Film film; // 25 frames a second
    const std::vector<Cadence> all = cadencesOf(film.clip, Ticket{}, {}, {25, 50, 60, 30, 12.5});
    CHECK(all[0].made == 0);
    CHECK(all[0].judder == Approx(0).margin(0.01));
    CHECK(all[1].made == Approx(0.5).margin(0.02));
    CHECK(all[2].made == Approx(11.0 / 12).margin(0.02));
    CHECK(all[3].made == Approx(5.0 / 6).margin(0.03));
    // Every second frame of 50 shows its picture 20 ms late: half of that from the mean.
    CHECK(all[1].judder == Approx(10).margin(0.1));
    // Of 60, twelve frames show five of the clip's, late by 0, 16.7, 33.3, 10, 26.7, 3.3, 20, 36.7, 13.3, 30, 6.7, 23.3
    // ms.
    CHECK(all[2].judder == Approx(11.5).margin(1));
    CHECK(all[4].made == 0);
    CHECK(all[4].judder == Approx(0).margin(0.01));
    CHECK(told(all[0]) == "25: as filmed");
    CHECK(told({50, 0.5, 10}) == "50: 50 % made up, or 10 ms of judder");
    CHECK(told({12.5, 0, 3.2}) == "12.5: none made up, 3 ms of judder");
    // Slowed to half, 25 frames a second need one between two.
    CHECK(cadencesOf(film.clip, ticketOf({"motion.speed=50"}), {}, {25})[0].made == Approx(0.5).margin(0.02));
}
