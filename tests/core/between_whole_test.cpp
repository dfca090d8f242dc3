// What in-betweens show where no movement can be trusted: a thing as it was in one frame, never torn or double.
#include "core/engine/engine.h"
#include "core/judge/measures.h"
#include "core/motion/between_field.h"
#include "core/motion/between_stage.h"
#include "core/motion/between_whole.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;

namespace {

// A limb that swings by 100° between two frames, dark before a photograph that slides by `vx` pixels a frame with it.
class Limb : public Stage {
public:
    explicit Limb(int vx = 0)
        : Stage({}, {kW, kH, 1, 1}, KeyMaker("limb").add(vx)), vx_(vx), behind_(test::photograph(kW + 80, kH, 7)) {}
    const char* name() const override { return "limb"; }
    std::int64_t frames() const override { return 4; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        const Picture whole = at(n % 2 ? 1 : -1, int(n));
        for (std::size_t c = 0; c < 3; ++c) copySamples(whole.planes[c], out.planes[c]);
    }
    // Swung to this side, so many frames on.
    Picture at(int side, double n) const {
        Picture out = Picture::make(format(), format().frame());
        const int moved = int(std::lround(vx_ * n)) / 2 * 2;
        for (std::size_t c = 0; c < 3; ++c) {
            const int sub = c ? 2 : 1;
            for (int y = 0; y < kH / sub; ++y)
                for (int x = 0; x < kW / sub; ++x) {
                    const float light = behind_.planes[c].at(x + (40 + moved) / sub, y);
                    const double dx = sub * x - (kX - moved), dy = sub * y - kY;
                    const double along = (dy + 1.2 * side * dx) / std::hypot(1, 1.2),
                                 beside = (dx - 1.2 * side * dy) / std::hypot(1, 1.2);
                    const bool dark = along > 0 && along < 56 && std::abs(beside) < 7;
                    out.planes[c].row(y)[x] = c ? (dark ? 0.2f : 0.3f * light) : dark ? 0.05f : 0.5f + 0.4f * light;
                }
        }
        return out;
    }
    static constexpr int kW = 256, kH = 160, kX = 128, kY = 50;

private:
    int vx_;
    Picture behind_;
};

constexpr Rect kAround{64, 40, 128, 72}; // all that the limb may cover

BetweenClock at(double part) {
    return {3, KeyMaker("at").add(part), [part](std::int64_t n) { return BetweenInstant{n, part}; }, {}};
}

Picture made(const std::shared_ptr<Limb>& limb, double part, Between method, Unsure unsure) {
    Engine engine(std::size_t(64) << 20);
    const StagePtr s = inBetween(limb, limb, at(part), method, unsure);
    return engine.pull(*s, 1, s->format().frame(), {});
}

double alike(const Picture& a, const Picture& b) { return psnr(a.planes[0].view(kAround), b.planes[0].view(kAround)); }

// Samples that are neither the limb nor what is behind it.
int between(const Picture& p) {
    int count = 0;
    for (int y = kAround.y; y < kAround.bottom(); ++y)
        for (int x = kAround.x; x < kAround.right(); ++x)
            count += p.planes[0].at(x, y) > 0.1f && p.planes[0].at(x, y) < 0.45f;
    return count;
}

// A field of one layer, both sides half, without movement.
BetweenField doubted(const cv::Mat& doubt) {
    BetweenField f;
    f.layers.resize(1);
    BetweenLayer& l = f.layers[0];
    for (cv::Mat* m : {&l.dx, &l.dy}) *m = cv::Mat::zeros(doubt.size(), CV_32F);
    for (cv::Mat* m : {&l.shareA, &l.shareB}) *m = cv::Mat(doubt.size(), CV_32F, cv::Scalar(0.5));
    f.doubt = doubt.clone(), f.mendable = doubt.clone();
    return f;
}

const cv::Size kSize(80, 30);
cv::Mat even(double v) { return cv::Mat(kSize, CV_32F, cv::Scalar(v)); }

} // namespace

TEST_CASE("a limb whose movement cannot be told keeps the shape of the nearer frame; mixed it is in neither place") {
    for (const Between method : {Between::Fast, Between::Careful})
        for (const double part : {0.4, 0.6}) {
            const auto limb = std::make_shared<Limb>();
            const Picture before = limb->at(1, 1), after = limb->at(-1, 2);
            const Picture &nearer = part < 0.5 ? before : after, &other = part < 0.5 ? after : before;
            const Picture whole = made(limb, part, method, Unsure::Whole), mix = made(limb, part, method, Unsure::Mix);
            INFO((method == Between::Fast ? "fast" : "careful") << " at " << part);
            INFO(alike(whole, nearer) << " " << alike(whole, other) << " " << alike(mix, nearer));
            CHECK(alike(whole, nearer) > 20);
            CHECK(alike(whole, nearer) > alike(mix, nearer) + 2);
            CHECK(alike(whole, other) < 15);
            INFO(between(whole) << " " << between(mix));
            CHECK(between(nearer) == 0);
            CHECK(between(mix) > 5 * between(whole));
            // Colour keeps it too, and away from it nothing is touched.
            const Rect colour{kAround.x / 2, kAround.y / 2, kAround.w / 2, kAround.h / 2};
            CHECK(test::meanSquare(whole.planes[1].view(colour), nearer.planes[1].view(colour)) <
                  0.6 * test::meanSquare(mix.planes[1].view(colour), nearer.planes[1].view(colour)));
            for (const Rect& away : {Rect{0, 0, 40, 160}, Rect{216, 0, 40, 160}})
                CHECK(test::meanSquare(whole.planes[0].view(away), mix.planes[0].view(away)) == 0);
        }
}

TEST_CASE("what is kept whole moves along with what is around it") {
    const auto limb = std::make_shared<Limb>(12);
    const Picture whole = made(limb, 0.4, Between::Fast, Unsure::Whole);
    INFO(alike(whole, limb->at(1, 1.4)) << " " << alike(whole, limb->at(1, 1)));
    CHECK(alike(whole, limb->at(1, 1.4)) > alike(whole, limb->at(1, 1)) + 3);
}

TEST_CASE("kept whole: the side that holds what a path leads to, where the other one ends at its border") {
    BetweenField field = doubted(even(60));
    field.layers[0].dx = -10;
    keepWhole(field, even(100), even(100), 0.4f, 1);
    REQUIRE(field.layers.size() == 2);
    const BetweenLayer& kept = field.layers[1];
    const auto of = [](const cv::Mat& m, int x) { return m.at<float>(15, x); };
    CHECK(of(kept.dx, 20) == Approx(-10));
    // A is nearer; but at the right rim its path comes from beyond, where only B has something.
    CHECK(of(kept.shareA, 20) == Approx(1));
    CHECK(of(kept.shareB, 20) == Approx(0).margin(1e-6));
    CHECK(of(kept.shareA, kSize.width - 1) == Approx(0).margin(1e-6));
    CHECK(of(kept.shareB, kSize.width - 1) == Approx(1));
    CHECK(of(field.layers[0].shareA, 20) == Approx(0).margin(1e-6));
    CHECK(of(field.mendable, 20) == Approx(0).margin(1e-6));
    CHECK(of(field.doubt, 20) == 60); // it is still told
}

TEST_CASE("kept whole: where a thing is left counts with where it comes, which may be doubted more") {
    cv::Mat doubt = even(0);
    doubt(cv::Rect(10, 10, 8, 8)) = 60;
    for (const int x : {26, 64}) doubt(cv::Rect(x, 10, 8, 8)) = 18; // near it, and far from it
    BetweenField field = doubted(doubt);
    keepWhole(field, even(100), even(100), 0.4f, 1);
    const auto kept = [&](int x) { return field.layers[1].shareA.at<float>(14, x); };
    CHECK(kept(14) == Approx(1));
    CHECK(kept(30) > 0.9f);
    CHECK(kept(68) == 0);
}

TEST_CASE("kept whole: clear detail that lies still in both stays where it is") {
    cv::Mat a = even(60);
    for (int x = 12; x < 20; x += 4) a.colRange(x, x + 2) = 230; // letters
    cv::Mat b = a.clone();
    b.colRange(28, 40) = 120; // something else comes there
    const auto kept = [&](int x) {
        BetweenField field = doubted(even(60));
        keepWhole(field, a, b, 0.4f, 1);
        return field.layers[1].shareA.at<float>(15, x);
    };
    CHECK(kept(14) == Approx(0).margin(1e-6));
    CHECK(kept(32) == Approx(1));
    b = 230 + 60 - a; // the same detail, in other places
    CHECK(kept(14) == Approx(1));
}

TEST_CASE("kept whole: nothing where nothing is doubtful, and a part of the picture is that part of the whole") {
    cv::Mat doubt = even(20);
    doubt.at<float>(10, 10) = 90; // one place alone is a speck
    BetweenField field = doubted(doubt);
    keepWhole(field, even(100), even(100), 0.5f, 1);
    CHECK(cv::countNonZero(field.layers[1].shareA) + cv::countNonZero(field.layers[1].shareB) == 0);
    CHECK(cv::norm(field.mendable, field.doubt) == 0);
    CHECK(cv::norm(field.layers[0].shareA - 0.5) == 0);

    const auto limb = std::make_shared<Limb>(6);
    for (const Between method : {Between::Fast, Between::Careful})
        test::checkContract(*inBetween(limb, limb, at(0.4), method), 2e-5);
    test::checkKeys({[&] { return inBetween(limb, limb, at(0.4), Between::Fast); },
                     [&] { return inBetween(limb, limb, at(0.4), Between::Fast, Unsure::Mix); }});
}
