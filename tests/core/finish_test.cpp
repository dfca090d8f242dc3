#include "core/engine/held_picture.h"
#include "core/finish/detail_stage.h"
#include "core/finish/grain_stage.h"
#include "core/finish/unsharp_stage.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;

namespace {

PictureFormat small() {
    PictureFormat f;
    f.width = 96;
    f.height = 72;
    return f;
}

Picture flat(float level, int w = 128, int h = 96) {
    PictureFormat f;
    f.width = w;
    f.height = h;
    Picture p = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < p.planes[c].area().h; ++y)
            for (int x = 0; x < p.planes[c].area().w; ++x) p.planes[c].row(y)[x] = c ? 0.f : level;
    return p;
}

Picture whole(const StagePtr& s, std::int64_t frame = 0) {
    Engine e(std::size_t(32) << 20);
    return e.pull(*s, frame, s->format().frame(), {});
}

// A still grey clip of any length.
struct Grey : Stage {
    float level;
    Grey(float l, PictureFormat f) : Stage({}, f, KeyMaker("grey").add(double(l)).add(f.width)), level(l) {}
    const char* name() const override { return "grey"; }
    std::int64_t frames() const override { return 8; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c)
            for (int y = out.planes[c].area().y; y < out.planes[c].area().bottom(); ++y)
                for (int x = 0; x < out.planes[c].area().w; ++x) out.planes[c].row(y)[x] = c ? 0.f : level;
    }
};

double sigmaOf(const Plane& p) {
    double sum = 0, square = 0;
    const double n = double(p.area().pixels());
    for (int y = p.area().y; y < p.area().bottom(); ++y)
        for (int x = 0; x < p.area().w; ++x) sum += p.row(y)[x], square += double(p.row(y)[x]) * p.row(y)[x];
    return 219 * std::sqrt(std::max(0.0, square / n - sum / n * sum / n));
}

// Likeness of a field with another, or with itself moved sideways.
double correlation(const Plane& a, const Plane& b, int by = 0) {
    double ab = 0, aa = 0, bb = 0, ma = 0, mb = 0;
    std::int64_t n = 0;
    const Rect r = a.area();
    for (int pass = 0; pass < 2; ++pass)
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = 0; x + by < r.w; ++x) {
                const double u = a.row(y)[x], v = b.row(y)[x + by];
                if (pass == 0)
                    ma += u, mb += v, ++n;
                else
                    ab += (u - ma / double(n)) * (v - mb / double(n)), aa += std::pow(u - ma / double(n), 2),
                        bb += std::pow(v - mb / double(n), 2);
            }
    return ab / std::sqrt(aa * bb);
}

} // namespace

TEST_CASE("sharpening by detail, its guard and grain keep to the stages' contract") {
    const auto in = std::make_shared<test::PatternStage>(small(), 2);
    test::checkContract(*sharpenByDetail(in, {0.5, 0.5, 0.5, 0.5}, 1), 1e-5);
    test::checkContract(*sharpenByDetail(in, {0.5, 0, 0, 0}, 0), 1e-5);
    test::checkContract(*guardSharpening(unsharp(in, 2, 1), in, 0.5, true), 1e-5);
    test::checkContract(*filmGrain(in, 6, 1, 0.5, 3), 1e-5);
    test::checkContract(*filmGrain(in, 6, 2.5, 0.5, 3), 1e-5);
}

TEST_CASE("each detail gain raises its own size of detail most; faint detail under the threshold is left") {
    // Stripes of periods that lie in the middle of each band.
    const double periods[] = {2.6, 6, 12, 24};
    for (int stripes = 0; stripes < 4; ++stripes) {
        Picture p = flat(0.5, 192, 64);
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 192; ++x)
                p.planes[0].row(y)[x] += 0.05f * float(std::sin(2 * M_PI * x / periods[stripes]));
        double most = 0;
        int best = -1;
        for (int band = 0; band < 4; ++band) {
            std::array<double, 4> gains{};
            gains[std::size_t(band)] = 1;
            const double rise =
                sigmaOf(whole(sharpenByDetail(heldPicture(p), gains, 0)).planes[0]) / sigmaOf(p.planes[0]);
            if (rise > most) most = rise, best = band;
        }
        CHECK(best == stripes);
        CHECK(most > 1.25);
        CHECK(test::meanSquare(whole(sharpenByDetail(heldPicture(p), {3, 3, 3, 3}, 20)).planes[0], p.planes[0]) < 1e-9);
    }
}

TEST_CASE("the guard cuts overshoot by its share and leaves black as it was") {
    Picture p = flat(0.3);
    for (int y = 0; y < 96; ++y)
        for (int x = 64; x < 128; ++x) p.planes[0].row(y)[x] = 0.7f;
    for (int x = 0; x < 20; ++x) p.planes[0].row(40)[x] = 0.f;
    const StagePtr plain = heldPicture(p), sharp = unsharp(plain, 2, 1.5);
    const auto top = [&](const StagePtr& s) {
        float most = 0;
        const Picture out = whole(s);
        for (int x = 60; x < 70; ++x) most = std::max(most, out.planes[0].at(x, 70));
        return most - 0.7f;
    };
    const float open = top(guardSharpening(sharp, plain, 0, false));
    CHECK(open > 0.1f);
    CHECK(top(guardSharpening(sharp, plain, 0.5, false)) == Approx(open / 2).margin(1e-4));
    CHECK(top(guardSharpening(sharp, plain, 1, false)) == Approx(0).margin(1e-5));
    CHECK(whole(guardSharpening(sharp, plain, 0, true)).planes[0].at(10, 40) == Approx(0).margin(1e-6));
    CHECK(whole(guardSharpening(sharp, plain, 0, false)).planes[0].at(10, 40) < -0.1f);
}

TEST_CASE("grain has the sigma asked for at every size, fades in black and white, and lives") {
    PictureFormat f;
    f.width = 256;
    f.height = 192;
    const auto grey = std::make_shared<Grey>(0.5f, f);
    for (const double size : {0.5, 1.0, 2.0, 4.0}) {
        INFO(size);
        CHECK(sigmaOf(whole(filmGrain(grey, 5, size, 0, 1)).planes[0]) == Approx(5).epsilon(0.08));
    }
    CHECK(sigmaOf(whole(filmGrain(std::make_shared<Grey>(0.02f, f), 5, 1, 1, 1)).planes[0]) < 0.6);
    CHECK(sigmaOf(whole(filmGrain(std::make_shared<Grey>(0.02f, f), 5, 1, 0, 1)).planes[0]) == Approx(5).epsilon(0.08));
    const auto stage = filmGrain(grey, 5, 2, 0.5, 1);
    const Plane one = whole(stage, 3).planes[0], next = whole(stage, 4).planes[0];
    CHECK(std::abs(correlation(one, next)) < 0.03); // no static overlay
    CHECK(correlation(one, whole(filmGrain(grey, 5, 2, 0.5, 1), 3).planes[0]) == Approx(1));
    CHECK(std::abs(correlation(one, whole(filmGrain(grey, 5, 2, 0.5, 2), 3).planes[0])) < 0.03);
    // Spectrum: blobs of the size asked for, nothing that repeats.
    CHECK(correlation(one, one, 1) > 0.5);
    CHECK(std::abs(correlation(one, one, 8)) < 0.05);
    CHECK(std::abs(correlation(one, one, 64)) < 0.05);
    const Plane fine = whole(filmGrain(grey, 5, 0.5, 0.5, 1), 3).planes[0];
    CHECK(std::abs(correlation(fine, fine, 1)) < 0.03);
}
