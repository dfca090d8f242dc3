// What the shipped networks do to clips that nobody trained on: a picture of the tests, panned, shrunk, damaged and
// really encoded. Larger figures, on photographs: docs/networks-quality.md.
#include "benchmarks/damaged_pictures.h"
#include "core/base/error.h"
#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/inspect/inspection.h"
#include "core/judge/measures.h"
#include "core/judge/overdone.h"
#include "core/media/frame_convert.h"
#include "core/model/shipped_networks.h"
#include "core/model/yield.h"
#include "core/picture/gaussian.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/networks.h"
#include "tests/support/clips.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;
using test::TempFolder;

namespace {

constexpr int kFrames = 9, kWidth = 320, kHeight = 240; // as delivered; clips have half of it

struct Damage {
    double noise = 0, crf = 0; ///< crf 0: without loss
    int pan = 6;               ///< pixels a frame, as delivered
    bool drawn = false;        ///< ink on paper, not a photograph
};

// Rings and slanted strokes of ink, a pixel or two wide, and even tones between.
Picture drawing(int width, int height) {
    test::Painted p(width, height, 1);
    constexpr int kOver = 4; // places a pixel each way that edges are averaged over
    const auto tone = [](double x, double y) {
        const double ring = std::abs(std::fmod(std::hypot(x - 150, y - 110), 24) - 12);
        const double stroke = std::abs(std::fmod(x + 0.37 * y + 1000, 31) - 15.5);
        if (ring < 0.8 || stroke < 1.1) return 0.1;
        return std::fmod(std::floor(std::hypot(x - 150, y - 110) / 24), 2) == 0 ? 0.85 : 0.6;
    };
    p.paint([&](int x, int y) {
        double sum = 0;
        for (int j = 0; j < kOver; ++j)
            for (int i = 0; i < kOver; ++i) sum += tone(x + double(i) / kOver, y + double(j) / kOver);
        return sum / (kOver * kOver);
    });
    return p.picture;
}

Picture truthAt(const Damage& d, int n) {
    static const Picture taken = test::photograph(kWidth + 96, kHeight, 91), inked = drawing(kWidth + 96, kHeight);
    const Picture& world = d.drawn ? inked : taken;
    PictureFormat f = world.format;
    f.width = kWidth;
    Picture p = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c) {
        const int by = n * d.pan >> (c ? world.format.subW : 0);
        for (int y = 0; y < p.planes[c].area().h; ++y)
            for (int x = 0; x < p.planes[c].area().w; ++x) p.planes[c].row(y)[x] = world.planes[c].at(x + by, y);
    }
    return p;
}

std::string writeDamaged(const TempFolder& folder, const Damage& d) {
    VideoEncoding e;
    e.width = kWidth / 2;
    e.height = kHeight / 2;
    e.rate = d.crf > 0 ? VideoEncoding::Rate::Quality : VideoEncoding::Rate::Lossless;
    e.crf = d.crf;
    const std::string path = folder / "damaged.mkv";
    MovieWriter w(path, "matroska", e, std::nullopt);
    Engine engine(0);
    for (int n = 0; n < kFrames; ++n) {
        const Picture truth = truthAt(d, n);
        PictureFormat half = truth.format;
        half.width /= 2, half.height /= 2;
        const ResampleStage small(heldPicture(truth), {0, 0, kWidth, kHeight, half.width, half.height}, Kernel::Bicubic,
                                  half);
        Picture p = engine.pull(small, 0, half.frame(), {});
        if (d.noise > 0) test::addNoise(p, d.noise, 40 + std::uint32_t(n));
        w.write(*toFrame(p, AV_PIX_FMT_YUV420P), n, 1);
    }
    w.finish();
    return path;
}

struct Looked {
    ClipPtr clip;
    std::shared_ptr<FrameReader> reader;
    Inspection found;
};

Looked lookOver(const std::string& path) {
    const ClipPtr clip = Clip::openVideo(path);
    return {clip, std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(32) << 20),
            inspectClip(clip, {})};
}

Plane frameOf(const Looked& l, std::initializer_list<const char*> settings, int n) {
    Ticket t;
    for (const char* s : settings) setByAssignment(t, s);
    Engine engine(std::size_t(64) << 20);
    const DeliveryPtr pMade = resolve(l.reader, l.found, t);
    const Delivery& p = *pMade;
    return engine.pull(*p.result, n, p.result->format().frame(), {}).planes[0];
}

// dB of PSNR-Y over Lanczos, in the middle of the clip.
double gain(const Damage& d, const char* method, const char* crisp = "enlarge.crisp=0") {
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, d));
    const Plane truth = truthAt(d, kFrames / 2).planes[0];
    const std::string how = std::string("enlarge.method=") + method;
    const char* kind = d.drawn ? "enlarge.kind=drawn" : "enlarge.kind=auto";
    return psnr(truth, frameOf(l, {"enlarge.scale=2", how.c_str(), crisp, kind}, kFrames / 2)) -
           psnr(truth, frameOf(l, {"enlarge.scale=2", "enlarge.method=lanczos"}, kFrames / 2));
}

// Root mean square of what a blur of 0.8 pixels takes away.
double fine(const Plane& p) {
    Plane soft = p.copy();
    gaussianBlur(p, p.area(), 0.8, soft);
    const int rim = 8, w = p.area().w, h = p.area().h;
    double sum = 0;
    for (int y = rim; y < h - rim; ++y)
        for (int x = rim; x < w - rim; ++x) sum += std::pow(p.at(x, y) - soft.at(x, y), 2);
    return std::sqrt(sum / double((w - 2 * rim) * (h - 2 * rim)));
}

} // namespace

TEST_CASE("networks enlarge nearer to the truth than Lanczos does, on good clips and on hard ones") {
    CHECK(gain({0, 0}, "learned") > 1.0);
    CHECK(gain({0, 0}, "learned-quick") > 0.8);
    CHECK(gain({0, 24}, "learned") > 0.5);
    CHECK(gain({3, 30}, "learned") > 0.3);
    CHECK(gain({3, 30}, "learned-quick") > 0.2);
    CHECK(gain({6, 0}, "learned") > 0.5);
}

TEST_CASE("crisp networks bring back as much fine detail as the truth has, and stay near to it") {
    for (const Damage& d : {Damage{0, 0}, Damage{2, 30}, Damage{0, 0, 6, true}, Damage{0, 30, 6, true}})
        for (const char* method : {"enlarge.method=learned", "enlarge.method=learned-quick"}) {
            const TempFolder folder;
            const Looked l = lookOver(writeDamaged(folder, d));
            const double truth = fine(truthAt(d, kFrames / 2).planes[0]);
            const auto energy = [&](const char* crisp) {
                const char* kind = d.drawn ? "enlarge.kind=drawn" : "enlarge.kind=auto";
                return fine(frameOf(l, {"enlarge.scale=2", method, crisp, kind}, kFrames / 2)) / truth;
            };
            const double faithful = energy("enlarge.crisp=0"), half = energy("enlarge.crisp=50"),
                         crisp = energy("enlarge.crisp=100");
            INFO(method << (d.drawn ? ", drawn" : "") << ", noise " << d.noise << " crf " << d.crf << ": faithful "
                        << faithful << ", half " << half << ", crisp " << crisp);
            CHECK(half > faithful);
            CHECK(crisp > half);
            CHECK(crisp > faithful + 0.08);
            CHECK(crisp < 1.2);
            CHECK(gain(d, method + 15, "enlarge.crisp=measured") > -0.4);
        }
}

TEST_CASE("what a crisp network adds goes with what moves: it does not flicker where a clip was encoded hard") {
    const Damage d{3, 30};
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, d));
    const auto changes = [&](const char* method, const char* crisp) { // beyond movement, per fine detail that there is
        const Plane here = frameOf(l, {"enlarge.scale=2", method, crisp}, kFrames / 2),
                    next = frameOf(l, {"enlarge.scale=2", method, crisp}, kFrames / 2 + 1);
        double sum = 0, count = 0;
        for (int y = 16; y < kHeight - 16; ++y)
            for (int x = 16; x < kWidth - 16 - d.pan; ++x)
                sum += std::pow(next.at(x, y) - here.at(x + d.pan, y), 2), count += 1;
        return std::sqrt(sum / count) / fine(here);
    };
    const double lanczos = changes("enlarge.method=lanczos", "enlarge.crisp=0"),
                 faithful = changes("enlarge.method=learned", "enlarge.crisp=0"),
                 crisp = changes("enlarge.method=learned", "enlarge.crisp=100");
    INFO("Lanczos " << lanczos << ", faithful " << faithful << ", crisp " << crisp);
    CHECK(crisp < 0.8 * lanczos);
    CHECK(crisp < faithful);
}

TEST_CASE("what frames before and after know is used: on a moving hard clip the full network beats the quick one") {
    CHECK(gain({4, 30}, "learned") > gain({4, 30}, "learned-quick"));
}

TEST_CASE("networks of the same size bring an encoded clip nearer to its truth, and leave a good one as it is") {
    const TempFolder folder;
    const auto cleaned = [&](const Damage& d, const char* method) {
        const Looked l = lookOver(writeDamaged(folder, d));
        const TempFolder clean;
        const Damage none{0, 0, d.pan};
        const Plane truth = frameOf(lookOver(writeDamaged(clean, none)), {}, kFrames / 2);
        const std::string how = std::string("clean.method=") + method;
        return std::pair(
            psnr(truth, frameOf(l, {}, kFrames / 2)),
            psnr(truth, frameOf(l, {how.c_str(), "clean.blocks=measured", "clean.noise=measured", "clean.crisp=0"},
                                kFrames / 2)));
    };
    for (const char* method : {"learned", "learned-quick"}) {
        const auto [was, is] = cleaned({2, 32}, method);
        CHECK(is > was + 0.15);
        const auto [noisy, calm] = cleaned({8, 0}, method);
        CHECK(calm > noisy + 2);
        CHECK(cleaned({0, 0}, method).second > 45);
    }
}

TEST_CASE("a still hard clip flickers no more after a network than by Lanczos") {
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, {4, GENERATE(22, 26), 0}));
    const auto change = [&](const char* method) {
        const std::string how = std::string("enlarge.method=") + method;
        const auto shown = [&](int n) { return frameOf(l, {"enlarge.scale=2", how.c_str(), "enlarge.crisp=0"}, n); };
        return std::sqrt(test::meanSquare(shown(4), shown(5)));
    };
    const double plain = change("lanczos");
    CHECK(plain * 219 > 0.2); // steps: there is something to flicker
    CHECK(change("learned") <= plain);
    CHECK(change("learned-quick") <= 1.15 * plain); // it sees one frame alone: what is sharper flickers more
}

TEST_CASE("how hard a clip was compressed is read from it, in order") {
    double last = -1;
    for (const double crf : {10.0, 20.0, 28.0, 36.0}) {
        const TempFolder folder;
        const double now = lookOver(writeDamaged(folder, {0, crf})).found.readings.compression;
        INFO("crf " << crf << " reads " << now);
        CHECK(now > last);
        last = now;
    }
    CHECK(last > 50);
}

TEST_CASE("a lower value of Clean's noise by a network takes away its share, step by step") {
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, {8, 0}));
    const Plane before = frameOf(l, {}, kFrames / 2);
    double last = 0;
    for (const char* noise : {"clean.noise=1", "clean.noise=3", "clean.noise=6"}) {
        const Plane now =
            frameOf(l, {"clean.method=learned-quick", "clean.blocks=0", "clean.noise_chroma=0", noise}, kFrames / 2);
        const double moved = std::sqrt(test::meanSquare(now, before));
        INFO(noise << " moves " << moved * 219);
        CHECK(moved > last * 1.3);
        last = moved;
    }
    CHECK(last * 219 > 2);
}

TEST_CASE("the yield of enlarging tells clean detail from noise, and what strength that makes") {
    const auto yieldWith = [](double noise) {
        Picture p = test::photograph(384, 320, 55);
        if (noise > 0) test::addNoise(p, noise, 3);
        return yieldOf(p.planes[0], 0).value();
    };
    const double clean = yieldWith(0);
    INFO(clean << " clean, " << yieldWith(9) << " and " << yieldWith(14) << " with noise");
    CHECK(clean > 80);
    CHECK(yieldWith(9) < clean - 8);
    CHECK(yieldWith(14) < yieldWith(9) - 8);
    // Nothing to tell by: small, flat, without networks.
    CHECK(!yieldOf(test::photograph(64, 64, 5).planes[0], 0));
    Picture flat = test::photograph(256, 256, 5);
    for (int y = 0; y < 256; ++y) std::fill_n(flat.planes[0].row(y), 256, 0.4f);
    CHECK(!yieldOf(flat.planes[0], 0));
    // Places take turns: of three the middle one is flat.
    Picture framed = test::photograph(640, 640, 5);
    for (int y = 214; y < 426; ++y) std::fill_n(framed.planes[0].row(y) + 214, 212, 0.4f);
    CHECK(!yieldOf(framed.planes[0], 0));
    CHECK(yieldOf(framed.planes[0], 1));
    CHECK(yieldOf(framed.planes[0], 2));
    CHECK(!yieldOf(framed.planes[0], 3));
    {
        const WithoutShippedNetworks missing;
        CHECK(!yieldOf(test::photograph(384, 320, 55).planes[0], 0));
    }

    Ticket t;
    Inspection i;
    Readings& r = i.readings;
    r.yield = 60;
    CHECK(enlargeStrength(t, i) == 60);
    r.compression = 22.5; // half way to the rough network
    CHECK(enlargeStrength(t, i) == Approx(80));
    r.compression = 60;
    CHECK(enlargeStrength(t, i) == 100);
    i.kind = "screen";
    CHECK(enlargeStrength(t, i) == 100);
    r.compression = 0; // the general network's too
    CHECK(enlargeStrength(t, i) == 60);
    i.kind = "natural";
    setByKey(t, "enlarge.strength", "nudge:-15");
    CHECK(enlargeStrength(t, i) == 45);
    setByKey(t, "enlarge.strength", "130");
    CHECK(enlargeStrength(t, i) == 130);
    CHECK_THROWS_AS(setByKey(t, "enlarge.strength", "151"), Error);
    CHECK(scaledTicket(t, i, 0.5).enlarge.strength.value == (t.enlarge.on ? 65 : 130));
    t.enlarge.on = true;
    CHECK(scaledTicket(t, i, 0.5).enlarge.strength.value == 65);
}

TEST_CASE("cleaning at the same size goes from faithful to crisp; where it cannot, that is told") {
    const TempFolder folder;
    const Damage d{0, 34};
    const Looked l = lookOver(writeDamaged(folder, d));
    REQUIRE(networkKind({}, l.found) == "rough");
    const auto cleaned = [&](const char* crisp, const char* method = "clean.method=learned") {
        return frameOf(l, {"clean.on=true", method, crisp}, kFrames / 2);
    };
    for (const char* method : {"clean.method=learned", "clean.method=learned-quick"}) {
        const Plane faithful = cleaned("clean.crisp=0", method), crisp = cleaned("clean.crisp=100", method);
        INFO(method << ": faithful " << fine(faithful) << ", crisp " << fine(crisp));
        CHECK(fine(crisp) > 1.15 * fine(faithful));
        CHECK(fine(cleaned("clean.crisp=measured", method)) > 1.01 * fine(faithful));
    }
    const auto notices = [&](std::initializer_list<const char*> settings) {
        Ticket t;
        for (const char* s : settings) setByAssignment(t, s);
        return resolve(l.reader, l.found, t)->note;
    };
    const char* told = "Clean's crispness does nothing";
    CHECK(notices({"clean.on=true", "clean.crisp=80", "clean.method=learned"}).find(told) == std::string::npos);
    CHECK(notices({"clean.on=true", "clean.crisp=80", "enlarge.kind=drawn", "enlarge.on=false", "clean.method=learned"})
              .find(told) != std::string::npos);
    CHECK(notices({"clean.on=true", "clean.method=learned", "enlarge.kind=drawn", "enlarge.on=false"}).find(told) ==
          std::string::npos);
}

TEST_CASE("a second pass works on from what the first one made, as crisp as that, and from two and a half times on") {
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, {0, 0}));
    const auto frame = [&](const char* scale, const char* method = "enlarge.method=learned") {
        return frameOf(l, {scale, method, "enlarge.crisp=100"}, kFrames / 2);
    };
    Engine engine(std::size_t(64) << 20);
    const auto firstPass = [&](const char* method) {
        Picture twice = truthAt({0, 0}, kFrames / 2);
        copySamples(frame("enlarge.scale=2", method), twice.planes[0]);
        return heldPicture(twice);
    };
    const StagePtr held = firstPass("enlarge.method=learned"), quick = firstPass("enlarge.method=learned-quick");
    const auto scaled = [&](const StagePtr& held, double by) { // the first pass alone
        PictureFormat f = held->format();
        f.width = int(f.width * by), f.height = int(f.height * by);
        return engine
            .pull(ResampleStage(held, {0, 0, kWidth, kHeight, f.width, f.height}, Kernel::Lanczos, f), 0, f.frame(), {})
            .planes[0];
    };
    const auto again = throughNetwork(held, {}, shippedNetwork("general", 2, false), {}); // faithful
    CHECK(fine(frame("enlarge.scale=4")) > 1.08 * fine(engine.pull(*again, 0, again->format().frame(), {}).planes[0]));
    CHECK(fine(frame("enlarge.scale=3")) > 1.15 * fine(scaled(held, 1.5)));
    CHECK(fine(frame("enlarge.scale=2.4")) == Approx(fine(scaled(held, 1.2))).epsilon(0.03));
    CHECK(fine(frame("enlarge.scale=3", "enlarge.method=learned-quick")) == // there time counts
          Approx(fine(scaled(quick, 1.5))).epsilon(0.03));
}

TEST_CASE("where two further passes are left, one network makes what the quick one would by both") {
    const Picture p = test::photograph(112, 96, 12);
    Engine engine(std::size_t(64) << 20);
    const auto whole = [&](const StagePtr& s) { return engine.pull(*s, 0, s->format().frame(), {}).planes[0]; };
    const auto by = [](const StagePtr& s, const char* kind, int scale, double crisp) {
        const auto net = shippedNetwork(kind, scale, false, crisp);
        REQUIRE(net);
        return throughNetwork(s, {}, net, {});
    };
    struct Kind {
        const char* name;
        double crisp; ///< of the quick network where the other goes to its end
    };
    for (const Kind& kind : {Kind{"general", 0.875}, Kind{"rough", 0.5625}, Kind{"drawn", 0}})
        for (const double share : {0.0, 0.6, 1.0}) {
            if (kind.crisp == 0 && share > 0) continue;
            const StagePtr first = by(heldPicture(p), kind.name, 2, share);
            const Plane two = whole(by(by(first, kind.name, 2, share * kind.crisp), kind.name, 2, share * kind.crisp));
            const Plane one = whole(by(first, kind.name, 4, share));
            PictureFormat large = first->format();
            large.width *= 4, large.height *= 4;
            const Plane filter = whole(std::make_shared<ResampleStage>(
                first, ScaleWindow{0, 0, large.width / 4.0, large.height / 4.0, large.width, large.height},
                Kernel::Lanczos, large));
            INFO(kind.name << " at " << share << ": " << psnr(two, one) << " dB, a filter " << psnr(two, filter)
                           << "; fine detail " << fine(one) / fine(two) << ", a filter's " << fine(filter) / fine(two));
            CHECK(psnr(two, one) > psnr(two, filter) + 4);
            CHECK(psnr(two, one) > 38);
            CHECK(std::abs(fine(one) / fine(two) - 1) < 0.15);
        }
}

TEST_CASE("as few networks run after each other as an enlargement asks for") {
    const TempFolder folder;
    const Looked l = lookOver(writeDamaged(folder, {0, 0}));
    const auto networks = [&](const char* scale, const char* method) {
        Ticket t;
        for (const char* s : {scale, method, "clean.on=false"}) setByAssignment(t, s);
        const DeliveryPtr d = resolve(l.reader, l.found, t);
        int count = 0;
        for (StagePtr s = d->result; s; s = s->inputs().empty() ? nullptr : s->inputs()[0])
            count += std::string(s->name()) == "network";
        return count;
    };
    const char *full = "enlarge.method=learned", *quick = "enlarge.method=learned-quick";
    for (const auto& [scale, passes, quickPasses] :
         {std::tuple("enlarge.scale=2", 1, 1), std::tuple("enlarge.scale=3", 2, 1), std::tuple("enlarge.scale=4", 2, 2),
          std::tuple("enlarge.scale=5.5", 2, 2), std::tuple("enlarge.scale=8", 2, 2)}) {
        INFO(scale);
        CHECK(networks(scale, full) == passes);
        CHECK(networks(scale, quick) == quickPasses);
    }
}

TEST_CASE("what measured crispness follows: kind, noise, and whether faces or letters were found") {
    Ticket t;
    Inspection good;
    CHECK(measuredCrisp(t, good) == 80);
    CHECK(enlargeCrisp(t, good) == 80);
    Inspection faced = good;
    faced.faces.push_back({0, {10, 10, 40, 40}, 1});
    CHECK(measuredCrisp(t, faced) == Approx(56));
    Inspection lettered = good;
    lettered.text.push_back({0, {10, 10, 90, 12}, 1});
    CHECK(measuredCrisp(t, lettered) == Approx(56));
    Inspection hard = good, noisy = good;
    hard.readings.compression = 60;
    noisy.readings.noise = 12;
    CHECK(measuredCrisp(t, hard) == 80);
    // The more blocks there are traces of, the less, until the network for rough clips takes over, which knows them;
    // nothing jumps there.
    double last = 80;
    for (double compression = 0; compression <= 60; compression += 1) {
        Inspection between = good;
        between.readings.compression = compression;
        const double now = measuredCrisp(t, between);
        CHECK((compression <= 45 ? now <= last : now >= last));
        CHECK(std::abs(now - last) < 4);
        if (compression == 45) CHECK(now == 45);
        last = now;
    }
    CHECK(last == 80);
    CHECK(measuredCrisp(t, noisy) == 40);
    // The quick networks guess more.
    setByAssignment(t, "enlarge.method=learned-quick");
    CHECK(measuredCrisp(t, good) == 70);
    CHECK(measuredCrisp(t, hard) == 60);
    setByAssignment(t, "enlarge.method=learned");
    // Of ink less is guessed, however hard it was encoded.
    for (const auto& [method, most] : {std::pair{"learned", 60}, {"learned-quick", 45}}) {
        Ticket inked = t;
        setByAssignment(inked, "enlarge.kind=drawn");
        setByAssignment(inked, std::string("enlarge.method=") + method);
        CHECK(measuredCrisp(inked, good) == most);
        CHECK(measuredCrisp(inked, hard) == most);
        CHECK(measuredCrisp(inked, lettered) == Approx(0.7 * most));
        CHECK(enlargeCrisp(inked, good) == most);
        Inspection art = good;
        art.kind = "line art";
        CHECK(measuredCrisp(inked, art) == Approx(0.7 * most));
    }
    // Where there is no network, none is mixed, whatever is asked.
    setByAssignment(t, "enlarge.crisp=100");
    CHECK(enlargeCrisp(t, good) == 100);
    setByAssignment(t, "enlarge.method=lanczos");
    CHECK(enlargeCrisp(t, good) == 0);
}
