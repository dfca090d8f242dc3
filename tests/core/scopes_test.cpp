// Scopes against pictures whose spread is known, and the strength that sets light, colour and sharpening together.
#include "core/judge/scopes.h"
#include "core/ticket/together.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;

namespace {

Scopes of(int w, int h, const std::function<std::array<int, 3>(int, int)>& colour) {
    std::vector<std::uint8_t> rgb;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            for (const int v : colour(x, y)) rgb.push_back(std::uint8_t(v));
    return scopesOf(rgb.data(), w, h, w * 3);
}

} // namespace

TEST_CASE("a slope of grey is a slope on the waveform, a point on the vectorscope, and even on the histogram") {
    const Scopes s = of(256, 40, [](int x, int) { return std::array{x, x, x}; });
    for (int c = 2; c < Scopes::kColumns - 2; ++c) {
        double at = 0;
        for (int l = 0; l < Scopes::kLevels; ++l)
            at += (l + 0.5) * double(s.waveform[std::size_t(l) * Scopes::kColumns + std::size_t(c)]);
        CHECK(1 - at / Scopes::kLevels == Approx((c + 0.5) / Scopes::kColumns).margin(0.02));
    }
    const int middle = Scopes::kLevels / 2;
    double grey = 0;
    for (int y = middle - 1; y <= middle; ++y)
        for (int x = middle - 1; x <= middle; ++x)
            grey += double(s.colours[std::size_t(y) * Scopes::kLevels + std::size_t(x)]);
    CHECK(grey == Approx(1).margin(1e-3));
    for (const int i : {0, 100, 255}) CHECK(s.levels[2][std::size_t(i)] == Approx(1 / 256.0).margin(1e-5));
    CHECK(s.black == Approx(1 / 256.0).margin(1e-5));
    CHECK(s.white == Approx(1 / 256.0).margin(1e-5));
}

TEST_CASE("red lies up and a little to the left of grey on the vectorscope, blue to the right, as BT.709 says") {
    const auto middleOf = [](std::array<int, 3> rgb) {
        const Scopes s = of(8, 8, [&](int, int) { return rgb; });
        for (int y = 0; y < Scopes::kLevels; ++y)
            for (int x = 0; x < Scopes::kLevels; ++x)
                if (s.colours[std::size_t(y) * Scopes::kLevels + std::size_t(x)] > 0.5f)
                    return std::pair((x + 0.5) / Scopes::kLevels - 0.5, 0.5 - (y + 0.5) / Scopes::kLevels);
        return std::pair(9.0, 9.0);
    };
    const auto red = middleOf({255, 0, 0}), blue = middleOf({0, 0, 255});
    CHECK(red.first == Approx(-0.1146).margin(0.011));
    CHECK(red.second == Approx(0.5).margin(0.011));
    CHECK(blue.first == Approx(0.5).margin(0.011));
    CHECK(blue.second == Approx(-0.0458).margin(0.011));
}

TEST_CASE("no picture has empty scopes") {
    const Scopes s = scopesOf(nullptr, 0, 0, 0);
    CHECK(s.black == 0);
    CHECK(s.waveform.size() == std::size_t(Scopes::kColumns) * Scopes::kLevels);
}

TEST_CASE("together, parts grow with the strength, are nothing at none, and what was read holds them back") {
    Inspection clean, noisy, clipped;
    for (Inspection* i : {&clean, &noisy, &clipped}) i->readings.softness = 4;
    noisy.readings.noise = 7, noisy.readings.blocking = 30;
    clipped.readings.clipped = 8;
    const auto at = [](double strength, const Inspection& i) {
        Ticket t;
        for (const auto& [key, value] : togetherAt(strength, i)) setByKey(t, key, value);
        return t.finish;
    };
    const Ticket::Finish none = at(0, clean), half = at(0.5, clean), full = at(1, clean);
    CHECK(none.colour == Colour{});
    CHECK(none.amount == 0);
    CHECK(full.colour.contrast > half.colour.contrast);
    CHECK(half.colour.contrast > 0);
    CHECK(full.amount > half.amount);
    CHECK(full.clarity.amount <= 35); // as people set it
    CHECK(full.colour.vibrance <= 60);
    CHECK(at(1, noisy).amount < 0.4 * full.amount);
    CHECK(at(1, noisy).clarity.amount < 0.4 * full.clarity.amount);
    CHECK(at(1, clipped).colour.contrast < 0.5 * full.colour.contrast);
    CHECK(at(1, clipped).colour.lights == 0);
    for (const double s : {0.0, 0.31, 1.0}) {
        Ticket t;
        t.finish = at(s, clean);
        t.finish.on = true;
        REQUIRE(togetherOf(t, clean));
        CHECK(*togetherOf(t, clean) == Approx(s).margin(0.011));
    }
}
