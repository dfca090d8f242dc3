#include "benchmarks/damaged_pictures.h"
#include "core/engine/held_picture.h"
#include "core/finish/unsharp_stage.h"
#include "core/inspect/readings.h"
#include "core/judge/measures.h"
#include "core/judge/overdone.h"
#include "core/motion/aligned_stage.h"
#include "core/picture/gaussian.h"
#include "core/picture/hash_noise.h"
#include "core/restore/clean_stages.h"
#include "core/restore/face_stage.h"
#include "core/ticket/clean_step.h"
#include "core/ticket/networks.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"

#include <catch2/catch.hpp>
#include <functional>

using namespace ulm;

namespace {

Picture whole(const StagePtr& s) {
    Engine e(std::size_t(64) << 20);
    return e.pull(*s, 0, s->format().frame(), {});
}

// Only this control of Clean, fixed.
Picture cleaned(const Picture& in, const Readings& r, const char* key, double value, const char* method = "classic") {
    Ticket t;
    for (const char* off : {"clean.blocks=0", "clean.noise=0", "clean.noise_chroma=0"}) setByAssignment(t, off);
    setByKey(t, "clean.method", method);
    setByKey(t, key, std::to_string(value));
    return whole(cleanedStage(heldPicture(in), t, knowing(r), false));
}

} // namespace

TEST_CASE("the control table: each control lowers its own fault step by step, does not darken, and leaves a clean "
          "picture alone") {
    const Picture clean = test::photograph(320, 240);
    const Readings quiet = lookAt(clean).readings;
    struct Row {
        const char *key, *reading, *method;
        Picture damaged;
        std::vector<double> values;
        double share; ///< of the reading that may be left at the end
    };
    const Picture noisy = bench::noisy(clean, 6), blocky = bench::blocky(clean, 14);
    const std::vector<Row> rows = {
        {"clean.blocks", "blocking", "classic", blocky, {10, 30, 60}, 0.3},
        {"clean.noise", "noise_sigma", "classic", noisy, {2, 4, 7}, 0.5},
        {"clean.noise", "noise_sigma", "learned-quick", noisy, {2, 4, 7}, 0.85},
        {"clean.noise_chroma", "noise_sigma_chroma", "classic", bench::colourNoisy(clean, 6), {2, 4, 7}, 0.4},
        {"clean.stairs", "stairs", "classic", bench::steppedShare(clean, 1), {30, 60, 100}, 0.95},
        {"clean.banding", "banding", "classic", bench::fewer(clean, 4), {25, 50, 100}, 0.6}};
    for (const Row& row : rows) {
        INFO(row.key << " by " << row.method);
        const ReadingKind& kind = *findReading(row.reading);
        const Readings r = lookAt(row.damaged).readings;
        REQUIRE(r.*kind.member > kind.notable);
        double last = r.*kind.member;
        for (const double v : row.values) {
            const Picture out = cleaned(row.damaged, r, row.key, v, row.method);
            const double now = lookAt(out).readings.*kind.member;
            CHECK(now <= last + 0.02 * kind.notable);
            last = now;
            double was = 0, is = 0;
            for (int y = 0; y < 240; ++y)
                for (int x = 0; x < 320; ++x) was += row.damaged.planes[0].at(x, y), is += out.planes[0].at(x, y);
            CHECK(std::abs(is - was) / (320 * 240) * 219 < 0.5);
        }
        CHECK(last < row.share * (r.*kind.member));
        CHECK(psnr(clean.planes[0], cleaned(clean, quiet, row.key, row.values.back(), row.method).planes[0]) >= 45);
    }
}

TEST_CASE("ringing is calmed beside edges, and nothing else is") {
    const Picture clean = test::photograph(320, 240);
    const Picture rung = bench::ringing(clean, 4);
    Readings r;
    r.ringing = 3;
    const Picture out = cleaned(rung, r, "clean.ringing", 6);
    CHECK(readingOf("ringing", out) < 0.95 * readingOf("ringing", rung));
    CHECK(psnr(clean.planes[0], out.planes[0]) > psnr(clean.planes[0], rung.planes[0]) - 0.05);
    CHECK(test::meanSquare(cleaned(rung, Readings{}, "clean.ringing", 6).planes[0], rung.planes[0]) ==
          0); // none was read
}

TEST_CASE("texture first raises fine texture, and what is treated afterwards keeps more of it") {
    const Picture p = test::photograph(320, 240);
    Readings r;
    r.blocking = 20;
    const auto texture = [&](double share, double blocks) {
        Ticket t;
        for (const char* s : {"clean.method=classic", "clean.noise=0", "clean.noise_chroma=0"}) setByAssignment(t, s);
        setByKey(t, "clean.blocks", std::to_string(blocks));
        setByKey(t, "clean.texture", std::to_string(share));
        return readingOf("texture", whole(cleanedStage(heldPicture(p), t, knowing(r), false)));
    };
    CHECK(texture(60, 0) > 1.05 * texture(0, 0));
    CHECK(texture(60, 25) > 1.02 * texture(0, 25));
}

TEST_CASE("Clean's filters keep to the stages' contract") {
    PictureFormat f;
    f.width = 110;
    f.height = 84;
    const auto in = std::make_shared<test::PatternStage>(f, 3);
    const double bound = 3e-5; // OpenCV's sliding sums round a little differently where a region begins
    test::checkContract(*calmRinging(in, 6), bound);
    test::checkContract(*smoothStairs(in, 1), bound);
    test::checkContract(*dissolveBands(in, 1), bound);
    test::checkContract(*raiseTexture(in, 1, 1), bound);
    test::checkContract(*denoise(in, 4, Planes::Chroma, alignedAround(in, in, 1)), bound);
    test::checkContract(*gentlerOnFaces(smoothStairs(in, 1), in, {{1, {20, 20, 30, 30}}}, 1), bound);
}

TEST_CASE("faces keep half of the original, and nothing else does") {
    const Picture p = test::photograph(160, 120);
    const StagePtr original = heldPicture(p), treated = heldPicture(bench::soft(p, 2));
    const Picture out = whole(gentlerOnFaces(treated, original, {{0, {40, 30, 40, 40}}}, 1)), soft = whole(treated);
    CHECK(out.planes[0].at(60, 50) == Approx((soft.planes[0].at(60, 50) + p.planes[0].at(60, 50)) / 2).margin(1e-6));
    CHECK(out.planes[0].at(150, 110) == soft.planes[0].at(150, 110));
    CHECK(gentlerOnFaces(treated, original, {}, 1) == treated);
    CHECK(whole(gentlerOnFaces(treated, original, {{40, {40, 30, 40, 40}}}, 1)).planes[0].at(60, 50) ==
          soft.planes[0].at(60, 50)); // long before
}

TEST_CASE("networks are told what is there: values below a reading tell of less, above of more, and of nothing where "
          "nothing is") {
    Inspection i;
    Readings& r = i.readings;
    r.compression = 50;
    r.blocking = 20;
    r.noise = 6;
    Ticket t;
    CHECK(damageLevels(t, i) == DamageLevels{0.5, 0.25}); // Clean off: as read
    r.noise = 11;
    CHECK(damageLevels(t, i).noise == Approx(0.5));
    r.noise = 6;
    setByAssignment(t, "clean.blocks=measured");
    CHECK(damageLevels(t, i) == DamageLevels{0.25, 0}); // filters come first and leave less
    setByAssignment(t, "clean.method=learned");
    CHECK(damageLevels(t, i) == DamageLevels{0.5, 0.25});
    setByAssignment(t, "clean.blocks=10");
    CHECK(damageLevels(t, i).compression == Approx(0.25));
    setByAssignment(t, "clean.blocks=45");
    CHECK(damageLevels(t, i).compression == Approx(1));
    setByAssignment(t, "clean.blocks=0");
    CHECK(damageLevels(t, i).compression == 0);
    setByAssignment(t, "clean.blocks=80");
    CHECK(damageLevels(t, Inspection{}).compression == 0);
    CHECK(networkKind(t, i) == "rough");
    // Noise under an encode cannot be read: what is usual is told.
    Inspection other;
    Readings& hidden = other.readings;
    hidden.compression = 30;
    CHECK(damageLevels(Ticket{}, other).noise == 0);
    hidden.compression = 90;
    CHECK(damageLevels(Ticket{}, other).noise == Approx(0.15));
    hidden.noise = 9;
    CHECK(damageLevels(Ticket{}, other).noise == Approx(0.4));
    r.compression = 20;
    CHECK(networkKind(t, i) == "general");
    i.kind = "line art";
    CHECK(networkKind(t, i, 1) == "drawn");
    setByAssignment(t, "enlarge.kind=general");
    CHECK(networkKind(t, i) == "general");
}

TEST_CASE("the overdone meter rises with each excess, names it and its place, and is quiet on light treatment") {
    const Picture p = test::photograph(320, 240);
    const double noise = lookAt(p).readings.noise;
    const auto judged = [&](const Picture& after) { return judgeOverdone({p, after, 7, 1, noise, false, {}, {}}); };
    CHECK(judged(p).gauge() == 0);
    const auto sharp = [&](double v) { return judged(whole(unsharp(heldPicture(p), v, 1.2))); };
    CHECK(sharp(0.4).gauge() < 100);
    CHECK(sharp(1.2).scores.at("haloes") > sharp(0.4).scores.at("haloes"));
    const Overdone most = sharp(3);
    CHECK(most.scores.at("haloes") > 100);
    CHECK(most.frame == 7);
    CHECK_FALSE(most.box.empty());
    CHECK(judged(bench::soft(p, 0.3)).gauge() < 100);
    CHECK(judged(bench::soft(p, 1)).scores.at("plastic") > judged(bench::soft(p, 0.5)).scores.at("plastic"));
    CHECK(judged(bench::soft(p, 2)).scores.at("plastic") > 100);
    CHECK(judged(bench::crushed(p, 0.2)).scores.at("crushed") > judged(bench::crushed(p, 0.01)).scores.at("crushed"));
    // Letters: only where there are some; flicker: only where the next frame is known.
    CHECK_FALSE(most.scores.contains("text"));
    CHECK_FALSE(most.scores.contains("flicker"));
    CHECK(judgeOverdone({p, bench::steppedShare(bench::soft(p, 3), 1), 0, 1, noise, true, {}, {}}).scores.at("text") >
          20);
    CHECK(judgeOverdone({p, p, 0, 1, noise, false, p, bench::noisy(p, 6)}).scores.at("flicker") > 100);
    CHECK(judgeOverdone({p, p, 0, 1, noise, false, p, p}).scores.at("flicker") == 0);
    Overdone joined = judged(p);
    joined.join(most);
    CHECK(joined.worst == most.worst);
    CHECK(joined.gauge() == most.gauge());
}

TEST_CASE("fine lines given back their contrast have no haloes; an edge that overshoots what is even beside it has") {
    PictureFormat f = test::photograph(320, 240).format;
    const auto drawn = [&](const std::function<float(int x)>& luma, double blur) {
        Picture p = Picture::make(f, f.frame());
        Plane sharp = p.planes[0].copy();
        for (int y = 0; y < f.height; ++y)
            for (int x = 0; x < f.width; ++x) sharp.row(y)[x] = luma(x);
        gaussianBlur(sharp, sharp.area(), blur, p.planes[0]);
        return p;
    };
    const auto haloes = [&](const std::function<float(int x)>& luma) { // three times as large; less blurred afterwards
        OverdonePlace o;
        o.before = drawn(luma, 4);
        o.after = drawn(luma, 1.5);
        o.scale = 3;
        return judgeOverdone(o).scores.at("haloes");
    };
    CHECK(haloes([](int x) { return x / 7 % 2 ? 0.2f : 0.7f; }) < 30);
    CHECK(haloes([](int x) { return x < 150 ? 0.2f : 0.7f; }) < 5);
    const auto overshoots = [](int x) { // beside the edge, on either side
        return x < 150 ? (x >= 144 ? 0.05f : 0.2f) : x < 156 ? 0.85f : 0.7f;
    };
    OverdonePlace o;
    o.before = drawn([](int x) { return x < 150 ? 0.2f : 0.7f; }, 4);
    o.after = drawn(overshoots, 1);
    o.scale = 3;
    CHECK(judgeOverdone(o).scores.at("haloes") > 50);
}

TEST_CASE("steps that no inspection would find are not too many, where a blur had hidden them before") {
    const Picture p = test::photograph(320, 240);
    OverdonePlace o;
    o.before = bench::soft(p, 2);
    const auto score = [&](const Picture& after) {
        o.after = after;
        return std::pair(readingOf("stairs", o.after, 1), judgeOverdone(o).scores.at("stairs"));
    };
    const double hidden = readingOf("stairs", o.before, 1);
    const auto [few, unseen] = score(bench::soft(p, 0.9));
    INFO("before " << hidden << ", few " << few);
    REQUIRE(few > hidden + 8);
    REQUIRE(few < 45);
    CHECK(unseen == 0);
    CHECK(score(bench::steppedShare(p, 1)).second > 100);
}

TEST_CASE("noise, what compression left and a few hairs are not missed where they are gone, nor called steps") {
    const PictureFormat f = test::photograph(240, 240).format;
    const auto drawn = [&](const std::function<double(int x, int y)>& steps) { // 8-bit steps above black
        Picture p = Picture::make(f, f.frame());
        for (int y = 0; y < f.height; ++y)
            for (int x = 0; x < f.width; ++x) p.planes[0].row(y)[x] = float(std::max(0.0, steps(x, y)) / 219);
        return p;
    };
    const auto dice = [](int x, int y, std::uint32_t n) { return hashNoise(std::uint32_t(x), std::uint32_t(y), n, 3); };
    const auto tone = [](int x, int) { return x < 80 ? 8.0 : 34.0; };
    // Much at the one tone, little at the other; a part of it is repeated in the next frame, as encoders do.
    const auto noisy = [&](std::uint32_t n, double own) {
        return drawn([&, n, own](int x, int y) {
            const double most = x < 80 ? 3 : 8;
            return tone(x, y) + most * (0.75 * dice(x, y, 1) + own * dice(x, y, n));
        });
    };
    const auto painted = [&](const OverdonePlace& o) { return judgeOverdone(o).scores.at("painted"); };
    OverdonePlace o{.before = noisy(2, 0.75), .after = drawn(tone), .noise = 2.5};
    o.beforeNext = noisy(3, 0.75);
    CHECK(painted(o) < 60);
    o.before = o.beforeNext = noisy(2, 0); // the same that stands still is texture
    o.noise = 0;
    CHECK(painted(o) > 100);
    // Stripes that stand out of the noise alone at a coarser size: kept, and gone with it.
    const auto stripes = [&](int x, int y) { return tone(x, y) + 6 * std::sin(y * 0.8); };
    const auto striped = [&](std::uint32_t n) {
        return drawn([&, n](int x, int y) { return stripes(x, y) + 8 * dice(x, y, n); });
    };
    OverdonePlace worn{.before = striped(4), .after = drawn(stripes), .noise = 4};
    worn.beforeNext = striped(5);
    CHECK(painted(worn) < 60);
    worn.after = drawn(tone);
    CHECK(painted(worn) > 100);
    // Patterns of blocks: of a clip without any they would be texture.
    const auto pattern = [&](int x, int y) { return 30 + (x / 8 + y / 8) % 3 * 0.7 + 2.0 * ((x + y) % 4 < 2); };
    OverdonePlace coded{.before = drawn(pattern), .after = drawn([](int, int) { return 31.0; })};
    CHECK(painted(coded) > 100);
    coded.blocks = 19;
    CHECK(painted(coded) == 0);

    // Mosquitos on black are not tones; a dark grey is.
    const auto crushed = [&](const Picture& before) {
        return judgeOverdone({.before = before, .after = drawn([](int, int) { return 0.0; })}).scores.at("crushed");
    };
    CHECK(crushed(drawn([&](int x, int y) { return dice(x, y, 1) > 0.6 ? 5 : 0; })) < 20);
    CHECK(crushed(drawn([](int, int) { return 5.0; })) == 200);

    // Steps along edges enough to tell, and along a few hairs.
    const auto stepped = [&](int side) {
        return drawn([side](int x, int y) { return x < side && y < side && (x / 4 * 4 + y * 2) % 60 < 30 ? 180 : 60; });
    };
    const auto steps = [&](int side) {
        return judgeOverdone({.before = drawn([](int, int) { return 60.0; }), .after = stepped(side)})
            .scores.at("stairs");
    };
    REQUIRE(readingOf("stairs", stepped(40), 1) > 65);
    CHECK(steps(40) == 0);
    CHECK(steps(240) > 100);
}

TEST_CASE("each way of going too far has its own score, which grows with it, and light treatment stays in bounds") {
    const Picture p = test::photograph(320, 240), night = bench::dimmed(p, 0.24);
    const double noise = lookAt(p).readings.noise;
    struct Way {
        const char* key;
        Picture before;
        std::function<Picture(double)> treat;
        double light;
        std::vector<double> steps;
        bool text = false, nextFrame = false;
    };
    const std::vector<Way> ways = {
        {"haloes", p, [&](double v) { return whole(unsharp(heldPicture(p), v, 1.2)); }, 0.3, {1.2, 2, 3}},
        {"plastic", p, [&](double v) { return bench::soft(p, v); }, 0.3, {0.7, 1.1, 1.8}},
        {"painted", night, [&](double v) { return bench::soft(night, v); }, 0.3, {0.7, 1.1, 1.8}},
        {"crushed", night, [&](double v) { return bench::crushed(night, v); }, 0.002, {0.03, 0.06, 0.1}},
        {"stairs", p, [&](double v) { return bench::steppedShare(p, v); }, 0.05, {0.5, 0.75, 1}},
        {"text",
         p,
         [&](double v) { return v < 1 ? bench::soft(p, v) : bench::opened(p, int(v)); },
         0.3,
         {1, 2, 3},
         true},
        {"flicker", p, [&](double v) { return bench::brighter(p, v); }, 0.2, {2, 4, 6}, false, true}};
    for (const Way& w : ways) {
        INFO(w.key);
        const auto score = [&](double v) {
            OverdonePlace o;
            o.before = w.before;
            o.after = w.nextFrame ? w.before : w.treat(v);
            o.noise = noise;
            o.text = w.text;
            if (w.nextFrame) o.beforeNext = w.before, o.afterNext = w.treat(v);
            return judgeOverdone(o).scores.at(w.key);
        };
        CHECK(score(w.light) < 60);
        double last = score(w.light);
        for (const double v : w.steps) {
            const double now = score(v);
            INFO("at " << v << ": " << now);
            CHECK((now > last || now >= 199));
            last = now;
        }
        CHECK(last > 60);
    }
}

TEST_CASE("noise that goes is not called painted: a treatment that ends at the truth is not too much") {
    const Picture truth = bench::dimmed(test::photograph(320, 240), 0.24);
    const auto noisy = [&](double sigma, std::uint32_t seed) {
        Picture p = truth;
        p.planes[0] = p.planes[0].copy();
        test::addNoise(p, sigma, seed);
        return p;
    };
    for (const double sigma : {2.0, 4.0, 8.0}) {
        INFO(sigma);
        OverdonePlace o;
        o.before = noisy(sigma, 1);
        o.beforeNext = noisy(sigma, 2);
        o.after = truth;
        o.noise = sigma / 2; // the clip's mean: its dark parts have more
        const Overdone good = judgeOverdone(o);
        CHECK(good.scores.at("painted") < 60);
        CHECK(good.scores.at("plastic") < 60);
        if (sigma > 5) continue;           // its texture drowns in noise: nobody sees it go
        o.after = bench::soft(truth, 1.8); // what goes beyond the truth is too much, still
        CHECK(judgeOverdone(o).scores.at("painted") > good.scores.at("painted") + 30);
    }
}

TEST_CASE("easing finds the strongest share under the limit, and leaves what is within it") {
    Ticket t;
    setByAssignment(t, "finish.sharpen.amount=2");
    setByAssignment(t, "finish.detail.fine=1");
    setByAssignment(t, "clean.noise=8");
    const Inspection found;
    const auto gauge = [](const Ticket& e) { return 100 * e.finish.amount; }; // over the limit from 1 on
    const double share = easeShare(t, found, 99, 7, gauge);
    CHECK(share == Approx(0.495).margin(0.01));
    const Ticket eased = scaledTicket(t, found, share);
    CHECK(eased.finish.amount <= 0.99);
    CHECK(eased.finish.amount > 0.95);
    CHECK(eased.finish.detail.fine == Approx(share).margin(0.01));
    CHECK(eased.clean.noise.value == Approx(8 * share).margin(0.1));
    CHECK(easeShare(eased, found, 99, 7, gauge) == 1);
    CHECK(easeShare(t, found, 99, 7, [](const Ticket&) { return 150.0; }) == 0);
}

TEST_CASE("who cleans follows what was found: a network what compression left, filters plain noise") {
    const auto by = [](double blocking, double noise, double compression, const char* method = "auto",
                       const char* kind = "natural") {
        Inspection i;
        i.kind = kind;
        i.readings.blocking = blocking, i.readings.noise = noise, i.readings.compression = compression;
        Ticket t;
        setByAssignment(t, "clean.blocks=measured");
        setByAssignment(t, std::string("clean.method=") + method);
        return cleansByNetwork(t, i);
    };
    CHECK(Ticket{}.clean.method == "auto");
    CHECK(by(9, 0.3, 65));
    CHECK(by(0.6, 0.1, 69));      // smeared by a modern encoder, without a block to see
    CHECK(by(10, 0.2, 48));       // a grid that shows
    CHECK_FALSE(by(10, 0.2, 40)); // what is left of one under another encode: filters take it as well
    CHECK_FALSE(by(5, 0.2, 45));  // lightly compressed: neither gains, and filters are faster
    CHECK_FALSE(by(20, 5, 50));   // noise, along with it: filters along movement take several times as much
    CHECK_FALSE(by(0, 3.2, 84));  // so much noise under such an encode is a misreading
    CHECK(by(0.2, 0, 33, "auto", "line art"));
    CHECK_FALSE(by(0.2, 3, 33, "auto", "line art"));
    CHECK_FALSE(by(0.2, 0, 20, "auto", "screen"));
    CHECK_FALSE(by(0.7, 4.1, 6));
    CHECK_FALSE(by(0.2, 9, 20));
    CHECK_FALSE(by(9, 0.3, 65, "classic"));
    CHECK(by(0.2, 9, 0, "learned"));
    Ticket off;
    CHECK_FALSE(cleansByNetwork(off, {}));
    // Ours clean on the way when they enlarge; before a network of the person's own it is cleaned as ever.
    Inspection hard;
    hard.readings.blocking = 9, hard.readings.compression = 65;
    const StagePtr source = heldPicture(test::photograph(96, 64));
    Ticket t;
    for (const char* set : {"clean.blocks=measured", "enlarge.scale=2"}) setByAssignment(t, set);
    CHECK(cleanedStage(source, t, hard, true) == source);
    t.enlarge.method = "own.onnx";
    CHECK(cleanedStage(source, t, hard, true) != source);
}
