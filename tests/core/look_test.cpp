// A look written as a table does what the ticket does, and a look taken from another clip brings this one near to it.
#include "core/base/error.h"
#include "core/engine/engine.h"
#include "core/finish/colour_stage.h"
#include "core/finish/look_file.h"
#include "core/finish/table_stage.h"
#include "core/media/png.h"
#include "core/pipeline/look.h"
#include "tests/support/clips.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <fstream>

using namespace ulm;
using test::TempFolder;

namespace {

std::string written(const TempFolder& folder, const char* name, const std::string& text) {
    std::ofstream(folder / name) << text;
    return folder / name;
}

Picture whole(const StagePtr& s) { return Engine(0).pull(*s, 0, s->format().frame(), {}); }

StagePtr photo() {
    Picture p = test::photograph(160, 96, 21);
    p.format.colour = {1, 1, 1, false, 1};
    return test::still(p);
}

std::vector<std::array<float, 3>> coloursOf(const StagePtr& s) {
    const Picture p = whole(asRgb(s));
    std::vector<std::array<float, 3>> all;
    for (int y = 0; y < p.format.height; ++y)
        for (int x = 0; x < p.format.width; ++x)
            all.push_back({p.planes[0].at(x, y), p.planes[1].at(x, y), p.planes[2].at(x, y)});
    return all;
}

} // namespace

TEST_CASE("a look written as a table and read again does what the colours did") {
    TempFolder folder;
    Ticket t;
    for (const char* set : {"finish.light.exposure=0.4", "finish.light.contrast=30", "finish.colour.warmth=25",
                            "finish.colour.vibrance=40", "finish.colour.hue=8", "finish.light.curve=0:4 40:50 100:96"})
        setByAssignment(t, set);
    const std::string file = written(folder, "warm.cube", lookOf(t));
    const Picture set = whole(coloured(photo(), t.finish.colour, curveFrom(t.finish.curve))),
                  table = whole(throughTable(photo(), loadLookTable(file), 1)), plain = whole(photo());
    CHECK(test::meanSquare(set.planes[0], table.planes[0]) < 1.5e-5); // a step of 8 bit
    CHECK(test::meanSquare(set.planes[1], table.planes[1]) < 1.5e-5);
    CHECK(test::meanSquare(set.planes[0], plain.planes[0]) > 1e-3);
    // Its own table is in it.
    setByKey(t, "finish.table", file);
    const std::string twice = written(folder, "twice.cube", lookOf(t));
    const Picture both = whole(throughTable(coloured(photo(), t.finish.colour, curveFrom(t.finish.curve)),
                                            loadLookTable(file), 1)),
                  one = whole(throughTable(photo(), loadLookTable(twice), 1));
    CHECK(test::meanSquare(both.planes[0], one.planes[0]) < 4e-5);
    Ticket none;
    const Picture same = whole(throughTable(photo(), loadLookTable(written(folder, "none.cube", lookOf(none))), 1));
    CHECK(test::meanSquare(same.planes[0], plain.planes[0]) < 1e-7);
}

TEST_CASE("the palette of known colours is what CIELAB says") {
    const Palette white = paletteOf({{1.f, 1.f, 1.f}});
    CHECK(white.mean[0] == Approx(100).margin(0.01));
    CHECK(white.mean[1] == Approx(0).margin(0.01));
    CHECK(white.mean[2] == Approx(0).margin(0.02));
    const Palette red = paletteOf({{1.f, 0.f, 0.f}}); // of BT.709 primaries
    CHECK(red.mean[0] == Approx(53.24).margin(0.05));
    CHECK(red.mean[1] == Approx(80.09).margin(0.1));
    CHECK(red.mean[2] == Approx(67.20).margin(0.1));
    std::vector<std::array<float, 3>> half(50, {0.f, 0.f, 0.f});
    half.resize(100, {1.f, 1.f, 1.f});
    CHECK(paletteOf(half).spread[0] == Approx(50).margin(0.1));
}

TEST_CASE("a clip that was tinted and darkened is brought back near to what it was, by a clip and by a picture of it") {
    TempFolder folder;
    Colour spoilt;
    spoilt.exposure = -0.7, spoilt.warmth = 40, spoilt.saturation = -35;
    const StagePtr dull = coloured(photo(), spoilt);
    const auto away = [&](const Picture& p) {
        const Picture truth = whole(photo());
        return test::meanSquare(p.planes[0], truth.planes[0]) + test::meanSquare(p.planes[1], truth.planes[1]) +
               test::meanSquare(p.planes[2], truth.planes[2]);
    };
    const std::string table =
        written(folder, "like.cube", matchingCube(paletteOf(coloursOf(dull)), paletteOf(coloursOf(photo()))));
    CHECK(away(whole(throughTable(dull, loadLookTable(table), 1))) < 0.15 * away(whole(dull)));

    // Through files: a clip, and a PNG of light red.
    test::writeClip(folder / "a.mp4", {.width = 96, .height = 64, .frames = 10});
    PictureFormat f = test::format(40, 40, 0);
    f.colour.matrix = 0;
    Picture red = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 40; ++x) red.planes[c].row(y)[x] = float(c ? 0.3 : 0.7) + 0.002f * float(x + y - 40);
    std::ofstream(folder / "red.png", std::ios::binary) << pngOf(red, 8);
    const auto reader =
        std::make_shared<FrameReader>(Clip::openVideo(folder / "a.mp4"), PacketDecoder::Threads::Single, 1 << 22);
    const DeliveryPtr d = resolve(reader, Inspection{}, Ticket{});
    const std::string redder = written(folder, "redder.cube", lookLike(*d, folder / "red.png", {}));
    const Palette was = paletteOf(coloursOf(d->before)),
                  is = paletteOf(coloursOf(throughTable(d->before, loadLookTable(redder), 1)));
    CHECK(is.mean[1] > was.mean[1] + 15);
    // Like itself it stays as it is.
    const std::string same = written(folder, "same.cube", lookLike(*d, folder / "a.mp4", {}));
    CHECK(test::meanSquare(whole(throughTable(d->before, loadLookTable(same), 1)).planes[0],
                           whole(d->before).planes[0]) < 1e-3); // its colours leave the range
    CHECK_THROWS_WITH(lookLike(*d, folder / "missing.mp4", {}), Catch::Contains("missing.mp4"));
    CHECK_THROWS_WITH(lookLike(*d, folder / "missing.png", {}), Catch::Contains("missing.png"));
}
