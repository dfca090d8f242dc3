// One's own mark and fades: on the finished picture, when and where they were asked for; what a destination covers.
#include "core/base/error.h"
#include "core/deliver/export.h"
#include "core/engine/engine.h"
#include "core/finish/mark_stage.h"
#include "core/media/png.h"
#include "core/media/sound_reader.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <fstream>

using namespace ulm;
using test::TempFolder;

namespace {

struct Film {
    explicit Film(test::ClipRecipe recipe = {.width = 192, .height = 108, .frames = 50}) {
        test::writeClip(folder / "a.mp4", recipe);
        reader =
            std::make_shared<FrameReader>(Clip::openVideo(folder / "a.mp4"), PacketDecoder::Threads::Single, 8 << 20);
    }
    DeliveryPtr with(const std::vector<std::string>& settings, const std::optional<Target>& target = {},
                     const Inspection& found = {}) const {
        Ticket t;
        setByAssignment(t, "finish.sharpen.amount=0");
        for (const std::string& s : settings) setByAssignment(t, s);
        return resolve(reader, found, t, target);
    }
    TempFolder folder;
    std::shared_ptr<FrameReader> reader;
};

Picture at(const DeliveryPtr& d, std::int64_t k) {
    return Engine(0).pull(*d->result, d->at(k).stage, d->result->format().frame(), {});
}

// The box of what differs.
Rect changed(const Picture& a, const Picture& b) {
    Rect box;
    for (int y = 0; y < a.format.height; ++y)
        for (int x = 0; x < a.format.width; ++x)
            if (std::abs(a.planes[0].at(x, y) - b.planes[0].at(x, y)) > 0.02f) {
                const Rect here{x, y, 1, 1};
                box = box.empty() ? here
                                  : Rect{std::min(box.x, x), std::min(box.y, y),
                                         std::max(box.right(), x + 1) - std::min(box.x, x),
                                         std::max(box.bottom(), y + 1) - std::min(box.y, y)};
            }
    return box;
}

// A PNG of one colour, written by our own encoder: opaque.
std::string colouredPng(const TempFolder& folder, int w, int h, float r, float g, float b) {
    PictureFormat f = test::format(w, h, 0);
    f.colour.matrix = 0;
    Picture p = Picture::make(f, f.frame());
    const float of[] = {r, g, b};
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < h; ++y) std::fill_n(p.planes[c].row(y), w, of[c]);
    const std::string path = folder / "mark.png";
    std::ofstream(path, std::ios::binary) << pngOf(p, 8);
    return path;
}

Target covering(double top, double bottom, double left, double right) {
    return targetFromJson({{"name", "feed"},
                           {"title", "Feed"},
                           {"covered", {{"top", top}, {"bottom", bottom}, {"left", left}, {"right", right}}}},
                          "card.json");
}

} // namespace

TEST_CASE("words are laid where they were asked to, as wide as they were asked to, and nothing else changes") {
    const Film film;
    const Picture plain = at(film.with({}), 10);
    for (const auto& [place, x, y] :
         {std::tuple{"bottom", 0.5, 0.85}, {"top left", 0.25, 0.15}, {"right", 0.75, 0.5}}) {
        const Picture marked = at(film.with({"finish.mark.text=Tern Street", std::string("finish.mark.place=") + place,
                                             "finish.mark.size=40"}),
                                  10);
        const Rect box = changed(plain, marked);
        INFO(place);
        CHECK(box.w == Approx(0.4 * 192).margin(8));
        CHECK((box.x + box.w / 2.0) / 192 == Approx(x).margin(0.06));
        CHECK((box.y + box.h / 2.0) / 108 == Approx(y).margin(0.07));
        CHECK(box.x >= 3);
        CHECK(box.bottom() <= 108 - 2);
    }
    // White letters: bright somewhere.
    const Picture bright =
        at(film.with({"finish.mark.text=Tern", "finish.mark.opacity=100", "finish.mark.size=60"}), 10);
    const Rect box = changed(plain, bright);
    float most = 0;
    for (int y = box.y; y < box.bottom(); ++y)
        for (int x = box.x; x < box.right(); ++x) most = std::max(most, bright.planes[0].at(x, y));
    CHECK(most > 0.97f);
}

TEST_CASE("a picture as a mark keeps its colour, and covers as much as its opacity says") {
    const Film film;
    const std::string file = colouredPng(film.folder, 30, 20, 1, 0, 0);
    const Picture plain = at(film.with({}), 5);
    const Picture full = at(film.with({"finish.mark.file=" + file, "finish.mark.size=25", "finish.mark.opacity=100",
                                       "finish.mark.place=middle"}),
                            5);
    CHECK(full.planes[0].at(96, 54) == Approx(0.2126).margin(0.09)); // 601 or 709
    CHECK(full.planes[2].at(48, 27) == Approx(0.5).margin(0.01));
    const Picture half = at(film.with({"finish.mark.file=" + file, "finish.mark.size=25", "finish.mark.opacity=50",
                                       "finish.mark.place=middle"}),
                            5);
    CHECK(half.planes[0].at(96, 54) ==
          Approx((full.planes[0].at(96, 54) + plain.planes[0].at(96, 54)) / 2).margin(0.01));
    const Rect box = changed(plain, full);
    CHECK(box.w <= 49);
    CHECK(box.h <= 34);
}

TEST_CASE("a mark comes and goes when it was asked to, in seconds of the movie") {
    const Film film;
    const DeliveryPtr with = film.with({"finish.mark.text=Tern", "finish.mark.from=0.5", "finish.mark.to=1.4"}),
                      plain = film.with({});
    for (const auto& [frame, seen] :
         {std::pair{3, false}, {12, false}, {20, true}, {30, true}, {36, false}, {45, false}})
        CHECK(!changed(at(plain, frame), at(with, frame)).empty() == seen);
    const DeliveryPtr slow =
        film.with({"finish.mark.text=Tern", "finish.mark.from=2", "motion.speed=50", "motion.method=hold"});
    CHECK(changed(at(film.with({"motion.speed=50", "motion.method=hold"}), 40), at(slow, 40)).empty());
    CHECK(!changed(at(film.with({"motion.speed=50", "motion.method=hold"}), 70), at(slow, 70)).empty());
}

TEST_CASE("a mark lies clear of what the destination covers, and what lies under it is told") {
    const Film film;
    const Target feed = covering(0, 30, 0, 20);
    CHECK(feed.freeOf({1000, 500}) == Rect{0, 0, 800, 350});
    const Rect box = changed(at(film.with({}, feed), 9), at(film.with({"finish.mark.text=Tern"}, feed), 9));
    CHECK(box.bottom() < 108 * 0.7);
    CHECK(box.right() < 192 * 0.8);
    Inspection found;
    found.complete = true;
    found.faces = {{10, {80, 84, 20, 20}, 0.9}};
    found.text = {{10, {20, 20, 60, 12}, 0.9}};
    const auto told = [](const std::vector<std::string>& all, const char* what) {
        return std::ranges::any_of(all, [&](const std::string& s) { return s.find(what) != s.npos; });
    };
    const auto remarks = film.with({}, feed, found)->remarks();
    CHECK(told(remarks, "a face comes to lie under what Feed covers, at 0.4 s"));
    CHECK(!told(remarks, "writing"));
    CHECK(!told(film.with({}, covering(30, 0, 0, 0), found)->remarks(), "a face"));
    CHECK(told(film.with({}, covering(30, 0, 0, 0), found)->remarks(), "writing"));
    CHECK_THROWS_WITH(covering(0, 80, 0, 0), Catch::Contains("bottom"));
}

TEST_CASE("a crop that follows keeps the subject in the middle of what the destination leaves free") {
    const Film film;
    Inspection found;
    found.complete = true;
    for (int n = 0; n < 50; ++n) found.subject.places.push_back({0.45f, 0.5f, 0.05f, 0.2f});
    found.subject.shots = {{.faces = 1, .confidence = 1}};
    const std::vector<std::string> follows = {"frame.aspect=9:16", "frame.follow=subject"};
    const auto placeOf = [&](const std::optional<Target>& target) {
        const FramingPlan p = film.with(follows, target, found)->planAt(25);
        return (0.45 * 192 - p.srcX) / p.srcW; // the subject's, in the window
    };
    CHECK(placeOf({}) == Approx(0.5).margin(0.02));
    CHECK(placeOf(covering(0, 0, 0, 30)) == Approx(0.35).margin(0.02));
    CHECK(placeOf(covering(0, 0, 40, 0)) == Approx(0.7).margin(0.02));
}

TEST_CASE("a picture that is none, or is missing, is refused in words") {
    const Film film;
    std::ofstream(film.folder / "no.png") << "not a picture";
    std::ofstream(film.folder / "empty.png") << "";
    for (const char* name : {"no.png", "empty.png", "missing.png"})
        CHECK_THROWS_WITH(film.with({std::string("finish.mark.file=") + (film.folder / name)}),
                          Catch::Contains(name) && Catch::Contains("Choose a PNG"));
    Ticket t;
    CHECK_THROWS(setByKey(t, "finish.mark.file", "a.jpg"));
    CHECK_THROWS(setByKey(t, "finish.mark.text", std::string(121, 'x')));
    // A type without the letters says so, and leaves the picture alone.
    const DeliveryPtr none = film.with({"finish.mark.text=\xE6\xBC\xA2"});
    CHECK(changed(at(film.with({}), 3), at(none, 3)).empty());
    CHECK(none->note.find("cannot be drawn") != std::string::npos);
    const DeliveryPtr part = film.with({"finish.mark.text=Tern \xE6\xBC\xA2"});
    CHECK(part->note.find("drawn without \xE6\xBC\xA2:") != std::string::npos);
    CHECK(film.with({"finish.mark.text=T\xC3\xB6rn Street"})->note.empty());
    CHECK(film.with({"finish.mark.text=Tern", "finish.mark.from=5"})->note.find("never seen") != std::string::npos);
    // More pixels than are ever needed are not read: a head that says so is enough.
    std::string large = "\x89PNG\r\n\x1a\n" + std::string("\0\0\0\x0dIHDR\0\0\x1f\xf0\0\0\x1f\xf0\x08\x06\0\0\0", 21);
    std::ofstream(film.folder / "large.png", std::ios::binary) << large;
    CHECK_THROWS_WITH(film.with({"finish.mark.file=" + (film.folder / "large.png")}),
                      Catch::Contains("it is too large"));
}

TEST_CASE("fades go from black and to black over the movie's own seconds, and the sound goes along") {
    const Film film({.width = 96, .height = 64, .frames = 50, .sound = true});
    const DeliveryPtr d = film.with({"finish.fade.in=0.4", "finish.fade.out=0.8"}), plain = film.with({});
    const auto light = [](const Picture& p) { return p.planes[0].at(30, 50); };
    CHECK(light(at(d, 0)) == Approx(0).margin(1e-6));
    CHECK(light(at(d, 5)) == Approx(0.5 * light(at(plain, 5))).margin(1e-5));
    CHECK(light(at(d, 20)) == light(at(plain, 20)));
    CHECK(light(at(d, 40)) == Approx(0.5 * light(at(plain, 40))).margin(1e-5));
    ExportJob job;
    job.source = film.folder / "a.mp4";
    job.output = film.folder / "out.mp4";
    job.ticket = d->ticket;
    const ExportReport r = exportClip(job, {}, {});
    CHECK(std::ranges::any_of(r.remarks, [](const auto& s) { return s.find("fades with the picture") != s.npos; }));
    const PlainSound sound = readSound(r.output, 10, {});
    const auto loud = [&](double from, double to) {
        double sum = 0;
        const auto a = std::size_t(from * PlainSound::kRate) * 2, b = std::size_t(to * PlainSound::kRate) * 2;
        for (std::size_t i = a; i < b && i < sound.samples.size(); ++i) sum += std::pow(double(sound.samples[i]), 2);
        return std::sqrt(sum / double(b - a));
    };
    const double full = loud(0.6, 1.0);
    CHECK(loud(0, 0.05) < 0.05 * full);
    CHECK(loud(0.18, 0.22) == Approx(0.25 * full).epsilon(0.25));
    CHECK(loud(1.58, 1.62) == Approx(0.25 * full).epsilon(0.25));
    CHECK(loud(1.93, 1.98) < 0.05 * full);
}

TEST_CASE("marks and fades keep the contract of stages") {
    const auto pattern = std::make_shared<test::PatternStage>(test::format(48, 32, 1), 4);
    Cover c{13, 9, std::vector<float>(13 * 9 * 4)};
    for (std::size_t i = 0; i < c.rgba.size(); ++i) c.rgba[i] = float(i % 7) / 7;
    const Shows growing{[](std::int64_t n) { return double(n) / 4; }, 3};
    test::checkContract(*marked(pattern, c, 6, 4, growing));
    test::checkContract(*marked(pattern, c, 40, 28, growing)); // runs over the border
    test::checkContract(*fadedToBlack(pattern, growing));
    test::checkKeys({[&] { return marked(pattern, c, 6, 4, growing); },
                     [&] { return marked(pattern, c, 8, 4, growing); },
                     [&] {
                         return marked(pattern, c, 6, 4, {growing.at, 4});
                     },
                     [&] { return fadedToBlack(pattern, growing); }});
}
