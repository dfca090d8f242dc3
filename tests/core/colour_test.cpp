// Light and colour: against the reference in double precision, and against what each control promises.
#include "core/finish/clarity_stage.h"
#include "core/finish/colour_stage.h"
#include "core/finish/glow_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/finish/vignette_stage.h"
#include "core/picture/colour.h"
#include "core/picture/hash_noise.h"
#include "core/picture/soften.h"
#include "tests/support/contract.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;
using test::Painted;

namespace {

constexpr double kHalfStep = 0.5 / 876; // of 10 bit

double signalNoise(int x, int y, std::uint32_t c) {
    return 0.5 + 0.5 * hashNoise(std::uint32_t(x), std::uint32_t(y), 0, c);
}

// R'G'B' all over the cube, as Y'CbCr.
Picture anyColours(int matrix) {
    PictureFormat f = test::format(64, 48, 0);
    f.colour.matrix = matrix;
    Picture p = Picture::make(f, f.frame());
    for (int y = 0; y < 48; ++y)
        for (int x = 0; x < 64; ++x)
            for (std::uint32_t c = 0; c < 3; ++c) p.planes[c].row(y)[x] = float(signalNoise(x, y, c));
    rgbToYcc(p, matrixWeights(matrix));
    return p;
}

Picture shown(const StagePtr& s) {
    Engine e(std::size_t(32) << 20);
    return e.pull(*s, 0, s->format().frame(), {});
}

const std::vector<Colour>& settings() {
    static const std::vector<Colour> all = [] {
        std::vector<Colour> some;
        const auto with = [&](auto change) { change(some.emplace_back()); };
        with([](Colour& c) { c.exposure = 1.5; });
        with([](Colour& c) { c.exposure = -2; });
        with([](Colour& c) { c.warmth = 60, c.tint = -30; });
        with([](Colour& c) { c.warmth = -100, c.tint = 100; });
        with([](Colour& c) { c.contrast = 80, c.pivot = 30; });
        with([](Colour& c) { c.contrast = -100; });
        with([](Colour& c) { c.shadows = 100, c.lights = -100; });
        with([](Colour& c) { c.shadows = -100, c.lights = 100, c.lightness = 50; });
        with([](Colour& c) { c.lightness = -100; });
        with([](Colour& c) { c.saturation = 60, c.vibrance = -50; });
        with([](Colour& c) { c.vibrance = 100, c.hue = 40; });
        with([](Colour& c) {
            c.exposure = 0.4, c.contrast = 25, c.shadows = 20, c.lights = -15, c.warmth = 12, c.saturation = 15,
            c.vibrance = 30, c.hue = -6;
        });
        return some;
    }();
    return all;
}

} // namespace

TEST_CASE("Light and colour keep to their reference within half a step of 10 bit", "[colour]") {
    for (const int matrix : {1, 6, 9}) {
        const Picture p = anyColours(matrix);
        const MatrixWeights w = matrixWeights(matrix);
        Picture before = p;
        for (Plane& plane : before.planes) plane = plane.copy();
        yccToRgb(before, w);
        for (std::size_t k = 0; k < settings().size(); ++k) {
            Picture after = shown(coloured(test::still(p), settings()[k]));
            yccToRgb(after, w);
            double worst = 0;
            for (int y = 0; y < 48; ++y)
                for (int x = 0; x < 64; ++x) {
                    const auto expected = colouredReference(
                        settings()[k],
                        {before.planes[0].at(x, y), before.planes[1].at(x, y), before.planes[2].at(x, y)}, w.kr, w.kb);
                    for (std::size_t c = 0; c < 3; ++c)
                        worst = std::max(worst, std::abs(expected[c] - after.planes[c].at(x, y)));
                }
            INFO("matrix " << matrix << ", setting " << k);
            CHECK(worst < kHalfStep);
        }
    }
}

TEST_CASE("a free curve keeps to its reference too, after light and before colour", "[colour]") {
    const Picture p = anyColours(1);
    const MatrixWeights w = matrixWeights(1);
    Picture before = p;
    for (Plane& plane : before.planes) plane = plane.copy();
    yccToRgb(before, w);
    const std::vector<CurvePoint> points = curveFrom("0:4 20:12 60:75 100:97");
    Colour c;
    c.exposure = 0.5, c.saturation = 30;
    Picture after = shown(coloured(test::still(p), c, points));
    yccToRgb(after, w);
    double worst = 0;
    for (int y = 0; y < 48; ++y)
        for (int x = 0; x < 64; ++x) {
            const auto expected =
                colouredReference(c, {before.planes[0].at(x, y), before.planes[1].at(x, y), before.planes[2].at(x, y)},
                                  w.kr, w.kb, ToneCurve(points));
            for (std::size_t k = 0; k < 3; ++k)
                worst = std::max(worst, std::abs(expected[k] - after.planes[k].at(x, y)));
        }
    CHECK(worst < kHalfStep);
}

TEST_CASE("a free curve goes through its places, never beyond them, and refuses what is none", "[colour]") {
    const std::vector<CurvePoint> points = curveFrom("0:0 10:40 12:40 50:45 100:90");
    REQUIRE(points.size() == 5);
    const ToneCurve curve(points);
    for (const CurvePoint& p : points) CHECK(curve(p.from) == Approx(p.to).margin(1e-12));
    double last = -1;
    for (int i = 0; i <= 1000; ++i) {
        CHECK(curve(i / 1000.0) >= last - 1e-12); // in order, like its places: no overshoot at the flat piece
        last = curve(i / 1000.0);
    }
    CHECK(curve(0.11) == Approx(0.4));
    CHECK(curve(-0.1) == Approx(-0.1));
    CHECK(curve(1.2) == Approx(1.1));
    // Downwards too: a negative.
    CHECK(ToneCurve(curveFrom("0:100 100:0"))(0.3) == Approx(0.7));
    CHECK(ToneCurve(curveFrom("20:0 80:100"))(0.1) == 0);
    CHECK(ToneCurve()(0.3) == 0.3);
    for (const char* bad : {"50:50", "0:0 0:10", "0:0 100", "0:-1 100:100", "0:0 101:100", "60:10 40:50", "a:b c:d"})
        CHECK_FALSE(curveWrong(bad).empty());
    CHECK(curveText(curveFrom("0:0 25:20.5 100:100")) == "0:0 25:20.5 100:100");
    CHECK(curveText(curveFrom("0:0 50:50 100:100")).empty());
}

TEST_CASE("Whatever is asked, tones stay in order and black and white where they are", "[colour]") {
    for (const Colour& c : settings())
        for (const double gain : {1.0, 1.3, 4.0}) {
            CHECK(toneOf(c, gain, 0) == Approx(0).margin(1e-12));
            CHECK(toneOf(c, gain, 1) == Approx(1).margin(0.6 * (std::pow(gain, 1 / 2.4) - 1) + 1e-12));
            double last = -1;
            for (int i = -50; i <= 1300; ++i) {
                const double v = toneOf(c, gain, i / 1000.0);
                CHECK(v >= last - 1e-12);
                last = v;
            }
        }
    Colour brighter;
    brighter.exposure = 1;
    CHECK(toneOf(brighter, 2, 1) <= Approx(1)); // whites bend, they do not leave the range
}

TEST_CASE("Exposure halves and doubles light", "[colour]") {
    const auto light = [](double stops) {
        Colour c;
        c.exposure = stops;
        return std::pow(shown(coloured(test::still(Painted(32, 32, 1).flat(0.4f, 0, 0)), c)).planes[0].at(9, 9), 2.4);
    };
    CHECK(light(-1) == Approx(light(0) / 2).epsilon(1e-3));
    CHECK(light(1) == Approx(light(0) * 2).epsilon(1e-3));
}

TEST_CASE("A click on a grey thing that is tinted makes it grey", "[colour]") {
    for (const auto& rgb : std::vector<std::array<double, 3>>{{0.55, 0.5, 0.42}, {0.45, 0.5, 0.52}, {0.5, 0.46, 0.5}}) {
        std::array<double, 3> light{};
        for (std::size_t c = 0; c < 3; ++c) light[c] = std::pow(rgb[c], kDisplayGamma);
        const WhiteBalance b = whiteBalanceFor(light);
        Colour c;
        c.warmth = b.warmth, c.tint = b.tint;
        const auto grey = colouredReference(c, rgb, 0.2126, 0.0722);
        INFO(b.warmth << " " << b.tint);
        CHECK(std::abs(grey[0] - grey[1]) < 0.004);
        CHECK(std::abs(grey[2] - grey[1]) < 0.004);
        CHECK(grey[1] == Approx(0.49).margin(0.03)); // no darker, no brighter
    }
    Colour warm;
    warm.warmth = 40;
    const auto w = colouredReference(warm, {0.5, 0.5, 0.5}, 0.2126, 0.0722);
    CHECK(w[0] > 0.52);
    CHECK(w[2] < 0.47);
}

TEST_CASE("Saturation leaves luma alone and vibrance spares skin and strong colours", "[colour]") {
    const auto chroma = [](const Colour& c, float cb, float cr) {
        const Picture p = shown(coloured(test::still(Painted(32, 32, 1).flat(0.5f, cb, cr)), c));
        CHECK(p.planes[0].at(9, 9) == Approx(0.5).margin(1e-5));
        return std::hypot(p.planes[1].at(5, 5), p.planes[2].at(5, 5)) / std::hypot(cb, cr);
    };
    Colour all, pale;
    all.saturation = 50, pale.vibrance = 100;
    CHECK(chroma(all, 0.1f, -0.05f) == Approx(1.5).margin(1e-3));
    const double blue = chroma(pale, 0.06f, -0.03f), strong = chroma(pale, 0.3f, -0.12f),
                 skin = chroma(pale, -0.0327f, 0.0503f);
    CHECK(blue > 1.5);
    CHECK(strong < 1.05);
    CHECK(skin < 1 + 0.35 * (blue - 1));
    Colour grey;
    grey.saturation = -100;
    CHECK(chroma(grey, 0.2f, 0.1f) < 1e-3);
}

TEST_CASE("Where chroma is subsampled nothing is blurred by a detour", "[colour]") {
    // A checkerboard of colour at the chroma's own resolution keeps its full swing.
    Painted p(64, 48, 1);
    p.flat(0.5f, 0, 0);
    for (int y = 0; y < 24; ++y)
        for (int x = 0; x < 32; ++x) p.picture.planes[1].row(y)[x] = (x + y) % 2 ? 0.1f : -0.1f;
    Colour c;
    c.saturation = 20;
    const Picture out = shown(coloured(test::still(p), c));
    for (int y = 0; y < 24; ++y)
        for (int x = 0; x < 32; ++x) CHECK(out.planes[1].at(x, y) == Approx((x + y) % 2 ? 0.12f : -0.12f).margin(1e-4));
    CHECK(coloured(test::still(p), Colour{})->name() == std::string("held")); // nothing asked: no stage
}

TEST_CASE("means of cells that are brought back to samples lie where those were", "[colour]") {
    const auto ramp = [](int x, int y) { return 0.01f * float(x) + 0.02f * float(y); };
    Plane p = Plane::make({6, 10, 65, 49});
    for (int y = 10; y < 59; ++y)
        for (int x = 6; x < 71; ++x) p.row(y)[x - 6] = ramp(x, y);
    for (const int by : {1, 2, 4}) {
        const Plane cells = cellMeans(p, {0, 0, 71, 59}, by);
        const Rect c = cells.area();
        CHECK(c.x * by >= 6);
        CHECK(c.right() * by >= 71); // the last cell is filled up
        StretchedCells stretched(cells, by);
        double worst = 0;
        for (int y = (c.y + 1) * by; y < (c.bottom() - 2) * by; ++y) {
            const float* const row = stretched.row(y);
            for (int x = (c.x + 1) * by; x < (c.right() - 2) * by; ++x)
                worst = std::max(worst, double(std::abs(row[x - c.x * by] - ramp(x, y))));
        }
        CHECK(worst < 1e-5);
    }
}

TEST_CASE("Clarity raises texture and leaves a skyline without a halo", "[colour]") {
    Painted p(320, 120, 1);
    p.paint([](int x, int y) {
        const float sky = x < 160 ? 0.75f : 0.25f;
        return sky + 0.02f * float(std::sin(x * 0.35) * std::cos(y * 0.3));
    });
    const auto swing = [](const Plane& l, int from, int to) {
        float low = 1, high = 0;
        for (int x = from; x < to; ++x) low = std::min(low, l.at(x, 60)), high = std::max(high, l.at(x, 60));
        return high - low;
    };
    const StagePtr in = test::still(p);
    const Picture before = shown(in), clear = shown(clarity(in, 0.6, 20)), sharp = shown(unsharp(in, 0.6, 5));
    CHECK(swing(clear.planes[0], 10, 90) > 1.35f * swing(before.planes[0], 10, 90));
    CHECK(swing(clear.planes[0], 230, 310) > 1.35f * swing(before.planes[0], 230, 310));
    // The brightest line beside the edge: over what texture alone would give.
    const auto halo = [&](const Plane& l) { return swing(l, 120, 160) - swing(l, 20, 60); };
    CHECK(halo(clear.planes[0]) < 0.25f * halo(sharp.planes[0]));
    const Picture soft = shown(clarity(in, -0.6, 20));
    CHECK(swing(soft.planes[0], 10, 90) < 0.7f * swing(before.planes[0], 10, 90));
}

TEST_CASE("Glow spills from what is bright, and corners fall off as a lens's do", "[colour]") {
    Painted p(256, 192, 1);
    p.paint([](int x, int y) { return std::hypot(x - 128, y - 96) < 12 ? 0.95f : 0.1f; });
    const StagePtr lamp = test::still(p);
    const Picture lit = shown(glow(lamp, 0.8, 0.6, 12));
    CHECK(lit.planes[0].at(128, 78) > 0.12f);
    CHECK(lit.planes[0].at(128, 78) > lit.planes[0].at(128, 70));
    CHECK(lit.planes[0].at(4, 4) == Approx(0.1f).margin(1e-5));
    const Picture dark = shown(glow(test::still(Painted(64, 48, 1).flat(0.5f, 0.1f, 0)), 1, 0.6, 12));
    CHECK(dark.planes[0].at(30, 20) == 0.5f); // nothing is bright: nothing changes

    const Picture fallen = shown(vignette(test::still(Painted(256, 192, 1).flat(0.8f, 0.2f, 0)), 1));
    CHECK(fallen.planes[0].at(128, 96) == Approx(0.8).margin(1e-3));
    CHECK(std::pow(fallen.planes[0].at(0, 0) / 0.8, kDisplayGamma) == Approx(0.25).epsilon(0.03));
    CHECK(fallen.planes[1].at(0, 0) / 0.2 == Approx(fallen.planes[0].at(0, 0) / 0.8).epsilon(0.02));
    for (const double amount : {1.0, 0.3, -0.5, -1.0}) {
        constexpr int kW = 600, kH = 120; // wider than what is mapped at a time
        const Picture all = shown(vignette(test::still(Painted(kW, kH, 1).flat(0.4f, 0, 0)), amount));
        for (int y = 0; y < kH; ++y)
            for (int x = 0; x < kW; ++x) {
                const double dx = (x + 0.5) / kW * 2 - 1, dy = (y + 0.5) / kH * 2 - 1;
                const double far = (kW * kW * dx * dx + kH * kH * dy * dy) / (kW * kW + kH * kH);
                const double light = std::pow(1 + (std::exp2(std::abs(amount)) - 1) * far, amount > 0 ? -2 : 2);
                REQUIRE(all.planes[0].at(x, y) == Approx(0.4 * std::pow(light, 1 / kDisplayGamma)).epsilon(1e-5));
            }
    }
}

TEST_CASE("Corners are darkened the same alone and in one pass with light and colour", "[colour]") {
    Engine engine(0);
    const auto pulled = [&](const StagePtr& s) { return engine.pull(*s, 0, s->format().frame(), {}); };
    for (const int sub : {0, 1}) {
        // Wider than one run, and black: what is mapped beyond the rows' ends must not come back.
        Painted p(517, 91, sub);
        p.flat(0, 0.1f, -0.1f).paint([](int x, int y) { return (x / 3 + y) % 5 / 5.0; });
        const StagePtr in = test::still(p), one = vignette(coloured(in, settings().back()), 0.7);
        CHECK(one->name() == std::string("colour and vignette"));
        const Picture together = pulled(one),
                      apart = pulled(vignette(test::still(pulled(coloured(in, settings().back()))), 0.7));
        for (int c = 0; c < 3; ++c) {
            const Rect r = together.planes[c].area();
            double furthest = 0;
            for (int y = r.y; y < r.bottom(); ++y)
                for (int x = r.x; x < r.right(); ++x)
                    furthest =
                        std::max(furthest, double(std::abs(together.planes[c].at(x, y) - apart.planes[c].at(x, y))));
            CHECK(furthest < 1e-6);
        }
    }
}

TEST_CASE("The stages of light and colour keep to the contract", "[colour]") {
    Colour c = settings().back();
    for (const int sub : {0, 1})
        for (const int site : {1, 2, 3, 6}) {
            PictureFormat f = test::format(150, 98, sub);
            f.colour.chromaSite = site;
            const auto in = std::make_shared<test::PatternStage>(f, 2);
            test::checkContract(*coloured(in, c));
            if (site != 1) continue;
            test::checkContract(*clarity(in, 0.5, 4), 2e-5);
            test::checkContract(*clarity(in, 0.5, 14), 2e-5);
            test::checkContract(*glow(in, 0.7, 0.3, 3), 2e-5);
            test::checkContract(*glow(in, 0.7, 0.3, 10), 2e-5);
            test::checkContract(*vignette(in, 0.6));
        }
    const auto in = std::make_shared<test::PatternStage>(test::format(96, 64, 1), 2);
    std::vector<std::function<StagePtr()>> ways;
    for (const Colour& s : settings()) ways.push_back([&, s] { return coloured(in, s); });
    for (const double v : {0.2, 0.4}) {
        ways.push_back([=] { return clarity(in, v, 20); });
        ways.push_back([=] { return clarity(in, 0.3, 60 * v); });
        ways.push_back([=] { return glow(in, v, 0.5, 20); });
        ways.push_back([=] { return glow(in, 0.3, v, 20); });
        ways.push_back([=] { return glow(in, 0.3, 0.5, 60 * v); });
        ways.push_back([=] { return vignette(in, v); });
    }
    test::checkKeys(ways);
}
