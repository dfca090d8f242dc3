#include "core/inspect/fault_measures.h"
#include "core/inspect/inspection.h"
#include "core/inspect/things.h"
#include "core/media/source_stage.h"
#include "demo/scenes/canvas.h"
#include "demo/scenes/scene.h"
#include "demo/synth.h"
#include "tests/support/clips.h"
#include "tests/support/skipped.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>

using namespace ulm;

namespace {

Picture grey(int w, int h, const std::function<float(int, int)>& f) {
    PictureFormat format{w, h};
    Picture p = Picture::make(format, format.frame());
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) p.planes[0].row(y)[x] = f(x, y);
    for (int c : {1, 2})
        for (int y = 0; y < p.planes[c].area().h; ++y) std::fill_n(p.planes[c].row(y), p.planes[c].area().w, 0.f);
    return p;
}

void sawtoothSound(const std::string& path, double level, double silentFrom) {
    std::vector<float> samples(48000 * 4);
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double t = double(i) / 48000;
        samples[i] = t < silentFrom ? static_cast<float>(level * std::sin(2 * M_PI * 997 * t)) : 0.f;
    }
    demo::writeWav(samples, path);
}

} // namespace

TEST_CASE("letters are found where they stand, and not in texture or on plain ground") {
    demo::Canvas c(480, 270);
    for (auto& p : c.pixels) p = {0.8f, 0.8f, 0.75f};
    demo::drawText(c, "Stoneware bowl 24.50", 0.15f, 0.40f, 0.13f, {0.1f, 0.1f, 0.1f});
    const Picture p = grey(480, 270, [&](int x, int y) { return c.at(x, y).g; });
    const auto found = findText(p.planes[0], 7);
    REQUIRE_FALSE(found.empty());
    Rect all = found[0].box;
    for (const Mark& m : found) {
        CHECK(m.frame == 7);
        CHECK((m.box.y > 70 && m.box.bottom() < 190));
        all = {std::min(all.x, m.box.x), 0, std::max(all.right(), m.box.right()) - std::min(all.x, m.box.x), 1};
    }
    CHECK(all.w > 200);
    demo::Canvas plain(480, 270);
    demo::makeKiln(480, 270, 3)->draw(1, plain);
    CHECK(findText(grey(480, 270, [&](int x, int y) { return plain.at(x, y).g; }).planes[0], 0).empty());
    CHECK(
        findText(grey(480, 270, [](int x, int y) { return 0.3f + 0.4f * demo::fractal(float(x) / 4, float(y) / 4, 3); })
                     .planes[0],
                 0)
            .empty());
    CHECK(findText(grey(480, 270, [](int x, int) { return float(x) / 480; }).planes[0], 0).empty());
    CHECK(findText(grey(8, 8, [](int, int) { return 0.5f; }).planes[0], 0).empty());
}

TEST_CASE("no face is seen in pottery, and tiny pictures are refused quietly") {
    CHECK(findFaces(test::photograph(320, 240), 0).empty());
    CHECK(findFaces(grey(20, 20, [](int, int) { return 0.f; }), 0).empty());
}

namespace {

const std::string kFilm = "/usr/share/doc/opencv-doc/examples/data/Megamind.avi"; // drawn people
bool hasFilm() {
    if (std::filesystem::exists(kFilm)) return true;
    test::skipped("Debian's opencv-doc is here without its movies, as on systems that leave documentation out");
    return false;
}
Picture filmFrame(std::int64_t n) {
    const SourceStage source(
        std::make_shared<FrameReader>(Clip::openVideo(kFilm), PacketDecoder::Threads::Frames, std::size_t(16) << 20));
    Picture p = Picture::make(source.format(), source.format().frame());
    source.compute(n, {}, p, {});
    return p;
}

} // namespace

TEST_CASE("a face's box has the middle of its head in the middle, whichever way it looks") {
    if (!hasFilm()) return;
    struct Head {
        std::int64_t frame;
        double left, right; // marked by eye, of the picture's width
    };
    for (const Head& h : {Head{24, .29, .56}, Head{49, .28, .51}, Head{73, .33, .56}, Head{98, .555, .835},
                          Head{147, .56, .87}, Head{171, .29, .52}}) {
        const Picture seen = filmFrame(h.frame);
        Picture mirrored = Picture::make(seen.format, seen.format.frame());
        for (std::size_t c = 0; c < 3; ++c)
            for (int y = 0; y < seen.planes[c].area().h; ++y)
                std::reverse_copy(seen.planes[c].row(y), seen.planes[c].row(y) + seen.planes[c].area().w,
                                  mirrored.planes[c].row(y));
        const auto middleIn = [](const Picture& p) {
            const std::vector<Mark> found = findFaces(p, 0);
            REQUIRE(!found.empty());
            return (found[0].box.x + found[0].box.w / 2.0) / p.format.width;
        };
        INFO(h.frame);
        CHECK(middleIn(seen) == Approx((h.left + h.right) / 2).margin(0.025));
        CHECK(middleIn(mirrored) == Approx(1 - (h.left + h.right) / 2).margin(0.025));
    }
}

TEST_CASE("a head is sought in a box alone, though nothing there is surely a face") {
    CHECK_FALSE(findHead(grey(20, 20, [](int, int) { return 0.5f; }), {0, 0, 20, 20}));
    if (!hasFilm()) return;
    const Picture seen = filmFrame(122); // a face's middle at 0.67 of the width
    const int w = seen.format.width, h = seen.format.height;
    const auto head = findHead(seen, {w / 2, 0, w / 2, h});
    REQUIRE(head);
    CHECK((head->x + head->w / 2.0) / w == Approx(0.67).margin(0.05));
    if (const auto other = findHead(seen, {0, 0, w / 4, h})) CHECK(other->x + other->w / 2 < w / 4);
}

TEST_CASE("faces are found: turned aside, eyes shut, and small in the corner of a wide picture") {
    if (!hasFilm()) return;
    const auto holds = [](const std::vector<Mark>& found, int x, int y, int least, int most) {
        return std::ranges::any_of(found, [&](const Mark& m) {
            return m.frame == 9 && m.box.w >= least && m.box.w <= most && m.confidence >= 0.6 &&
                   Rect{x, y, 1, 1}.intersected(m.box) == Rect{x, y, 1, 1};
        });
    };
    // Noses as the eye finds them in 720×528.
    CHECK(holds(findFaces(filmFrame(73), 9), 350, 285, 100, 220));  // eyes shut
    CHECK(holds(findFaces(filmFrame(122), 9), 455, 270, 110, 240)); // turned aside
    CHECK(holds(findFaces(filmFrame(245), 9), 400, 220, 180, 340));
    CHECK(findFaces(filmFrame(0), 9).empty()); // black

    const Picture one = filmFrame(171);
    PictureFormat wide = one.format;
    wide.width = 1280, wide.height = 720;
    Picture corner = Picture::make(wide, wide.frame());
    for (int c = 0; c < 3; ++c) {
        Plane& to = corner.planes[std::size_t(c)];
        for (int y = 0; y < to.area().h; ++y) std::fill_n(to.row(y), to.area().w, c ? 0.f : 0.4f);
        // A third of its size, in the lower right corner.
        const Plane& from = one.planes[std::size_t(c)];
        const int w = from.area().w / 3, h = from.area().h / 3;
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x)
                to.row(to.area().h - h + y)[to.area().w - w + x] =
                    (from.at(3 * x, 3 * y) + from.at(3 * x + 1, 3 * y + 1) + from.at(3 * x + 2, 3 * y + 2)) / 3;
    }
    // 53 of 1280 pixels wide; its middle lay at (285, 240).
    CHECK(holds(findFaces(corner, 9), 1280 - 240 + 95, 720 - 176 + 80, 35, 90));
}

TEST_CASE("people are found, walking far away and filling the picture; a tiny picture is refused quietly") {
    CHECK(findThings(grey(20, 20, [](int, int) { return 0.f; }), 0).empty());
    const auto frameOf = [](const std::string& name, std::int64_t n) {
        const std::string film = "/usr/share/doc/opencv-doc/examples/data/" + name;
        if (!std::filesystem::exists(film)) return Picture{};
        const SourceStage source(std::make_shared<FrameReader>(Clip::openVideo(film), PacketDecoder::Threads::Frames,
                                                               std::size_t(16) << 20));
        Picture p = Picture::make(source.format(), source.format().frame());
        source.compute(n, {}, p, {});
        return p;
    };
    const Picture street = frameOf("vtest.avi", 100), film = frameOf("Megamind.avi", 245);
    if (street.area.empty() || film.area.empty()) {
        test::skipped("Debian's opencv-doc is here without its movies, as on systems that leave documentation out");
        return;
    }
    // People as the eye finds them in 768×576: whole boxes lie within a few pixels.
    const std::vector<Thing> walkers = findThings(street, 7);
    for (const Rect& person : {Rect{582, 154, 42, 82}, Rect{490, 150, 32, 70}, Rect{343, 200, 34, 80}}) {
        INFO(person.x);
        CHECK(std::ranges::any_of(walkers, [&](const Thing& t) {
            const double shared = double(t.mark.box.intersected(person).pixels());
            return t.being == Being::Person && t.mark.frame == 7 && t.mark.confidence > 0.3 &&
                   shared > 0.5 * double(t.mark.box.pixels()) && shared > 0.5 * double(person.pixels());
        }));
    }
    CHECK(std::ranges::is_sorted(walkers, std::greater{}, [](const Thing& t) { return t.mark.confidence; }));
    const std::vector<Thing> near = findThings(film, 0);
    REQUIRE_FALSE(near.empty());
    CHECK(near[0].being == Being::Person);
    CHECK(near[0].mark.box.w > film.area.w / 2);
}

TEST_CASE("black bars are measured; a dark picture has none") {
    BarFinder bars, plain, black;
    for (int t = 0; t < 3; ++t) {
        bars.add(grey(320, 180, [&](int x, int y) {
                     return y < 22 || y >= 158 ? 0.f : 0.2f + 0.001f * float((x * 7 + t) % 90);
                 }).planes[0]);
        plain.add(grey(320, 180, [&](int x, int y) { return 0.05f + 0.0005f * float((x + y + t) % 60); }).planes[0]);
        black.add(grey(320, 180, [](int, int) { return 0.f; }).planes[0]);
    }
    CHECK(bars.inside() == Rect{0, 22, 320, 136});
    CHECK(plain.inside() == Rect{0, 0, 320, 180});
    CHECK(black.inside().empty()); // nothing was seen: nothing is claimed
}

TEST_CASE("a logo that stays while the picture moves is found; a still scene has none") {
    OverlayFinder moving, still;
    for (int t = 0; t < 8; ++t) {
        const auto picture = [&](double shift) {
            return grey(480, 270, [=](int x, int y) {
                const bool logo = x >= 400 && x < 450 && y >= 20 && y < 50 && (x / 5 + y / 5) % 2;
                return logo ? 0.95f : float(0.45 + 0.25 * std::sin((x + shift) * 0.09) * std::cos((y + shift) * 0.11));
            });
        };
        moving.add(picture(23.0 * t).planes[0]);
        still.add(picture(0).planes[0]);
    }
    const auto found = moving.find();
    REQUIRE_FALSE(found.empty());
    const Rect box = found[0].box;
    INFO("box " << box.x << "," << box.y << " " << box.w << "×" << box.h);
    CHECK(box.grown(12).contains({400, 20, 50, 30}));
    CHECK(box.w < 90);
    CHECK(still.find().empty());
}

TEST_CASE("interlaced movement is told with its field order, and progressive movement is not combed") {
    const auto frame = [](double at) {
        return grey(320, 192, [=](int x, int y) { return std::sin((x - 6 * at) * 0.15 + y * 0.01) > 0 ? 0.8f : 0.2f; });
    };
    // Fields of half a frame's distance: top first.
    const auto woven = [&](double first, double second) {
        const Picture a = frame(first), b = frame(second);
        return grey(320, 192, [&](int x, int y) { return y % 2 ? b.planes[0].at(x, y) : a.planes[0].at(x, y); });
    };
    const Picture top = woven(0, 0.5), nextTop = woven(1, 1.5), plain = frame(0), nextPlain = frame(1);
    CHECK(lookAt(top, &nextTop.planes[0]).readings.combing > 10);
    CHECK(lookAt(plain, &nextPlain.planes[0]).readings.combing < 1);
    CHECK(lookAt(plain, &plain.planes[0]).readings.combing == 0);
}

TEST_CASE("the reading of original lines tells an enlarged picture from a sharp one") {
    const Picture sharp = test::photograph(640, 384, 5);
    const double full = measure::detail(sharp.planes[0]);
    // Every second sample, and a straight line between: half the lines are left.
    const Picture half = grey(640, 384, [&](int x, int y) {
        const auto at = [&](int i, int j) { return sharp.planes[0].at(std::min(i, 639), std::min(j, 383)); };
        const int x0 = x / 4 * 4, y0 = y / 4 * 4;
        const float fx = float(x - x0) / 4, fy = float(y - y0) / 4;
        return (at(x0, y0) * (1 - fx) + at(x0 + 4, y0) * fx) * (1 - fy) +
               (at(x0, y0 + 4) * (1 - fx) + at(x0 + 4, y0 + 4) * fx) * fy;
    });
    INFO("full " << full << " quarter " << measure::detail(half.planes[0]));
    CHECK(full > 0.6);
    CHECK(measure::detail(half.planes[0]) < 0.6 * full);
    CHECK(measure::detail(grey(640, 384, [](int, int) { return 0.4f; }).planes[0]) == 0);
}

TEST_CASE("loudness and true peak of a tone agree with what it is, and clipping, silence and no sound are told") {
    test::TempFolder folder;
    // EBU Tech 3341's first case: a 1 kHz stereo sine of −23 dBFS reads −23 LUFS.
    sawtoothSound(folder / "tone.wav", std::pow(10, -23 / 20.0), 100);
    const SoundReadings tone = readSoundFaults(folder / "tone.wav", 60, {});
    REQUIRE(tone.any);
    CHECK(tone.loudness == Approx(-23).margin(0.3));
    CHECK(tone.truePeak == Approx(-23).margin(0.4));
    CHECK(tone.clippedShare == 0);
    CHECK(tone.silences.empty());
    CHECK(tone.momentary.size() == 40);
    sawtoothSound(folder / "loud.wav", 4, 2);
    const SoundReadings loud = readSoundFaults(folder / "loud.wav", 60, {});
    CHECK(loud.clippedShare > 10);
    CHECK(loud.truePeak > -0.5);
    REQUIRE(loud.silences.size() == 1);
    CHECK(loud.silences[0].first == Approx(2).margin(0.06));
    CHECK(loud.silences[0].second == Approx(4).margin(0.06));
    sawtoothSound(folder / "still.wav", 0, 0);
    const SoundReadings still = readSoundFaults(folder / "still.wav", 60, {});
    CHECK(still.loudness == -70);
    CHECK(still.truePeak == -99);
    test::ClipRecipe silent;
    test::writeClip(folder / "silent.mp4", silent);
    CHECK_FALSE(readSoundFaults(folder / "silent.mp4", 60, {}).any);
}
