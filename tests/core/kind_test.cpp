// Whether a picture is drawn, told the same when it is soft, noisy, blocky or small.
#include "core/inspect/fault_measures.h"
#include "demo/damage.h"
#include "demo/scenes/scene.h"

#include <catch2/catch.hpp>

using namespace ulm;

namespace {

Plane lumaOf(const AVFrame& f) {
    Plane p = Plane::make({0, 0, f.width, f.height});
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x) p.row(y)[x] = (float(f.data[0][y * f.linesize[0] + x]) - 16) / 219;
    return p;
}

// Log-odds under no damage and each of nine.
std::vector<double> odds(const demo::Canvas& clean) {
    std::vector<double> all{measure::drawn(lumaOf(*demo::toFrame420(clean)))};
    for (const float sigma : {1.f, 2.f}) {
        demo::Canvas c = clean;
        demo::soften(c, sigma);
        all.push_back(measure::drawn(lumaOf(*demo::toFrame420(c))));
    }
    for (const float sigma : {3.f, 6.f, 12.f}) {
        demo::Canvas c = clean;
        demo::spreadNoise(c, sigma, 1);
        all.push_back(measure::drawn(lumaOf(*demo::toFrame420(c))));
    }
    for (const int quantiser : {4, 10, 20}) {
        demo::BlockyTrip trip(clean.w, clean.h, quantiser);
        all.push_back(measure::drawn(lumaOf(*trip.through(*demo::toFrame420(clean)))));
    }
    all.push_back(measure::drawn(lumaOf(*demo::toFrame420(demo::halved(clean)))));
    return all;
}

demo::Canvas painted(std::unique_ptr<demo::Scene> (*make)(int, int, std::uint32_t), int w, int h) {
    demo::Canvas c(w, h);
    make(w, h, 5)->draw(1, c);
    return c;
}

} // namespace

TEST_CASE("a scene is never told to be drawn, whatever was done to it, and a drawing mostly is") {
    int natural = 0, cases = 0;
    for (const auto make : {demo::makeWheel, demo::makeGlaze, demo::makeKiln, demo::makeHands})
        for (const double o : odds(painted(make, 640, 352))) {
            CHECK(o < 0.8);
            ++cases;
            natural += o < -0.8;
        }
    CHECK(natural >= 0.9 * cases);
    for (const double o : odds(painted(demo::makeIdent, 480, 480))) CHECK(o > 0.8);
}

TEST_CASE("black borders and the picture's size do not change what it is") {
    const demo::Canvas kiln = painted(demo::makeKiln, 640, 352), ident = painted(demo::makeIdent, 480, 480);
    for (const auto& [canvas, drawn] : {std::pair{&kiln, false}, {&ident, true}}) {
        const Plane plain = lumaOf(*demo::toFrame420(*canvas));
        Plane framed = Plane::make({0, 0, canvas->w, canvas->h + 240});
        for (int y = 0; y < framed.area().h; ++y) std::fill_n(framed.row(y), canvas->w, 0.f);
        for (int y = 0; y < canvas->h; ++y) std::copy_n(plain.row(y), canvas->w, framed.row(y + 120));
        CHECK(measure::drawn(framed) * (drawn ? 1 : -1) > 0.8);
        CHECK(std::abs(measure::drawn(framed) - measure::drawn(plain)) < 3);
    }
    CHECK(measure::drawn(Plane::make({0, 0, 16, 16})) == 0); // too small to say
}
