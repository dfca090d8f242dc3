// Look-up tables: .cube files of one and three dimensions, and files that are none.
#include "core/base/error.h"
#include "core/engine/engine.h"
#include "core/engine/held_picture.h"
#include "core/finish/colour_stage.h"
#include "core/finish/hdr_stage.h"
#include "core/finish/table_stage.h"
#include "core/picture/colour.h"
#include "core/picture/hash_noise.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/mutate.h"
#include "tests/support/stills.h"

#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>

using namespace ulm;
using test::Painted;
using test::TempFolder;

namespace {

using Rgb = std::array<double, 3>;

void write(const std::string& path, const std::string& text) { std::ofstream(path, std::ios::binary) << text; }

// A table of `n` entries a side: the given function of each corner, red fastest.
template <class F>
std::string cube(int n, F f) {
    std::string s = "TITLE \"made up\"\nLUT_3D_SIZE " + std::to_string(n) + "\n";
    for (int b = 0; b < n; ++b)
        for (int g = 0; g < n; ++g)
            for (int r = 0; r < n; ++r) {
                const Rgb v = f(r, g, b);
                s += std::to_string(v[0]) + " " + std::to_string(v[1]) + " " + std::to_string(v[2]) + "\n";
            }
    return s;
}

double entry(int r, int g, int b, std::uint32_t c) {
    return 0.5 + 0.5 * hashNoise(std::uint32_t(r), std::uint32_t(g), std::uint32_t(b), c);
}

// Tetrahedral interpolation as published (Kasson, Nin, Plouffe & Hafner 1995): along the edges in the order in which
// the parts fall.
Rgb tetrahedral(const Rgb& in, int n) {
    std::array<int, 3> at{}, order{0, 1, 2};
    Rgb part{};
    for (std::size_t c = 0; c < 3; ++c) {
        const double v = std::clamp(in[c], 0.0, 1.0) * (n - 1);
        at[c] = std::min(int(v), n - 2);
        part[c] = v - at[c];
    }
    std::ranges::sort(order, [&](int a, int b) { return part[std::size_t(a)] > part[std::size_t(b)]; });
    Rgb out{};
    double left = 1;
    std::array<int, 3> corner = at;
    for (int k = 0; k <= 3; ++k) {
        const double next = k < 3 ? part[std::size_t(order[std::size_t(k)])] : 0;
        for (std::uint32_t c = 0; c < 3; ++c) out[c] += (left - next) * entry(corner[0], corner[1], corner[2], c);
        left = next;
        if (k < 3) ++corner[std::size_t(order[std::size_t(k)])];
    }
    return out;
}

Picture colours() {
    Painted p(40, 30, 0);
    for (int y = 0; y < 30; ++y)
        for (int x = 0; x < 40; ++x)
            for (std::uint32_t c = 0; c < 3; ++c)
                p.picture.planes[c].row(y)[x] =
                    0.5f + 0.5f * float(hashNoise(std::uint32_t(x), std::uint32_t(y), 9, c));
    rgbToYcc(p.picture, matrixWeights(1));
    return p.picture;
}

Picture shown(const StagePtr& s) {
    Engine e(std::size_t(8) << 20);
    return e.pull(*s, 0, s->format().frame(), {});
}

std::string complaint(const std::string& path) {
    try {
        loadLookTable(path);
    } catch (const Error& e) {
        CHECK(e.fault == Fault::Input);
        CHECK(e.file == path);
        CHECK_FALSE(e.remedy.empty());
        return e.reason;
    }
    return "";
}

} // namespace

TEST_CASE("light and a table pass over a picture together and come to what they do one after the other") {
    const TempFolder folder;
    write(folder / "a.cube", cube(9, [](int r, int g, int b) {
              return Rgb{entry(r, g, b, 0), entry(r, g, b, 1), entry(r, g, b, 2)};
          }));
    const LookTablePtr table = loadLookTable(folder / "a.cube");
    Colour c;
    c.exposure = 0.4, c.saturation = 60, c.vibrance = 40, c.hue = 20;
    const StagePtr in = heldPicture(test::photograph(97, 63)); // 4:2:0
    Engine engine(0);
    const auto pulled = [&](const StagePtr& s) { return engine.pull(*s, 0, s->format().frame(), {}); };
    const Picture together = pulled(throughTable(coloured(in, c), table, 0.7)),
                  apart = pulled(throughTable(heldPicture(pulled(coloured(in, c))), table, 0.7));
    // Chroma meets luma at full resolution only once when they go together: alike but at steep edges.
    for (int plane = 0; plane < 3; ++plane) {
        double sum = 0, count = 0;
        const Rect r = together.planes[plane].area();
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = r.x; x < r.right(); ++x)
                sum += std::abs(together.planes[plane].at(x, y) - apart.planes[plane].at(x, y)), count += 1;
        INFO(plane << ": " << sum / count);
        CHECK(sum / count < 0.004);
    }
}

TEST_CASE("Luma alone goes through a table as whole colours do, of any size", "[table]") {
    const TempFolder folder;
    const auto any = [](int r, int g, int b) { return Rgb{entry(r, g, b, 0), entry(r, g, b, 1), entry(r, g, b, 2)}; };
    const MatrixWeights w = matrixWeights(1);
    for (const int side : {7, 66}) { // of the larger one no cells of luma are kept
        const std::string path = folder / std::to_string(side) + ".cube";
        write(path, cube(side, any));
        const LookTablePtr table = loadLookTable(path);
        for (const auto& [cb, cr] : {std::pair(0.f, 0.f), {0.1f, -0.2f}, {-0.3f, 0.05f}, {-0.1f, -0.1f}}) {
            Painted p(300, 20, 1); // 4:2:0; wider than what is mapped at a time
            p.flat(0, cb, cr).paint([](int x, int y) { return hashNoise(std::uint32_t(x), std::uint32_t(y), 1, 2); });
            for (const double strength : {1.0, 0.4}) {
                const Picture after = shown(throughTable(test::still(p), table, strength));
                double furthest = 0;
                for (int y = 0; y < 20; ++y)
                    for (int x = 0; x < 300; ++x) {
                        const double was = p.picture.planes[0].at(x, y);
                        const double r = was + 2 * (1 - w.kr) * cr, b = was + 2 * (1 - w.kb) * cb,
                                     g = (was - w.kr * r - w.kb * b) / (1 - w.kr - w.kb);
                        const Rgb to = tetrahedral({r, g, b}, side);
                        const double luma = w.kr * to[0] + (1 - w.kr - w.kb) * to[1] + w.kb * to[2];
                        furthest =
                            std::max(furthest, std::abs(after.planes[0].at(x, y) - (was + strength * (luma - was))));
                    }
                INFO(side << " at " << cb << ", " << cr);
                CHECK(furthest < 1e-4); // a twelfth of a step of 10 bit
            }
        }
    }
}

TEST_CASE("A table of three dimensions is interpolated tetrahedrally", "[table]") {
    const TempFolder folder;
    const std::string path = folder / "any.cube";
    write(path, cube(7, [](int r, int g, int b) {
              return Rgb{entry(r, g, b, 0), entry(r, g, b, 1), entry(r, g, b, 2)};
          }));
    const Picture p = colours();
    Picture before = p;
    for (Plane& plane : before.planes) plane = plane.copy();
    yccToRgb(before, matrixWeights(1));
    Picture after = shown(throughTable(test::still(p), loadLookTable(path), 1)),
            half = shown(throughTable(test::still(p), loadLookTable(path), 0.5));
    yccToRgb(after, matrixWeights(1));
    yccToRgb(half, matrixWeights(1));
    for (int y = 0; y < 30; ++y)
        for (int x = 0; x < 40; ++x) {
            const Rgb was = {before.planes[0].at(x, y), before.planes[1].at(x, y), before.planes[2].at(x, y)};
            const Rgb expected = tetrahedral(was, 7);
            for (std::size_t c = 0; c < 3; ++c) {
                CHECK(after.planes[c].at(x, y) == Approx(expected[c]).margin(2e-4));
                CHECK(half.planes[c].at(x, y) == Approx((expected[c] + was[c]) / 2).margin(2e-4));
            }
        }
    CHECK(throughTable(test::still(p), loadLookTable(path), 0)->name() == std::string("held"));
}

TEST_CASE("Light and a table after it pass over the picture once, and give what they give one by one", "[table]") {
    TempFolder folder;
    const std::string path = folder / "some.cube";
    write(path, cube(9, [](int r, int g, int b) {
              return Rgb{entry(r, g, b, 0), entry(r, g, b, 1), entry(r, g, b, 2)};
          }));
    const LookTablePtr table = loadLookTable(path);
    Colour c;
    c.exposure = 0.4, c.contrast = 30, c.vibrance = 50;

    Painted p(700, 5, 0); // rows longer than one run, and no whole number of them
    for (int y = 0; y < 5; ++y)
        for (int x = 0; x < 700; ++x)
            for (std::uint32_t k = 0; k < 3; ++k)
                p.picture.planes[k].row(y)[x] = float(0.5 + 0.5 * hashNoise(std::uint32_t(x), std::uint32_t(y), 3, k));
    rgbToYcc(p.picture, matrixWeights(1));
    const StagePtr in = test::still(p), both = throughTable(coloured(in, c), table, 0.8);
    REQUIRE(both->inputs().size() == 1);
    CHECK(both->inputs()[0] == in); // no picture between them
    const Picture once = shown(both), twice = shown(throughTable(test::still(shown(coloured(in, c))), table, 0.8));
    for (int k = 0; k < 3; ++k)
        for (int y = 0; y < 5; ++y)
            for (int x = 0; x < 700; ++x)
                REQUIRE(once.planes[k].at(x, y) == Approx(twice.planes[k].at(x, y)).margin(1e-6));

    const auto pattern = std::make_shared<test::PatternStage>(test::format(150, 98, 1), 2);
    test::checkContract(*throughTable(coloured(pattern, c), table, 0.8));
    // HDR to standard range is dear: it stays a stage whose result is kept while light is set.
    PictureFormat hdr = test::format(64, 48, 1);
    hdr.colour.primaries = hdr.colour.matrix = 9, hdr.colour.transfer = 16;
    const StagePtr standard = toStandardRange(std::make_shared<test::PatternStage>(hdr, 2), {});
    CHECK(coloured(standard, c)->inputs()[0] == standard);
    std::vector<std::function<StagePtr()>> ways; // whatever differs in either part, the whole has another key
    for (const double v : {0.1, 0.2, 0.3}) {
        ways.push_back([=] { return throughTable(coloured(pattern, c), table, v); });
        ways.push_back([=] {
            Colour other = c;
            other.exposure = v;
            return throughTable(coloured(pattern, other), table, 0.5);
        });
        ways.push_back([=] { return throughTable(throughTable(pattern, table, v), table, 0.4); });
        ways.push_back([=] { return throughTable(throughTable(pattern, table, 0.4), table, v); });
    }
    test::checkKeys(ways);
}

TEST_CASE("A table of one dimension, one that changes nothing, and one that was written anew", "[table]") {
    const TempFolder folder;
    const std::string path = folder / "one.cube";
    write(path, "LUT_1D_SIZE 3\n0 0 0\n0.25 0.25 0.25\n1 1 1\n");
    const auto grey = [&] {
        return shown(throughTable(test::still(Painted(16, 16, 1).flat(0.5f, 0, 0)), loadLookTable(path), 1))
            .planes[0]
            .at(3, 3);
    };
    CHECK(grey() == Approx(0.25).margin(1e-5));
    write(path, cube(2, [](int r, int g, int b) { return Rgb{double(r), double(g), double(b)}; }));
    CHECK(grey() == Approx(0.5).margin(1e-5)); // not the table that was there before

    const auto in = std::make_shared<test::PatternStage>(test::format(90, 62, 1), 2);
    test::checkContract(*throughTable(in, loadLookTable(path), 0.7));
    write(folder / "two.cube", cube(2, [](int r, int g, int b) { return Rgb{1.0 - r, double(g), double(b)}; }));
    const auto a = loadLookTable(path), b = loadLookTable(folder / "two.cube");
    test::checkKeys({[&] { return throughTable(in, a, 1); }, [&] { return throughTable(in, b, 1); },
                     [&] { return throughTable(in, a, 0.5); }});
}

TEST_CASE("What is no table is refused in words, and nothing in one can end the program", "[table]") {
    const TempFolder folder;
    CHECK(complaint(folder / "none.cube") == "there is no such file");
    write(folder / "empty.cube", "");
    CHECK(complaint(folder / "empty.cube") == "it is empty");
    for (const char* text : {"hello", "LUT_3D_SIZE 100000\n0 0 0\n", "LUT_3D_SIZE -4\n", "LUT_3D_SIZE 2\n0 0 0\n",
                             "LUT_3D_SIZE 2\nx y z\n", "LUT_1D_SIZE 99999999\n0 0 0\n"}) {
        write(folder / "bad.cube", text);
        INFO(text);
        CHECK_FALSE(complaint(folder / "bad.cube").empty());
    }
    // Numbers that are none become black; the rest is as it should be.
    std::string odd = cube(2, [](int r, int g, int b) { return Rgb{double(r), double(g), double(b)}; });
    odd.replace(odd.rfind("1.000000 1.000000 1.000000"), 26, "nan inf -1e30");
    write(folder / "odd.cube", odd);
    if (complaint(folder / "odd.cube").empty()) {
        const Picture p =
            shown(throughTable(test::still(Painted(16, 16, 1).flat(1, 0, 0)), loadLookTable(folder / "odd.cube"), 1));
        for (const Plane& plane : p.planes) CHECK(std::isfinite(plane.at(3, 3)));
    }
    const std::string good = cube(3, [](int r, int g, int b) { return Rgb{r / 2.0, g / 2.0, b / 2.0}; });
    std::mt19937 random(5);
    const Picture p = colours();
    for (int k = 0; k < 60; ++k) {
        write(folder / "hurt.cube", test::mutated(good, random));
        if (!complaint(folder / "hurt.cube").empty()) continue;
        const Picture out = shown(throughTable(test::still(p), loadLookTable(folder / "hurt.cube"), 1));
        for (const Plane& plane : out.planes)
            for (int y = 0; y < 30; ++y)
                for (int x = 0; x < 40; ++x) CHECK(std::abs(plane.at(x, y)) < 5);
    }
}
