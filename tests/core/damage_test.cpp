// How damaged a clip is told to networks: by its own quantisers, by the estimating network, by the ticket.
#include "core/deliver/movie_writer.h"
#include "core/engine/work_plan.h"
#include "core/inspect/inspection.h"
#include "core/media/clip.h"
#include "core/media/decoder.h"
#include "core/media/frame_convert.h"
#include "core/media/quantiser.h"
#include "core/model/damage.h"
#include "core/model/shipped_networks.h"
#include "core/ticket/networks.h"
#include "core/ticket/step.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ulm;

namespace {

// On one core: of pictures that are decoded side by side libavcodec may tell the quantiser before it is known.
DecodedFrame middleFrame(const std::string& clip) {
    const struct OneCore {
        OneCore() { setWorkPlan({1, before.memory}); }
        ~OneCore() { setWorkPlan(before); }
        WorkPlan before = workPlan();
    } one;
    FrameReader reader(Clip::openVideo(clip), PacketDecoder::Threads::Single, 1 << 22);
    return reader.frame(2, {});
}

// A still photograph, encoded at this rate factor and back.
std::string clipOf(const test::TempFolder& folder, const Picture& p, double crf) {
    VideoEncoding e;
    e.width = p.format.width;
    e.height = p.format.height;
    e.crf = crf;
    const std::string path = folder / (std::to_string(int(crf)) + ".mkv");
    MovieWriter w(path, "matroska", e, std::nullopt);
    for (int n = 0; n < 5; ++n) w.write(*toFrame(p, AV_PIX_FMT_YUV420P), n, 1);
    w.finish();
    return path;
}

Picture encoded(const test::TempFolder& folder, const Picture& p, double crf) {
    const std::string path = clipOf(folder, p, crf);
    Picture back = Picture::make(p.format, p.format.frame());
    toPicture(*middleFrame(path).picture, back);
    return back;
}

} // namespace

TEST_CASE("the estimate rises with the encode's rate factor, and noise is not taken for compression") {
    const test::TempFolder folder;
    const Picture clean = test::photograph(320, 240, 71);
    double last = -1;
    for (const int crf : {8, 22, 30, 38}) {
        const double level = estimateCompression(encoded(folder, clean, crf).planes[0]);
        INFO("rate factor " << crf << ": " << level);
        CHECK(level > last);
        last = level;
    }
    CHECK(last > 0.5); // 0.93 is meant
    Picture noisy = clean;
    noisy.planes[0] = clean.planes[0].copy();
    test::addNoise(noisy, 8, 8);
    CHECK(estimateCompression(noisy.planes[0]) < 0.2);
}

TEST_CASE("a hard encode under a fine one is seen, and a fine one alone is not taken for it") {
    const test::TempFolder folder;
    const auto finely = [&](const Picture& p) {
        return inspectClip(Clip::openVideo(clipOf(folder, p, 10)), {}).readings;
    };
    for (const std::uint32_t seed : {71u, 5u}) {
        const Picture clean = test::photograph(480, 352, seed), hard = encoded(folder, clean, 36);
        const Readings fine = finely(clean), again = finely(hard);
        INFO("fine " << fine.compression << ", again " << again.compression);
        CHECK(fine.compression < 20);
        CHECK(again.compression > 45); // 86 is meant
        // A grid of blocks bears the estimate out: it counts in full.
        Picture blocky = clean;
        blocky.planes[0] = clean.planes[0].copy();
        test::quantiseBlocks(blocky, 30);
        const Readings grid = finely(blocky);
        const double looks = 100 * estimateCompression(blocky.planes[0]);
        INFO("with blocks of " << grid.blocking << ": " << grid.compression << ", looks " << looks);
        REQUIRE((grid.blocking > 3 && looks > 20));
        CHECK(grid.compression > looks - 8);
    }
}

TEST_CASE("what a codec keeps without loss is taken for less compressed than it looks") {
    const test::TempFolder folder;
    test::ClipRecipe r;
    r.encoder = "ffv1";
    r.width = 480, r.height = 352, r.frames = 6;
    const std::string path = folder / "kept.mkv";
    test::writeClip(path, r);
    const DecodedFrame frame = middleFrame(path);
    PictureFormat format;
    format.width = r.width, format.height = r.height;
    Picture p = Picture::make(format, format.frame());
    toPicture(*frame.picture, p);
    const double looks = 100 * estimateCompression(p.planes[0]);
    const Readings kept = inspectClip(Clip::openVideo(path), {}).readings;
    INFO("looks " << looks << ", read as " << kept.compression << ", blocks " << kept.blocking);
    REQUIRE((looks > 16 && kept.blocking < 2));
    CHECK(kept.compression < looks - 10);
}

TEST_CASE("nothing is estimated without the network, or of a picture too small for it") {
    const test::TempFolder folder;
    CHECK(estimateCompression(test::photograph(60, 200, 3).planes[0]) == 0);
    const WithoutShippedNetworks missing;
    CHECK(estimateCompression(encoded(folder, test::photograph(320, 240, 3), 34).planes[0]) == 0);
}

TEST_CASE("a grid of blocks tells by its height how hard a clip was compressed, beside the estimate") {
    const auto read = [](double step) {
        Picture p = test::photograph(320, 240);
        if (step > 0) test::quantiseBlocks(p, step);
        return lookAt(p).readings;
    };
    const double guess = read(48).compression;
    const WithoutShippedNetworks none; // the estimate is 0 then
    const Readings clean = read(0), fine = read(28), hard = read(48);
    INFO(fine.blocking << " " << fine.compression << ", " << hard.blocking << " " << hard.compression);
    CHECK(clean.compression == 0);
    CHECK(fine.compression > 5);
    CHECK(hard.compression > fine.compression + 5);
    CHECK(hard.compression <= 50); // half of it: the other half is the estimate's
    CHECK(guess > hard.compression + 5);
}

TEST_CASE("the mean quantiser is the one the encoder used, on one scale for all that tell it") {
    const test::TempFolder folder;
    test::ClipRecipe r;
    r.width = 160, r.height = 128, r.frames = 6;
    const auto told = [&](const std::string& encoder, decltype(r.options) options) {
        r.encoder = encoder;
        r.options = std::move(options);
        const std::string path = folder / "clip.mkv";
        test::writeClip(path, r);
        return meanQuantiser(*middleFrame(path).picture);
    };
    for (const int q : {12, 26, 40}) // frames between others take a little more
        CHECK(told("libx264", {{"qp", std::to_string(q)}}).value() == Approx(q).margin(3.5));
    const auto sameOf = [](double q) { return 14.5 + 6.2 * std::log2(q); };
    for (const char* encoder : {"mpeg4", "mpeg2video"})
        for (const int q : {2, 8, 24}) {
            INFO(encoder << " at " << q);
            const std::string text = std::to_string(q);
            CHECK(told(encoder, {{"qmin", text}, {"qmax", text}}).value() == Approx(sameOf(q)).margin(1.5));
        }
    const double fine = told("libvpx-vp9", {{"crf", "12"}, {"b", "0"}, {"cpu-used", "8"}}).value();
    const double coarse = told("libvpx-vp9", {{"crf", "50"}, {"b", "0"}, {"cpu-used", "8"}}).value();
    CHECK((fine > 8 && fine < 28));
    CHECK((coarse > 36 && coarse < 51));
    CHECK_FALSE(told("ffv1", {}));
}

TEST_CASE("codecs that lose nothing, and whole frames at high rates, are taken for fine") {
    VideoFacts v;
    v.codedWidth = 1920, v.codedHeight = 1080, v.fps = 25;
    const auto fine = [&](const char* codec, double bitsPerPixel) {
        v.codec = codec;
        v.bitrate = std::int64_t(bitsPerPixel * 1920 * 1080 * 25);
        return keptFinely(v);
    };
    CHECK(fine("ffv1", 0));
    CHECK(fine("rawvideo", 12));
    CHECK(fine("prores", 3));
    CHECK_FALSE(fine("prores", 0.4));
    CHECK_FALSE(fine("mjpeg", 0.8));
    CHECK_FALSE(fine("h264", 3)); // which tells its quantiser itself
    CHECK_FALSE(fine("hevc", 3));
    CHECK_FALSE(fine("no such codec", 9));
}

TEST_CASE("a ticket needs readings where a value is measured or a network is to be told of damage") {
    const auto needs = [](std::initializer_list<const char*> settings) {
        Ticket t;
        for (const char* s : settings) setByAssignment(t, s);
        return needsReadings(t);
    };
    CHECK_FALSE(needs({}));
    CHECK_FALSE(needs({"finish.sharpen.amount=1", "frame.aspect=9:16"}));
    CHECK(needs({"clean.noise=measured"}));
    CHECK(needs({"clean.banding=nudge:+3"}));
    const std::initializer_list<const char*> fixed = {"clean.method=classic", "clean.blocks=3", "clean.noise=2",
                                                      "clean.noise_chroma=0"};
    CHECK_FALSE(needs(fixed));
    CHECK(needs({"clean.blocks=3", "clean.noise=2", "clean.noise_chroma=0", "clean.method=learned"}));
    CHECK(needs({"enlarge.scale=2"}));
    CHECK_FALSE(needs({"enlarge.scale=2", "enlarge.method=spline36"}));
    CHECK_FALSE(needs({"enlarge.scale=2", "enlarge.on=false"}));
}

TEST_CASE("which network treats a clip follows its readings until the ticket says otherwise") {
    Ticket t;
    Inspection i;
    Readings& r = i.readings;
    CHECK(networkKind(t, i) == "general");
    r.compression = 44;
    CHECK(networkKind(t, i) == "general");
    r.compression = 46;
    CHECK(networkKind(t, i) == "rough");
    r.compression = 0;
    r.noise = 9; // noise that lies open is the general network's work
    CHECK(networkKind(t, i) == "general");
    for (const char* drawn : {"line art", "screen"}) {
        i.kind = drawn;
        r.compression = 44;
        CHECK(networkKind(t, i) == "general");
        CHECK(networkKind(t, i, 1) == "drawn");
        r.compression = 46;
        CHECK(networkKind(t, i) == "drawn");
    }
    t.enlarge.kind = "general";
    CHECK(networkKind(t, i) == "general");
}

TEST_CASE("a ticket without networks has filters in their place, and nothing else changed") {
    Ticket t;
    setByAssignment(t, "clean.method=learned");
    setByAssignment(t, "clean.noise=nudge:+2");
    setByAssignment(t, "enlarge.scale=3");
    setByAssignment(t, "finish.sharpen.amount=1.2");
    REQUIRE((cleansByNetwork(t, {}) && enlargesByNetwork(t)));
    Ticket expected = t;
    expected.clean.method = "classic";
    expected.enlarge.method = "lanczos";
    CHECK(withoutNetworks(t) == expected);
    CHECK(withoutNetworks(expected) == expected);
    t.enlarge.method = "own.onnx";
    CHECK(withoutNetworks(t) == expected);
    // What is switched off is left as it is: it costs nothing.
    t.enlarge.on = t.clean.on = false;
    CHECK(withoutNetworks(t) == t);
}
