#include "core/inspect/fault_measures.h"
#include "core/inspect/inspection.h"
#include "core/media/frame_convert.h"
#include "core/picture/gaussian.h"
#include "demo/damage.h"
#include "demo/scenes/scene.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;

namespace {

template <class F>
Picture changed(const Picture& in, const F& f) {
    Picture p = in;
    p.planes[0] = in.planes[0].copy();
    for (int y = 0; y < p.area.h; ++y)
        for (int x = 0; x < p.area.w; ++x) p.planes[0].row(y)[x] = f(x, y);
    return p;
}

Picture drawing(int w, int h) {
    demo::Canvas c(w, h);
    demo::makeIdent(w, h, 1)->draw(7, c);
    PictureFormat format{w, h};
    Picture p = Picture::make(format, format.frame());
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) p.planes[0].row(y)[x] = std::round(c.at(x, y).g * 219) / 219;
    for (const int k : {1, 2})
        for (int y = 0; y < p.planes[k].area().h; ++y) std::fill_n(p.planes[k].row(y), p.planes[k].area().w, 0.f);
    return p;
}

// Reads the same picture damaged more and more; each reading must exceed the last by `least`.
template <class Damage>
void mustRise(const Picture& clean, double Readings::*reading, std::initializer_list<double> steps, double least,
              const Damage& damage) {
    double last = lookAt(clean).readings.*reading;
    for (const double s : steps) {
        const double now = lookAt(damage(clean, s)).readings.*reading;
        INFO("step " << s << ": " << now << " after " << last);
        CHECK(now > last + least);
        last = now;
    }
}

} // namespace

TEST_CASE("haloes rise with careless sharpening, and a clean picture has few") {
    const Picture clean = test::photograph(480, 288, 4);
    CHECK(lookAt(clean).readings.haloes < findReading("haloes")->notable);
    mustRise(clean, &Readings::haloes, {0.3, 0.6, 1.0}, 0.5, [](const Picture& p, double amount) {
        Plane soft = Plane::make(p.area);
        gaussianBlur(p.planes[0], p.area, 2.2, soft);
        return changed(p, [&](int x, int y) {
            return p.planes[0].at(x, y) + float(amount) * (p.planes[0].at(x, y) - soft.at(x, y));
        });
    });
}

TEST_CASE("stair-steps rise as slanted edges lose their smoothing, on a drawing and on a scene") {
    for (const Picture& clean : {drawing(480, 480), test::photograph(480, 288, 9)}) {
        CHECK(lookAt(clean).readings.stairs < findReading("stairs")->notable);
        mustRise(clean, &Readings::stairs, {0.5, 1.0}, 8, [](const Picture& p, double share) {
            return changed(p, [&](int x, int y) {
                const float hard = p.planes[0].at(x / 2 * 2, y / 2 * 2);
                return p.planes[0].at(x, y) + float(share) * (hard - p.planes[0].at(x, y));
            });
        });
    }
}

TEST_CASE("banding rises with coarser levels in smooth tones; noise, texture and a blocky grid are not banding") {
    PictureFormat f{480, 288};
    Picture smooth = Picture::make(f, f.frame());
    for (Plane& p : smooth.planes)
        for (int y = 0; y < p.area().h; ++y)
            for (int x = 0; x < p.area().w; ++x)
                p.row(y)[x] = &p == &smooth.planes[0] ? float(0.2 + 0.5 * x / 480 + 0.1 * y / 288) : 0.f;
    CHECK(lookAt(smooth).readings.banding == 0);
    mustRise(smooth, &Readings::banding, {2, 4, 8}, 1, [](const Picture& p, double step) {
        return changed(p,
                       [&](int x, int y) { return float(std::round(p.planes[0].at(x, y) * 219 / step) * step / 219); });
    });
    CHECK(lookAt(test::photograph(480, 288)).readings.banding < findReading("banding")->notable);
    Picture noisy = changed(smooth, [&](int x, int y) { return smooth.planes[0].at(x, y); });
    test::addNoise(noisy, 3, 7);
    CHECK(lookAt(noisy).readings.banding < 2);
    // Steps on every eighth line in both directions are told as blocks.
    const Picture blocks =
        changed(smooth, [&](int x, int y) { return 0.4f + 0.012f * float((x / 8 * 7 + y / 8 * 5) % 3); });
    const Readings r = lookAt(blocks).readings;
    CHECK(r.blocking > 5);
    CHECK(r.banding < findReading("banding")->notable);
}

TEST_CASE(
    "crushed and clipped tones rise with what is lost; dark and bright pictures that keep their tones have none") {
    const Picture clean = test::photograph(320, 192, 21);
    const Picture dark = changed(clean, [&](int x, int y) { return 0.05f + 0.2f * clean.planes[0].at(x, y); });
    CHECK(lookAt(dark).readings.crushed < 0.5);
    CHECK(lookAt(clean).readings.clipped < 0.5);
    mustRise(clean, &Readings::crushed, {0.25, 0.35, 0.5}, 0.5, [](const Picture& p, double by) {
        return changed(p, [&](int x, int y) { return std::max(0.f, p.planes[0].at(x, y) - float(by)); });
    });
    mustRise(clean, &Readings::clipped, {1.6, 2.2, 3.0}, 0.5, [](const Picture& p, double by) {
        return changed(p, [&](int x, int y) { return std::min(1.f, p.planes[0].at(x, y) * float(by)); });
    });
}

TEST_CASE("a colour cast is read by as much as it was tinted, and a grey picture has none") {
    Picture grey = test::photograph(320, 192, 33);
    for (const int c : {1, 2}) {
        grey.planes[c] = grey.planes[c].copy();
        for (int y = 0; y < grey.planes[c].area().h; ++y)
            std::fill_n(grey.planes[c].row(y), grey.planes[c].area().w, 0.f);
    }
    CHECK(lookAt(grey).readings.cast == 0);
    for (const double steps : {6.0, 12.0, 20.0}) {
        Picture tinted = grey;
        for (const int c : {1, 2}) {
            tinted.planes[c] = grey.planes[c].copy();
            for (int y = 0; y < tinted.planes[c].area().h; ++y)
                std::fill_n(tinted.planes[c].row(y), tinted.planes[c].area().w,
                            float((c == 1 ? -0.6 : 0.8) * steps / 224));
        }
        CHECK(lookAt(tinted).readings.cast == Approx(steps).epsilon(0.02));
    }
}

TEST_CASE("noise is told apart by shadows, lights and colour") {
    PictureFormat f{320, 192};
    Picture half = Picture::make(f, f.frame());
    for (int y = 0; y < 192; ++y)
        for (int x = 0; x < 320; ++x) half.planes[0].row(y)[x] = x < 160 ? 0.15f : 0.8f;
    for (const int c : {1, 2})
        for (int y = 0; y < half.planes[c].area().h; ++y)
            std::fill_n(half.planes[c].row(y), half.planes[c].area().w, 0.f);
    Picture noisy = half;
    noisy.planes[0] = half.planes[0].copy();
    test::addNoise(noisy, 6, 3);
    const Picture darkOnly = changed(half, [&](int x, int y) { return (x < 160 ? noisy : half).planes[0].at(x, y); });
    const Readings r = lookAt(darkOnly).readings;
    CHECK(r.noiseDark == Approx(6).epsilon(0.12));
    CHECK(r.noiseBright < 0.3);
    CHECK(r.chromaNoise == 0);
    Picture coloured = half;
    coloured.planes[1] = half.planes[1].copy();
    Picture carrier = half;
    carrier.planes[0] = half.planes[1].copy();
    carrier.format = {160, 96};
    carrier.area = {0, 0, 160, 96};
    test::addNoise(carrier, 5, 11);
    coloured.planes[1] = carrier.planes[0];
    CHECK(lookAt(coloured).readings.chromaNoise == Approx(5).epsilon(0.15));
    CHECK(lookAt(coloured).readings.noise < 0.3);
}

TEST_CASE("a block grid is found at its offset, and at its size after enlarging") {
    Picture blocky = test::photograph(384, 256, 8);
    test::quantiseBlocks(blocky, 32);
    const measure::Blocking at0 = measure::blocking(blocky.planes[0]);
    CHECK(at0.grid.size == 8);
    CHECK(at0.grid.x == 0);
    CHECK(at0.grid.y == 0);
    const Plane shifted = blocky.planes[0].view({3, 5, 376, 248});
    Plane moved = Plane::make({0, 0, 376, 248});
    for (int y = 0; y < 248; ++y) std::copy_n(shifted.row(5 + y), 376, moved.row(y));
    const measure::Blocking at = measure::blocking(moved);
    CHECK(at.grid.x == 5);
    CHECK(at.grid.y == 3);
    // Every sample twice: lines every sixteen.
    Plane twice = Plane::make({0, 0, 768, 512});
    for (int y = 0; y < 512; ++y)
        for (int x = 0; x < 768; ++x) twice.row(y)[x] = blocky.planes[0].at(x / 2, y / 2);
    CHECK(measure::blocking(twice).grid.size == 16);
}

TEST_CASE("fault maps are strong where the fault is, pool with their neighbours, and give readings by pixel") {
    const Picture clean = test::photograph(384, 256, 12);
    Picture bad = test::photograph(384, 256, 12);
    test::quantiseBlocks(bad, 40);
    // Blocks in the left half only.
    const Picture half = changed(clean, [&](int x, int y) { return (x < 192 ? bad : clean).planes[0].at(x, y); });
    const PictureReading r = lookAt(half);
    const FaultMap& map = r.maps.at("blocking");
    double left = 0, right = 0;
    for (int row = 2; row < map.rows() - 2; ++row)
        for (int c = 2; c < map.columns() - 2; ++c)
            if (std::abs(c - map.columns() / 2) > 1) (c < map.columns() / 2 ? left : right) += map.at(c, row);
    CHECK(left > 4 * std::max(right, 1.0));
    CHECK(map.atPixel(40, 100) == map.at(40 / FaultMap::kBlock, 100 / FaultMap::kBlock));
    CHECK(map.atPixel(-1, 0) == 0);
    CHECK(map.atPixel(384, 0) == 0);
    FaultMap one({0, 0, 64, 64});
    one.add(20, 20, 9);
    CHECK(one.pooled().at(0, 0) == 9);
    CHECK(one.pooled().at(3, 3) == 0);
    CHECK(one.turned([](double v) { return v * 2; }).at(1, 1) == 18);
    CHECK(one.mean() == 9);
}

TEST_CASE(
    "prints of decoded frames equal those of their float pictures, at 8 and 10 bit, odd sizes and packed formats") {
    for (const auto format : {AV_PIX_FMT_YUV420P, AV_PIX_FMT_YUV420P10LE, AV_PIX_FMT_GRAY8, AV_PIX_FMT_RGB24}) {
        av::Frame f(av_frame_alloc());
        f->format = format, f->width = 203, f->height = 117;
        REQUIRE(av_frame_get_buffer(f.get(), 0) >= 0);
        for (int c = 0; c < 3 && f->data[c]; ++c)
            for (int y = 0; y < (c && format != AV_PIX_FMT_GRAY8 ? 59 : 117); ++y)
                for (int x = 0; x < f->linesize[c]; ++x)
                    f->data[c][y * f->linesize[c] + x] = format == AV_PIX_FMT_YUV420P10LE
                                                             ? static_cast<std::uint8_t>(x % 2 ? 1 : (x * 3 + y * 5))
                                                             : static_cast<std::uint8_t>(40 + (x * 3 + y * 5) % 150);
        Picture p = Picture::make(pictureFormatFor(format, 203, 117, {}), {0, 0, 203, 117});
        toPicture(*f, p);
        const Thumbprint a = thumbprint(*f, false), b = thumbprint(p.planes[0]);
        INFO(av_get_pix_fmt_name(format));
        CHECK(difference(a, b).most < 0.02);
        CHECK(likeness(a, b) > 0.999f);
    }
}

TEST_CASE("findings are ordered, told with a place and never claimed of a clean clip; advice follows them") {
    MediaFacts facts;
    facts.video.width = facts.video.codedWidth = 1920;
    facts.video.height = facts.video.codedHeight = 1080;
    facts.video.fps = 25;
    Inspection i;
    i.inside = {0, 0, 1920, 1080};
    CHECK(findings(i, facts).empty());
    CHECK(advise(i, facts).empty());
    i.readings.blocking = 30;
    i.readings.noise = 2;
    i.readings.compression = 60;
    i.worst["blocking"] = {40, 77, {10, 20, 48, 48}};
    i.confidence = {{"blocking", 0.9}, {"noise_sigma", 0.9}};
    auto found = findings(i, facts);
    REQUIRE(found.size() == 2);
    CHECK(found[0].key == "blocking");
    CHECK(found[0].frame == 77);
    CHECK(found[0].box == Rect{10, 20, 48, 48});
    CHECK(found[0].severity > found[1].severity);
    const auto advice = advise(i, facts);
    REQUIRE(advice.size() == 2);
    CHECK(advice[0].set.at("clean.blocks") == "measured");
    CHECK(advice[1].secondSet.at("clean.noise").starts_with("nudge:-"));
    CHECK(advice[0].why.find("network") != std::string::npos);
    // Who cleans it is told, and a modern encoder's smears are advised of though no block shows.
    i = {};
    i.inside = {0, 0, 1920, 1080};
    i.readings.blocking = 5;
    CHECK(advise(i, facts).at(0).why.find("Filters") != std::string::npos);
    i.readings.blocking = 0.6, i.readings.compression = 69;
    CHECK(advise(i, facts).at(0).what == "Clean what compression smeared");
    CHECK(advise(i, facts).at(0).why.find("network") != std::string::npos);
    i.readings.noise = 4; // then it is no hard encode
    CHECK(advise(i, facts).at(0).what == "Remove noise");
    // A small clip with bars and an enlarged one are told so.
    i = {};
    i.inside = {0, 140, 1920, 800};
    i.readings.detail = 0.35;
    i.confidence["detail"] = 0.8;
    const auto more = findings(i, facts);
    const auto has = [&](const char* key) {
        return std::ranges::any_of(more, [&](const Finding& f) { return f.key == key; });
    };
    CHECK(has("bars"));
    CHECK(has("detail"));
    CHECK(i.detailLines(1080) == 378);
    const auto cure = [&] {
        for (const Advice& a : advise(i, facts))
            if (a.step == "frame") return a.what;
        return std::string();
    };
    CHECK(cure() == "Cut off the black bars");
    std::swap(facts.video.width, facts.video.height); // a wide picture in an upright clip
    i.inside = {0, 656, 1080, 608};
    CHECK(cure() == "Fill the upright shape");
    i.inside = {0, 60, 1080, 1800};
    CHECK(cure() == "Cut off the black bars");
}

TEST_CASE("missing frames are to be filled in at the rate that was filmed, which keeps those that were") {
    MediaFacts facts;
    facts.video.width = 1920, facts.video.height = 1080;
    const auto advised = [&](double fps, double filmed, std::int64_t frames, std::int64_t missing) {
        facts.video.fps = fps, facts.video.frames = frames;
        Inspection i;
        i.framesLooked = frames;
        i.timing.missing = missing;
        i.timing.filmed = filmed;
        for (const Advice& a : advise(i, facts))
            if (a.step == "motion") return a.what + " " + a.set.at("motion.fps");
        return std::string();
    };
    CHECK(advised(22.5, 25.001, 90, 10) == "Fill in the missing frames 25.000");
    CHECK(advised(28.7711, 29.98, 96, 4) == "Fill in the missing frames 29.970");
    CHECK(advised(27.02, 30.01, 41, 5) == "Fill in the missing frames 30.000"); // a gap of five periods and a half
    CHECK(advised(26, 28.5, 41, 5) == "Fill in the missing frames 28.500");
    CHECK(advised(8, 10, 16, 4) == "Make it smoother 20.000"); // not 16, which would keep no frame
    CHECK(advised(25, 25, 90, 0).empty());
}

TEST_CASE(
    "places: the worst faults first, then what treatment puts at risk, none near another, all inside the window") {
    Inspection i;
    i.candidates = {{"texture", 1, 100, 100, 0.5},   {"softness_px", 2, 300, 100, 0.4}, {"blocking", 3, 110, 105, 6},
                    {"noise_sigma", 4, 500, 300, 2}, {"haloes", 5, 900, 900, 9},        {"blocking", 6, 300, 300, 5}};
    const auto all = choosePlaces(i, {{0, 0, 640, 360}}, 60);
    REQUIRE(all.size() == 3);
    CHECK(all[0].what == "blocking");
    CHECK(all[0].frame == 3);
    CHECK(all[1].what == "noise_sigma");
    CHECK(all[2].what == "softness_px"); // the texture lies too near the blocks
    CHECK(choosePlaces(i, {{0, 0, 50, 50}}, 60).empty());
}

TEST_CASE("every kind of finding tells its own figure, at its place, and alone") {
    MediaFacts facts;
    facts.video.width = facts.video.codedWidth = 1920;
    facts.video.height = facts.video.codedHeight = 1080;
    facts.video.fps = 30;
    struct Case {
        const char *key, *told; ///< told: part of its words
        std::function<void(Inspection&)> spoil;
        std::int64_t frame = 0;
    };
    const std::vector<Case> all = {
        {"haloes", "overshoot by 35 %", [](Inspection& i) { i.readings.haloes = 35; }},
        {"ringing", "beside edges", [](Inspection& i) { i.readings.ringing = 20; }},
        {"stairs", "80 % of a full staircase", [](Inspection& i) { i.readings.stairs = 80; }},
        {"compression", "about as rate factor 32 of H.264", [](Inspection& i) { i.readings.compression = 70; }},
        {"banding", "contours in smooth areas, reading 60", [](Inspection& i) { i.readings.banding = 60; }},
        {"crushed", "30.0 % of the picture has no tones left", [](Inspection& i) { i.readings.crushed = 30; }},
        {"cast", "may well be meant", [](Inspection& i) { i.readings.cast = 30; }},
        {"combing", "50 % of what moves is combed", [](Inspection& i) { i.readings.combing = 50; }},
        {"duplicates", "1 of every 5, so it was 24.00 frames a second",
         [](Inspection& i) {
             i.framesLooked = 100, i.repeats = {1, 5};
             for (int n = 4; n < 100; n += 5) i.duplicates.push_back(n);
         },
         4},
        {"duplicates", "3 frames repeat the one before",
         [](Inspection& i) {
             i.framesLooked = 100, i.duplicates = {9, 40, 41};
         },
         9},
        {"gaps", "the times of 2 frames are left out",
         [](Inspection& i) { i.timing.missing = 2, i.timing.gaps = {17}; }, 17},
        {"timing", "12 % of frames come early or late", [](Inspection& i) { i.timing.unevenShare = 12; }},
        {"jumps", "1 place looks as if a frame were missing",
         [](Inspection& i) { i.movement.jumps = {31}, i.movement.confidence = 1; }, 31},
        {"judder", "strays by 45 %", [](Inspection& i) { i.movement.judder = 45; }},
        {"shake", "trembles by 9",
         [](Inspection& i) { i.movement.shake = 9, i.movement.cameraTrust = 0.9, i.movement.shakiest = 12; }, 12},
        {"interlace", "bottom field first", [](Inspection& i) { i.fieldOrder = "bottom"; }},
        {"overlay", "1 place stays put while the rest moves",
         [](Inspection& i) {
             i.overlays = {{0, {8, 8, 60, 20}, 0.8}};
         }},
        {"lost", "1 frame could not be decoded", [](Inspection& i) { i.framesLost = 1; }},
        {"sound_clipping", "0.5", [](Inspection& i) { i.sound.clippedShare = 0.5; }},
        {"sound_silent", "nothing is heard", [](Inspection& i) { i.sound.loudness = -70; }},
        {"sound_loudness", "-31", [](Inspection& i) { i.sound.loudness = -31; }},
        {"sound_loudness", "-6", [](Inspection& i) { i.sound.loudness = -6; }},
        {"sound_peak", "true peak", [](Inspection& i) { i.sound.truePeak = 0.4; }},
        {"sound_noise", "quietest parts lie at -32 dB", [](Inspection& i) { i.sound.noiseFloor = -32; }},
    };
    for (const Case& c : all) {
        Inspection i;
        i.inside = {0, 0, 1920, 1080};
        i.sound = {true, -14, 6, -2, -70, 0, {}, {}, 10};
        REQUIRE(findings(i, facts).empty());
        c.spoil(i);
        const auto found = findings(i, facts);
        INFO(c.key << ": " << (found.empty() ? "nothing" : found[0].told));
        REQUIRE(found.size() == 1);
        CHECK(found[0].key == c.key);
        CHECK(found[0].told.find(c.told) != std::string::npos);
        CHECK(found[0].frame == c.frame);
    }
    // What a camera loses in the shadows counts for more than black that was drawn.
    Inspection i;
    i.inside = {0, 0, 1920, 1080};
    i.readings.crushed = 30;
    const double filmed = findings(i, facts)[0].severity;
    i.kind = "line art";
    CHECK(findings(i, facts)[0].severity < filmed);
    // A file that says interlaced and shows no combs is told so, with less weight.
    facts.video.interlaced = true;
    i.readings.crushed = 0;
    CHECK(findings(i, facts)[0].told == "the file says so, but no combs show");
}

TEST_CASE("edges are read at the same places before and after: blocks that go do not widen them, blur does") {
    const Picture truth = test::photograph(192, 192);
    const auto widths = [&](const Picture& after) { return edgeWidths(truth, after, 1); };
    const auto [own, same] = widths(truth);
    CHECK(own == same);
    CHECK(own > 1);
    CHECK(own < 8);
    double last = same;
    for (const double sigma : {0.8, 1.6, 2.4}) {
        Picture soft = truth;
        soft.planes[0] = truth.planes[0].copy();
        gaussianBlur(truth.planes[0], truth.planes[0].area(), sigma, soft.planes[0]);
        const auto [before, after] = widths(soft);
        CHECK(before <= own + 1);
        CHECK(after > last);
        last = after;
    }
    // Squares laid over it and taken away again: their borders are edges before, and count in neither.
    Picture blocky = truth;
    blocky.planes[0] = truth.planes[0].copy();
    for (int y = 0; y < 192; ++y)
        for (int x = 0; x < 192; ++x) blocky.planes[0].row(y)[x] += ((x / 8 + y / 8) % 2 ? 0.04f : -0.04f);
    const auto [before, after] = edgeWidths(blocky, truth, 1);
    CHECK(after == Approx(own).margin(1));
    CHECK(std::abs(after - before) <= 1);
    // Nothing to read where there is no edge.
    const Picture flat = changed(truth, [](int, int) { return 0.5f; });
    CHECK(std::isnan(edgeWidths(flat, flat, 1).first));
}

TEST_CASE("a shaded surface beside an edge is no part of the edge") {
    PictureFormat format{128, 64};
    Picture p = Picture::make(format, format.frame());
    for (const int k : {1, 2})
        for (int y = 0; y < p.planes[k].area().h; ++y) std::fill_n(p.planes[k].row(y), p.planes[k].area().w, 0.f);
    // A step of 80 over two pixels, and light that rises by 0.6 a pixel all the way across.
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 128; ++x)
            p.planes[0].row(y)[x] = (40 + 0.6f * float(x) + (x < 63 ? 0.f : x == 63 ? 40.f : 80.f)) / 219;
    const double width = lookAt(p).readings.softness;
    CHECK(width >= 2);
    CHECK(width <= 4);
    CHECK(edgeWidths(p, p, 1).second <= 4);
}
