// The camera's movement, told from what moves in the picture, and taken out.
#include "core/engine/engine.h"
#include "core/framing/steady.h"
#include "core/inspect/camera.h"
#include "core/media/frame_convert.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/step.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <random>

using namespace ulm;
using test::TempFolder;

namespace {

constexpr int kW = 320, kH = 180;

// A photograph seen by a camera at (x, y), turned by degrees; a large dark block over it where asked.
struct View {
    double x = 0, y = 0, degrees = 0;
    int blockX = -1;
};
av::Frame framed(const View& v) {
    static const Picture photo = test::photograph(kW + 160, kH + 160, 11);
    av::Frame f(av_frame_alloc());
    f->format = AV_PIX_FMT_GRAY8;
    f->width = kW, f->height = kH;
    REQUIRE(av_frame_get_buffer(f.get(), 0) == 0);
    const Affine m = Affine::moving(-kW / 2.0, -kH / 2.0)
                         .then(Affine::turning(v.degrees))
                         .then(Affine::moving(kW / 2.0 + 80 + v.x, kH / 2.0 + 80 + v.y));
    for (int j = 0; j < kH; ++j)
        for (int i = 0; i < kW; ++i) {
            const Point p = m({i + 0.5, j + 0.5});
            const double sx = p.x - 0.5, sy = p.y - 0.5;
            const int ix = int(std::floor(sx)), iy = int(std::floor(sy));
            const double fx = sx - ix, fy = sy - iy;
            const auto at = [&](int a, int b) { return double(photo.planes[0].at(a, b)); };
            double light = (at(ix, iy) * (1 - fx) + at(ix + 1, iy) * fx) * (1 - fy) +
                           (at(ix, iy + 1) * (1 - fx) + at(ix + 1, iy + 1) * fx) * fy;
            if (v.blockX >= 0 && i >= v.blockX && i < v.blockX + 90 && j > 40 && j < 150)
                light = ((i - v.blockX) / 6 + j / 6) % 2 ? 0.9 : 0.1;
            f->data[0][j * f->linesize[0] + i] = std::uint8_t(std::clamp(std::lround(light * 255), 0l, 255l));
        }
    return f;
}

VideoFacts facts() {
    VideoFacts v;
    v.width = v.codedWidth = kW, v.height = v.codedHeight = kH, v.fps = 25;
    return v;
}

std::vector<CameraMove> movesOf(const std::vector<View>& views, VideoFacts v = facts()) {
    CameraFinder finder(v);
    for (const View& view : views) finder.add(*framed(view));
    CHECK(finder.trust() > 0.9);
    return finder.moves();
}

std::vector<View> handheld(int frames, double pan) {
    std::mt19937 random(5);
    std::normal_distribution<double> jolt(0, 1.2);
    std::vector<View> all;
    View v;
    for (int n = 0; n < frames; ++n) {
        v.x = std::clamp(0.7 * (v.x - pan * n) + jolt(random), -6.0, 6.0) + pan * n;
        v.y = std::clamp(0.7 * v.y + jolt(random), -6.0, 6.0);
        v.degrees = 0.7 * v.degrees + 0.15 * jolt(random);
        all.push_back(v);
    }
    return all;
}

} // namespace

TEST_CASE("the camera's moves are found to a tenth of a pixel, turns to a twentieth of a degree") {
    const std::vector<View> views = handheld(24, 0.8);
    const std::vector<CameraMove> moves = movesOf(views);
    for (std::size_t n = 1; n < views.size(); ++n) {
        CHECK(moves[n].x * kW == Approx(-(views[n].x - views[n - 1].x)).margin(0.12));
        CHECK(moves[n].y * kW == Approx(-(views[n].y - views[n - 1].y)).margin(0.12));
        CHECK(moves[n].turn * 180 / M_PI == Approx(-(views[n].degrees - views[n - 1].degrees)).margin(0.05));
        CHECK(std::abs(moves[n].grow) < 0.002);
    }
}

TEST_CASE("moves are told upright of clips that are stored turned and mirrored") {
    const std::vector<View> views = {{0, 0, 0, -1}, {4, 1, 0, -1}, {8, 2, 0, -1}};
    for (const auto& [rotation, mirrored, x, y] :
         {std::tuple{90, false, 1.f, -4.f}, {180, false, 4.f, 1.f}, {270, false, -1.f, 4.f}, {0, true, 4.f, -1.f}}) {
        VideoFacts v = facts();
        v.rotation = rotation, v.mirrored = mirrored;
        if (rotation % 180) std::swap(v.width, v.height);
        const std::vector<CameraMove> moves = movesOf(views, v);
        INFO(rotation << (mirrored ? " mirrored" : ""));
        CHECK(moves[2].x * kW == Approx(x).margin(0.15));
        CHECK(moves[2].y * kW == Approx(y).margin(0.15));
    }
}

TEST_CASE("a large thing that bobs in front of a still camera is no shake") {
    std::vector<View> views;
    for (int n = 0; n < 40; ++n) views.push_back({0, 0, 0, 110 + int(std::lround(12 * std::sin(n * 0.9)))});
    const Tremble t = trembleOf(movesOf(views), {}, 25);
    CHECK(t.size * kW < 0.2);
    CHECK(trembleOf(movesOf(handheld(40, 0)), {}, 25).size * kW > 1);
}

TEST_CASE("steadied, a path loses its tremble and keeps its pan; more strength leaves less; no border shows") {
    const std::vector<View> views = handheld(90, 0.6);
    SteadyWish wish;
    wish.moves = movesOf(views);
    double last = 1e9;
    for (const double strength : {0.2, 0.5, 0.9}) {
        wish.strength = strength;
        const SteadyPathPtr path = planSteady(wish, {kW, kH});
        // Where one point of the scene comes to lie.
        std::vector<Point> seen;
        for (std::size_t n = 0; n < views.size(); ++n) {
            const Affine scene = Affine::moving(-kW / 2.0 - views[n].x, -kH / 2.0 - views[n].y)
                                     .then(Affine::turning(-views[n].degrees))
                                     .then(Affine::moving(kW / 2.0, kH / 2.0));
            seen.push_back(path->at(double(n))(scene({kW / 2.0, kH / 2.0})));
            for (const Point corner : {Point{0, 0}, Point{kW, 0}, Point{0, kH}, Point{kW, kH}}) {
                const Point from = path->at(double(n)).inverse()(corner);
                CHECK(from.x > -0.1);
                CHECK(from.y > -0.1);
                CHECK(from.x < kW + 0.1);
                CHECK(from.y < kH + 0.1);
            }
        }
        double jerk = 0;
        for (std::size_t n = 2; n < seen.size(); ++n)
            jerk += std::hypot(seen[n].x - 2 * seen[n - 1].x + seen[n - 2].x,
                               seen[n].y - 2 * seen[n - 1].y + seen[n - 2].y);
        CHECK(jerk < 1.1 * last); // near its floor a stronger one is no calmer
        last = jerk;
        CHECK(path->mostZoom < 1.26);
        // The camera's own path, as it was and as it is shown, for drawing.
        const auto unrest = [](const std::vector<Point>& p) {
            double sum = 0;
            for (std::size_t n = 2; n < p.size(); ++n)
                sum += std::hypot(p[n].x - 2 * p[n - 1].x + p[n - 2].x, p[n].y - 2 * p[n - 1].y + p[n - 2].y);
            return sum;
        };
        REQUIRE(path->was.size() == views.size());
        CHECK(unrest(path->is) < 0.25 * unrest(path->was));
        CHECK(std::abs(path->was.back().x - path->was.front().x) * kW == Approx(0.6 * 89).margin(14));
        CHECK(std::abs(path->is.back().x - path->was.back().x) * kW < 14);
        if (strength < 0.9) CHECK(seen.front().x - seen.back().x == Approx(0.6 * 89).margin(14)); // the pan
    }
    double shaken = 0;
    for (std::size_t n = 2; n < views.size(); ++n)
        shaken += std::hypot(views[n].x - 2 * views[n - 1].x + views[n - 2].x,
                             views[n].y - 2 * views[n - 1].y + views[n - 2].y);
    CHECK(last < shaken / 10);
}

TEST_CASE("a still camera stays as it is, each shot is steadied alone, and between frames the way is even") {
    SteadyWish wish;
    wish.moves.resize(20);
    CHECK(planSteady(wish, {kW, kH})->mostZoom == 1);
    for (std::size_t n = 1; n < 20; ++n) wish.moves[n] = {n % 2 ? 0.01f : -0.01f, 0, 0, 0};
    wish.moves[10] = {0.4f, 0, 0, 0}; // a jump that is a cut
    wish.cuts = {10};
    const SteadyPathPtr path = planSteady(wish, {kW, kH});
    CHECK(path->mostZoom < 1.05);
    CHECK(path->at(4.5)({0, 0}).x == Approx((path->at(4)({0, 0}).x + path->at(5)({0, 0}).x) / 2));
    CHECK(path->at(9.5)({0, 0}).x == Approx(path->at(9)({0, 0}).x));
    CHECK(planSteady(wish, {kW, kH}) == path); // kept
}

TEST_CASE("a delivery that is steadied shows the steadied clip, before and after alike, and points agree") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 160, .height = 96, .frames = 30});
    const ClipPtr clip = Clip::openVideo(folder / "a.mp4");
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 8 << 20);
    Inspection found;
    found.complete = true;
    found.camera.resize(30);
    for (std::size_t n = 1; n < 30; ++n) found.camera[n] = {n % 2 ? 0.02f : -0.02f, 0.01f, 0, 0};
    Ticket t;
    setByAssignment(t, "motion.stabilise=60");
    const DeliveryPtr d = resolve(reader, found, t);
    CHECK(d->size() == Size{160, 96});
    const Point a = d->toDelivered(6, {80, 48}), b = d->toDelivered(7, {80, 48});
    CHECK(a.x - b.x == Approx(0.02 * 160).margin(1.2)); // the picture moves against the camera
    CHECK(d->toSource(6, a).x == Approx(80));
    Engine engine(0);
    const Picture before = engine.pull(*d->before, 6, d->before->format().frame(), {}),
                  after = engine.pull(*d->result, 6, d->result->format().frame(), {});
    CHECK(test::meanSquare(before.planes[0], after.planes[0]) < 1e-4);
    found.camera.clear();
    const DeliveryPtr unknown = resolve(reader, found, t);
    CHECK(unknown->toDelivered(6, {80, 48}).x == 80);
    CHECK(std::ranges::any_of(unknown->remarks(), [](const auto& s) { return s.find("shake stays") != s.npos; }));
}
