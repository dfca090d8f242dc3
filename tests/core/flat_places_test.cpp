#include "core/engine/resample_stage.h"
#include "core/enlarge/flat_stage.h"
#include "core/picture/hash_noise.h"
#include "tests/support/contract.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;

namespace {

constexpr int kWide = 80, kHigh = 48;

// Flat on the left, texture on the right.
StagePtr halfFlat() {
    return test::still(test::Painted(kWide, kHigh, 1).flat(0.5f, 0.1f, -0.1f).paint([](int x, int y) {
        return x < kWide / 2 ? 0.5 : 0.5 + 0.1 * hashNoise(x, y, 0, 7);
    }));
}

Picture whole(const StagePtr& s) {
    Engine e(std::size_t(64) << 20);
    return e.pull(*s, 0, s->format().frame(), {});
}

StagePtr byLanczos(const StagePtr& s, int by) {
    PictureFormat f = s->format();
    const ScaleWindow all{0, 0, double(f.width), double(f.height), f.width * by, f.height * by};
    f.width *= by, f.height *= by;
    return std::make_shared<ResampleStage>(s, all, Kernel::Lanczos, f);
}

// What a network might add: lighter all over, which is kept, and a chequer pattern.
StagePtr woven(const StagePtr& source, int by) {
    Picture p = whole(byLanczos(source, by));
    for (int y = 0; y < p.format.height; ++y)
        for (int x = 0; x < p.format.width; ++x) p.planes[0].row(y)[x] += 0.03f + ((x + y) % 2 ? 0.02f : -0.02f);
    return test::still(p);
}

// The largest difference of luma over columns [from, until), away from the picture's upper and lower border.
double apart(const Picture& a, const Picture& b, int from, int until, float offset = 0) {
    double most = 0;
    for (int y = 8; y < a.format.height - 8; ++y)
        for (int x = from; x < until; ++x)
            most = std::max(most, double(std::abs(a.planes[0].at(x, y) - b.planes[0].at(x, y) - offset)));
    return most;
}

} // namespace

TEST_CASE("what a network weaves into flat places is taken back, but for how light it made them", "[flat]") {
    const int by = GENERATE(2, 4);
    const StagePtr source = halfFlat(), guessed = woven(source, by);
    const Picture plain = whole(byLanczos(source, by)), with = whole(guessed),
                  all = whole(plainWhereFlat(guessed, source, 1)), half = whole(plainWhereFlat(guessed, source, 0.5));
    const int flat = kWide / 2 * by - 12 * by; // blurs reach no texture up to here
    CHECK(apart(with, plain, 8, flat, 0.03f) > 0.019);
    CHECK(apart(all, plain, 8, flat, 0.03f) < 0.001);
    CHECK(apart(half, plain, 8, flat, 0.03f) == Approx(0.01).margin(0.001));
    // Texture keeps all that was added, and chroma passes.
    CHECK(apart(all, with, kWide / 2 * by + 8 * by, kWide * by) < 1e-5);
    for (int c : {1, 2}) CHECK(all.planes[c].at(20, 20) == with.planes[c].at(20, 20));
}

TEST_CASE("the grain that a flat place of the source has of its own stays", "[flat]") {
    const StagePtr source = test::still(test::Painted(kWide, kHigh, 1).flat(0, 0, 0).paint([](int x, int y) {
        return 0.5 + 0.003 * hashNoise(x, y, 0, 3); // a standard deviation of 0.4 codes: nothing to go by
    }));
    const StagePtr merely = test::still(whole(byLanczos(source, 2)));
    const Picture before = whole(merely), after = whole(plainWhereFlat(merely, source, 1));
    CHECK(apart(before, after, 0, 2 * kWide) < 1e-6);
}

TEST_CASE("flat places: a region equals the whole, no share is no stage, other sizes are refused", "[flat]") {
    const StagePtr source = std::make_shared<test::PatternStage>(test::format(70, 46, 1), 2);
    for (int by : {2, 4}) {
        const StagePtr large = byLanczos(std::make_shared<test::PatternStage>(test::format(70, 46, 1), 2, 9), by);
        test::checkContract(*plainWhereFlat(large, source, 0.7));
        CHECK(plainWhereFlat(large, source, 0) == large);
        test::checkKeys({[&] { return plainWhereFlat(large, source, 0.7); },
                         [&] { return plainWhereFlat(large, source, 0.8); },
                         [&] { return plainWhereFlat(byLanczos(source, by), source, 0.7); }});
    }
    CHECK_THROWS_AS(plainWhereFlat(source, byLanczos(source, 2), 1), std::logic_error);
}
