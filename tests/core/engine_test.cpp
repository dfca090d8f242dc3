#include "tests/support/contract.h"

#include "core/engine/large_work.h"
#include "core/engine/mix_stage.h"
#include "core/engine/pick_stage.h"
#include "core/engine/resample_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/framing/fill_stages.h"
#include "core/motion/aligned_stage.h"
#include "core/pipeline/delivery.h"
#include "core/restore/clean_stages.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <thread>

using namespace ulm;
using test::PatternStage;

namespace {

PictureFormat format(int w, int h, int subW = 1, int subH = 1) {
    PictureFormat f{w, h, subW, subH};
    f.colour.chromaSite = 1;
    return f;
}

StagePtr pattern(int w, int h, int subW = 1, int subH = 1, std::int64_t frames = 3) {
    return std::make_shared<PatternStage>(format(w, h, subW, subH), frames);
}

// Counts how often it runs; slow and failing on demand.
class CountingStage : public Stage {
public:
    explicit CountingStage(StagePtr in) : Stage({in}, in->format(), KeyMaker("counting").add(in)) {}
    const char* name() const override { return "counting"; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        ++runs;
        if (failing) throw Error(Fault::Input, "f", "broken", "mend it");
        for (int i = 0; i < slowness; ++i) {
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
            cancel.check();
        }
        for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
    }
    mutable std::atomic<int> runs{0};
    int slowness = 0;
    bool failing = false;
};

} // namespace

TEST_CASE("every stage keeps the contract, whatever the size and subsampling") {
    const auto [w, h, sw, sh] = GENERATE(table<int, int, int, int>(
        {{64, 48, 1, 1}, {61, 37, 1, 1}, {33, 50, 0, 0}, {40, 31, 1, 0}, {31, 40, 0, 1}, {9, 7, 1, 1}}));
    const StagePtr in = pattern(w, h, sw, sh);
    CAPTURE(w, h, sw, sh);
    SECTION("deblock") { test::checkContract(*deblock(in, 20)); }
    SECTION("denoise over three frames") {
        test::checkContract(*denoise(in, 8, Planes::All, alignedAround(in, in, 1)));
    }
    SECTION("denoise of one frame") { test::checkContract(*denoise(pattern(w, h, sw, sh, 1), 8)); }
    SECTION("another clock") {
        test::checkContract(*pickFrames(in, 7, 3, [](std::int64_t n) { return n / 3; }));
    }
    SECTION("stack") { // the upper one's height is even
        const auto half = std::make_shared<ResampleStage>(
            in, ScaleWindow{0, 0, double(w), double(h), w, std::max(2, h / 4 * 2)}, Kernel::Bilinear, in->format());
        test::checkContract(*stacked(half, deblock(in, 20)));
    }
    SECTION("mix") { test::checkContract(*keepOriginal(deblock(in, 30), in, 0.4)); }
    SECTION("sharpen") { test::checkContract(*unsharp(in, 1.2, GENERATE(0.3, 1.4, 5.0))); }
    SECTION("scale") {
        const Kernel k = GENERATE(Kernel::Bilinear, Kernel::Bicubic, Kernel::Spline36, Kernel::Lanczos, Kernel::Point);
        PictureFormat out = in->format();
        out.subW = out.subH = 1;
        CAPTURE(static_cast<int>(k));
        test::checkContract(ResampleStage(in, {0, 0, double(w), double(h), 2 * w, 2 * h}, k, out));
        test::checkContract(ResampleStage(in, {1.25, 0.5, w * 0.6, h * 0.7, w * 3 / 2 & ~1, (h + 6) & ~1}, k, out));
        test::checkContract(
            ResampleStage(in, {0, 0, double(w), double(h), std::max(4, w / 3 & ~1), std::max(4, h / 2 & ~1)}, k, out));
    }
    SECTION("chroma to full and back") {
        test::checkContract(*withChroma(in, 0, 0, 0));
        test::checkContract(*withChroma(pattern(w, h, 0, 0), 1, 1, 1));
    }
    SECTION("rgb") { test::checkContract(*asRgb(in)); }
    SECTION("black and blurred fill") {
        const StagePtr even = pattern(w & ~1, h & ~1, sw, sh);
        test::checkContract(*padded(even, {4, 6, w & ~1, h & ~1}, (w & ~1) + 12, (h & ~1) + 14));
        test::checkContract(*blurFilled(even, backdrop(even, (w & ~1) + 160, (h & ~1) + 200), {8, 12, w & ~1, h & ~1},
                                        (w & ~1) + 160, (h & ~1) + 200));
    }
}

TEST_CASE("the contract checker sees a stage that reads outside its declared margin, or writes outside its region") {
    class Liar : public Stage {
    public:
        Liar(StagePtr in, bool writes) : Stage({in}, in->format(), KeyMaker("liar").add(in)), writes_(writes) {}
        const char* name() const override { return "liar"; }
        void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
            for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
            float* row = out.planes[0].row(out.area.y);
            if (writes_)
                row[out.area.w] = 1;
            else
                row[0] = in[0].planes[0].row(out.area.y)[-1];
        }
        bool writes_;
    };
    // The liar is computed by hand here, since the checker would (rightly) fail this test case.
    const StagePtr in = pattern(40, 30);
    const Liar reads(in, false);
    Plane wide = Plane::make({-8, -8, 56, 46});
    for (int y = -8; y < 38; ++y) std::fill_n(wide.row(y), 56, std::nanf(""));
    Picture source = Engine(0).pull(*in, 0, {8, 8, 4, 4}, {});
    copySamples(source.planes[0], wide);
    source.planes[0] = wide.view({8, 8, 4, 4});
    Picture out = Picture::make(reads.format(), {8, 8, 4, 4});
    reads.compute(0, std::span(&source, 1), out, {});
    CHECK(std::isnan(out.planes[0].at(8, 8)));
}

TEST_CASE("a kept region answers every region inside it, and nothing else") {
    const auto counting = std::make_shared<CountingStage>(pattern(64, 64));
    Engine engine(std::size_t(64) << 20);
    engine.pull(*counting, 0, {8, 8, 40, 40}, {});
    CHECK(counting->runs == 1);
    const Picture inside = engine.pull(*counting, 0, {10, 12, 7, 5}, {});
    CHECK(counting->runs == 1);
    CHECK(inside.area == Rect{10, 12, 7, 5});
    CHECK(inside.planes[0].at(10, 12) ==
          Engine(0).pull(*counting->inputs()[0], 0, {10, 12, 1, 1}, {}).planes[0].at(10, 12));
    engine.pull(*counting, 0, {0, 8, 40, 40}, {});
    CHECK(counting->runs == 2);
    engine.pull(*counting, 1, {10, 12, 7, 5}, {});
    CHECK(counting->runs == 3);
}

TEST_CASE("a change downstream reuses everything upstream of it") {
    const auto counting = std::make_shared<CountingStage>(pattern(64, 64));
    Engine engine(std::size_t(64) << 20);
    engine.pull(*unsharp(counting, 0.5, 1), 0, {16, 16, 20, 20}, {});
    CHECK(counting->runs == 1);
    engine.pull(*unsharp(counting, 0.9, 1), 0, {16, 16, 20, 20}, {});
    CHECK(counting->runs == 1);
    CHECK(unsharp(counting, 0.5, 1)->key() == unsharp(counting, 0.5, 1)->key());
    CHECK(unsharp(counting, 0.5, 1)->key() != unsharp(counting, 0.6, 1)->key());
    CHECK(unsharp(counting, 0.5, 1)->key() != unsharp(counting, 0.5, 1.1)->key());
}

TEST_CASE("the cache stays inside its budget, dropping what was used longest ago") {
    const auto counting = std::make_shared<CountingStage>(pattern(64, 64, 1, 1, 50));
    Engine engine(std::size_t(300) << 10);
    for (int n = 0; n < 50; ++n) engine.pull(*counting, n, {0, 0, 64, 64}, {});
    CHECK(engine.cache().bytes() <= engine.cache().budget());
    CHECK(engine.cache().bytes() > 0);
    const int before = counting->runs;
    engine.pull(*counting, 49, {0, 0, 64, 64}, {});
    CHECK(counting->runs == before);
    engine.pull(*counting, 0, {0, 0, 64, 64}, {});
    CHECK(counting->runs == before + 1);
    engine.cache().setBudget(0);
    CHECK(engine.cache().bytes() == 0);
}

TEST_CASE("who waits for another's region can be cancelled, and goes on where the other fails") {
    Engine engine(std::size_t(8) << 20);
    const auto stage = std::make_shared<CountingStage>(pattern(64, 48));
    stage->slowness = 400;
    const CancelToken first, second;
    const Rect all = stage->format().frame();
    std::thread worker([&] { CHECK_THROWS_AS(engine.pull(*stage, 0, all, first), Cancelled); });
    while (stage->runs == 0) std::this_thread::yield();
    // Cancelled while it waits: it leaves at once, though the other still works.
    std::thread impatient([&] { CHECK_THROWS_AS(engine.pull(*stage, 0, all, second), Cancelled); });
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    second.cancel();
    impatient.join();
    CHECK(stage->runs == 1);
    // The one that computes gives up: who waits takes over.
    Picture got;
    std::thread patient([&] { got = engine.pull(*stage, 0, all, {}); });
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    first.cancel();
    worker.join();
    patient.join();
    CHECK(stage->runs == 2);
    CHECK(got.area == all);
}

TEST_CASE("two threads that want the same region compute it once") {
    const auto counting = std::make_shared<CountingStage>(pattern(64, 64));
    counting->slowness = 30;
    Engine engine(std::size_t(64) << 20);
    std::thread other([&] { engine.pull(*counting, 0, {0, 0, 64, 64}, {}); });
    engine.pull(*counting, 0, {0, 0, 64, 64}, {});
    other.join();
    CHECK(counting->runs == 1);
}

TEST_CASE("cancelled and failed work leaves the cache usable") {
    const auto counting = std::make_shared<CountingStage>(pattern(64, 64));
    counting->slowness = 2000;
    Engine engine(std::size_t(64) << 20);
    const CancelToken cancel;
    std::thread stopper([&] {
        while (counting->runs == 0) std::this_thread::yield();
        cancel.cancel();
    });
    CHECK_THROWS_AS(engine.pull(*counting, 0, {0, 0, 64, 64}, cancel), Cancelled);
    stopper.join();
    counting->slowness = 0;
    counting->failing = true;
    CHECK_THROWS_AS(engine.pull(*counting, 0, {0, 0, 64, 64}, {}), Error);
    counting->failing = false;
    CHECK(engine.pull(*counting, 0, {0, 0, 64, 64}, {}).area.w == 64);
    CHECK(counting->runs == 3);
}

TEST_CASE("tiles cover the region once, and those nearest the point of interest start first") {
    const StagePtr in = pattern(300, 200);
    Engine engine(std::size_t(64) << 20);
    std::mutex mutex;
    std::vector<Rect> seen;
    engine.pullTiles(*in, 0, {10, 10, 280, 180}, 64, 280, 180, {}, [&](const Picture& p) {
        std::lock_guard lock(mutex);
        seen.push_back(p.area);
    });
    long long pixels = 0;
    for (const Rect& r : seen) pixels += r.pixels();
    CHECK(pixels == 280 * 180);
    CHECK(seen.size() == 15);
    CHECK(std::find(seen.begin(), seen.begin() + 4, Rect{266, 138, 24, 52}) != seen.begin() + 4);
}

TEST_CASE("a window that moves shows on each frame what a window standing there would") {
    const StagePtr in = pattern(90, 60);
    const auto at = [](std::int64_t n) {
        return ScaleWindow{10.0 + 7.25 * double(n), 4.5, 40 - double(n), 36, 64, 50};
    };
    const ResampleStage moving(in, WindowPath(at(0), 11, at), Kernel::Lanczos, in->format()),
        otherwise(in, WindowPath(at(0), 12, at), Kernel::Lanczos, in->format());
    CHECK(moving.key() != otherwise.key());
    test::checkContract(moving);
    Engine engine(0);
    for (const std::int64_t n : {0, 1, 2}) {
        const ResampleStage still(in, at(n), Kernel::Lanczos, in->format());
        CHECK(moving.key() != still.key());
        const Picture a = engine.pull(moving, n, moving.format().frame(), {}),
                      b = engine.pull(still, n, still.format().frame(), {});
        for (std::size_t c = 0; c < 3; ++c)
            for (int y = 0; y < a.planes[c].area().h; ++y)
                REQUIRE(std::equal(a.planes[c].row(y), a.planes[c].row(y) + a.planes[c].area().w, b.planes[c].row(y)));
    }
}

TEST_CASE("a stage on another clock shows the frames it is told to, and keeps none of its own") {
    const auto counted = std::make_shared<CountingStage>(pattern(32, 24));
    const StagePtr twice = pickFrames(counted, 6, 5, [](std::int64_t n) { return n / 2; });
    CHECK(twice->frames() == 6);
    CHECK(twice->key() != pickFrames(counted, 6, 6, [](std::int64_t n) { return n / 2; })->key());
    Engine engine(std::size_t(8) << 20);
    for (std::int64_t n = 0; n < 6; ++n)
        CHECK(engine.pull(*twice, n, twice->format().frame(), {}).planes[0].at(9, 8) ==
              engine.pull(*counted, n / 2, twice->format().frame(), {}).planes[0].at(9, 8));
    CHECK(counted->runs == 3); // each source frame once, however often it is shown
}

TEST_CASE("work on large frames is known of while it lasts, and waiting for its end can be cancelled") {
    CHECK(isLargeFrame(3840, 2160));
    CHECK_FALSE(isLargeFrame(1080, 1920));
    const LargeWork small(false);
    CHECK_FALSE(LargeWork::underWay());
    LargeWork::waitForEnd({});
    auto work = std::make_unique<LargeWork>(true);
    CHECK(LargeWork::underWay());
    const CancelToken cancel;
    cancel.cancel();
    CHECK_THROWS_AS(LargeWork::waitForEnd(cancel), Cancelled);
    std::thread other([&] { LargeWork::waitForEnd({}); });
    work.reset();
    other.join();
    CHECK_FALSE(LargeWork::underWay());
}
