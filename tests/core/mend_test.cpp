// What a network makes better in pictures in between, and what it leaves alone.
#include "core/engine/engine.h"
#include "core/judge/measures.h"
#include "core/media/source_stage.h"
#include "core/model/shipped_networks.h"
#include "core/motion/between_stage.h"
#include "core/motion/mend.h"
#include "demo/clips.h"
#include "tests/support/clips.h"
#include "tests/support/skipped.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

using namespace ulm;
using test::TempFolder;

namespace {

Plane filled(const Rect& r, const std::function<float(int, int)>& f) {
    Plane p = Plane::make(r);
    for (int y = r.y; y < r.bottom(); ++y)
        for (int x = r.x; x < r.right(); ++x) p.row(y)[x - r.x] = f(x, y);
    return p;
}

// Stripes, and around (60, 60) a texture that both frames show differently, as that of a thing that turns.
MendedFrom torn(const Rect& r) {
    const auto stripes = [](int x, int y) { return 0.5f + 0.3f * std::sin(0.7f * float(x) + 0.3f * float(y)); };
    const auto within = [](int x, int y) { return std::hypot(x - 60.f, y - 60.f) < 20; };
    const auto texture = [](int seed) {
        cv::Mat noise(160, 220, CV_32F);
        cv::RNG(std::uint64_t(seed)).fill(noise, cv::RNG::NORMAL, 0, 0.25);
        cv::GaussianBlur(noise, noise, {}, 1.2);
        return [noise](int x, int y) { return 0.5f + noise.at<float>(y, x); };
    };
    const auto a = texture(1), b = texture(2);
    const auto either = [&](auto inside, auto outside) {
        return filled(r, [&](int x, int y) { return within(x, y) ? inside(x, y) : outside(x, y); });
    };
    return {either([&](int x, int y) { return (a(x, y) + b(x, y)) / 2; }, stripes),
            either([&](int x, int y) { return (a(x, y) - b(x, y)) / 2; }, [](int, int) { return 0.f; }),
            either([](int, int) { return 20.f; }, [](int, int) { return 0.f; }), either(a, stripes),
            either(b, stripes)};
}

Plane mended(const MendedFrom& from, const Rect& region) {
    const Rect held = region.grown(kMendMargin).intersected(from.mixed.area());
    Plane out = Plane::make(region);
    mend(*mendingNetwork(),
         {from.mixed.view(held), from.differ.view(held), from.doubt.view(held), from.before.view(held),
          from.after.view(held)},
         out, {});
    return out;
}

} // namespace

TEST_CASE("a picture in between is mended where its sides disagree, and nowhere else") {
    const Rect frame{0, 0, 203, 150};
    const MendedFrom from = torn(frame);
    const Plane out = mended(from, frame);
    double changed = 0, before = 0, after = 0;
    for (int y = 0; y < frame.h; ++y)
        for (int x = 0; x < frame.w; ++x) {
            const double far = std::hypot(x - 60, y - 60);
            if (far > 20 + 2 * 4 * std::sqrt(2.0)) REQUIRE(out.at(x, y) == from.mixed.at(x, y));
            if (far > 16) continue;
            changed += std::abs(out.at(x, y) - from.mixed.at(x, y));
            const auto rough = [&](const Plane& p) { return std::abs(p.at(x, y) - p.at(x + 1, y)); };
            before += rough(from.mixed), after += rough(out);
        }
    CHECK(changed > 0);
    CHECK(after < 0.9 * before); // what cannot be known is softened
}

TEST_CASE("mending in 8 bits gives what mending in f32 gives, to a step of luma") {
    if (!hasInt8()) return test::skipped("this processor has no 8-bit products");
    const Rect frame{0, 0, 203, 150};
    const MendedFrom from = torn(frame);
    Plane exact = Plane::make(frame), coded = Plane::make(frame);
    mend(*shippedNetwork("between", NetPrecision::F32), from, exact, {});
    mend(*shippedNetwork("between", NetPrecision::Int8), from, coded, {});
    double most = 0;
    for (int y = 0; y < frame.h; ++y)
        for (int x = 0; x < frame.w; ++x) most = std::max(most, double(std::abs(exact.at(x, y) - coded.at(x, y))));
    CHECK(most < 2.0 / 219);
    CHECK(most > 0); // it did something else
}

TEST_CASE("a part of what is mended is that part of the whole, also at the rim and where cells are cut") {
    const Rect frame{0, 0, 203, 150};
    const MendedFrom from = torn(frame);
    const Plane whole = mended(from, frame);
    for (const Rect& part : {Rect{41, 43, 50, 38}, Rect{0, 0, 60, 60}, Rect{58, 1, 145, 149}, Rect{66, 66, 1, 1}}) {
        const Plane out = mended(from, part);
        double most = 0;
        for (int y = part.y; y < part.bottom(); ++y)
            for (int x = part.x; x < part.right(); ++x)
                most = std::max(most, double(std::abs(out.at(x, y) - whole.at(x, y))));
        INFO(part.x << " " << part.y);
        CHECK(most < 2e-5);
    }
    const Rect small{0, 0, 7, 3}; // less than a cell high
    const MendedFrom little = torn({50, 50, 7, 3});
    const Plane out = mended(little, {50, 50, 7, 3});
    for (int x = 0; x < small.w; ++x) CHECK(std::isfinite(out.at(50 + x, 51)));
}

TEST_CASE(
    "frames that were taken out come nearer to what was filmed by mending, on a scene that it was not taught on") {
    const TempFolder folder;
    for (const auto& p : demo::clipPlans())
        if (p.name == "hands") demo::makeClip(p, folder.path(), 5, 0.5, 41);
    const auto source = std::make_shared<SourceStage>(std::make_shared<FrameReader>(
        Clip::openVideo(folder / "masters/hands.mp4"), PacketDecoder::Threads::Single, std::size_t(64) << 20));
    Engine engine(std::size_t(64) << 20);
    const auto frame = [&](std::int64_t n) { return engine.pull(*source, n, source->format().frame(), {}); };
    class EveryFourth : public Stage { // what is in between lies two frames from both
    public:
        explicit EveryFourth(StagePtr all) : Stage({all}, all->format(), KeyMaker("every fourth").add(all)) {}
        const char* name() const override { return "every fourth"; }
        std::int64_t frames() const override { return inputs()[0]->frames() / 4; }
        std::vector<Need> needs(std::int64_t n, const Rect& r) const override { return {{0, 4 * n, r}}; }
        void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
            for (std::size_t c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
        }
    };
    const auto few = std::make_shared<EveryFourth>(source);
    const BetweenClock clock{few->frames() - 1,
                             KeyMaker("half"),
                             [](std::int64_t n) {
                                 return BetweenInstant{n, 0.5};
                             },
                             {}};
    const auto made = [&](Between method) { return inBetween(few, few, clock, method); };
    const auto unmended = [&](Between method) {
        const WithoutShippedNetworks none;
        return made(method);
    };
    for (const Between method : {Between::Fast, Between::Careful}) {
        const StagePtr with = made(method), without = unmended(method);
        CHECK(with->key() != without->key());
        double gain = 0;
        for (std::int64_t n = 0; n < clock.frames; ++n) {
            const Picture truth = frame(4 * n + 2);
            const auto of = [&](const StagePtr& s) {
                return psnr(truth.planes[0], engine.pull(*s, n, s->format().frame(), {}).planes[0]);
            };
            gain += (of(with) - of(without)) / double(clock.frames);
        }
        INFO((method == Between::Fast ? "fast" : "careful") << " gains " << gain << " dB");
        CHECK(gain > 0.1);
    }
}
