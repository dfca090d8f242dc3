// HDR brought to standard range: published values, the reference, and what a destination gets.
#include "core/deliver/export.h"
#include "core/finish/dither_stage.h"
#include "core/finish/hdr_stage.h"
#include "core/picture/colour.h"
#include "core/picture/hash_noise.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/frame_step.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;
using test::TempFolder;

namespace {

PictureFormat hdrFormat(int transfer, int sub) {
    PictureFormat f = test::format(96, 64, sub);
    f.bitDepth = 10;
    f.colour.primaries = 9, f.colour.transfer = transfer, f.colour.matrix = 9;
    return f;
}

Picture shown(const StagePtr& s) {
    Engine e(std::size_t(32) << 20);
    return e.pull(*s, 0, s->format().frame(), {});
}

} // namespace

TEST_CASE("PQ, HLG and the roll-off have their published values", "[hdr]") {
    // ITU-R BT.2408, table 1: signals of reference levels.
    CHECK(pqLight(0.508) == Approx(100).epsilon(0.01));
    CHECK(pqLight(0.581) == Approx(203).epsilon(0.01));
    CHECK(pqLight(0.752) == Approx(1000).epsilon(0.01));
    CHECK(pqLight(1) == Approx(10000));
    for (const double l : {0.01, 1.0, 58.0, 900.0}) CHECK(pqLight(pqSignal(l)) == Approx(l).epsilon(1e-6));
    CHECK(hlgLight({0.75, 0.75, 0.75})[1] == Approx(203).epsilon(0.01));
    CHECK(hlgLight({1, 1, 1})[0] == Approx(1000).epsilon(0.01));
    CHECK(hlgLight({0.38, 0.38, 0.38})[2] == Approx(26).epsilon(0.02));
    // Below the knee nothing changes; the peak becomes white; in between it rises.
    CHECK(rolledOff(20) == Approx(20));
    CHECK(rolledOff(kHdrPeak) == Approx(kHdrWhite).epsilon(1e-6));
    CHECK(rolledOff(4000) == Approx(kHdrWhite).epsilon(1e-6));
    double last = -1;
    for (double l = 0; l < 1100; l += 5) {
        CHECK(rolledOff(l) >= last);
        last = rolledOff(l);
    }
}

TEST_CASE("greys stay grey, hues stay, and what the screen cannot show is paled and not clipped", "[hdr]") {
    for (const int transfer : {16, 18})
        for (const double v : {0.1, 0.4, 0.55, 0.7, 0.9}) {
            const auto grey = standardRange({v, v, v}, transfer);
            CHECK(std::abs(grey[0] - grey[1]) < 2e-3);
            CHECK(std::abs(grey[2] - grey[1]) < 2e-3);
        }
    const auto green = standardRange({0.1, 0.6, 0.1}, 16), fiery = standardRange({0.75, 0.6, 0.3}, 16);
    CHECK(green[1] > green[0] + 0.2);
    for (const double v : green) CHECK((v >= 0 && v <= 1));
    CHECK(fiery[0] > fiery[1]);
    CHECK(fiery[1] > fiery[2]);
}

TEST_CASE("the stage keeps to the reference within half a step of 10 bit, and to the contract", "[hdr]") {
    for (const int transfer : {16, 18}) {
        Picture p = Picture::make(hdrFormat(transfer, 0), {0, 0, 96, 64});
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 96; ++x)
                for (std::uint32_t c = 0; c < 3; ++c)
                    p.planes[c].row(y)[x] = 0.45f + 0.4f * float(hashNoise(std::uint32_t(x), std::uint32_t(y), 3, c));
        Picture rgb = p;
        for (Plane& plane : rgb.planes) plane = plane.copy();
        rgbToYcc(p, matrixWeights(9));
        Picture out = shown(toStandardRange(test::still(p)));
        CHECK(out.format.colour.transfer == 1);
        CHECK(out.format.bitDepth == 8);
        yccToRgb(out, matrixWeights(1));
        double worst = 0, atBlack = 0;
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 96; ++x) {
                const auto expected =
                    standardRange({rgb.planes[0].at(x, y), rgb.planes[1].at(x, y), rgb.planes[2].at(x, y)}, transfer);
                for (std::size_t c = 0; c < 3; ++c) {
                    const double off = std::abs(expected[c] - out.planes[c].at(x, y));
                    (expected[c] < 0.02 ? atBlack : worst) = std::max(expected[c] < 0.02 ? atBlack : worst, off);
                }
            }
        INFO(transfer);
        CHECK(worst < 0.5 / 876);
        CHECK(atBlack < 1.5 / 876); // a channel that is taken to nothing is a difference of large numbers
        test::checkContract(*toStandardRange(std::make_shared<test::PatternStage>(hdrFormat(transfer, 1), 2)), 3e-5);
    }
    const auto plain = std::make_shared<test::PatternStage>(test::format(64, 48, 1), 2);
    test::checkContract(*dithered(plain));
    // A slope of a tenth of a step a pixel survives rounding on average.
    test::Painted slope(200, 40, 1);
    slope.paint([](int x, int) { return (100 + 0.01 * x) / 219; });
    const Picture noisy = shown(dithered(test::still(slope)));
    // Columns whose value rounding alone would move: 100.1 to 100, and 101.9 to 102.
    double left = 0, right = 0;
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 20; ++x) {
            left += std::lround(219 * noisy.planes[0].at(x, y)) / 800.0;
            right += std::lround(219 * noisy.planes[0].at(x + 180, y)) / 800.0;
        }
    CHECK(left == Approx(100.095).margin(0.06));
    CHECK(right == Approx(101.895).margin(0.06));
}

TEST_CASE("a destination that takes no HDR gets standard range, and that is said; others get it as it is", "[hdr]") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.format = AV_PIX_FMT_YUV420P10;
    r.width = 128, r.height = 96;
    r.colour = {9, 16, 9, false, 1};
    r.options = {{"x264-params", "colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc"}};
    test::writeClip(folder / "hdr.mp4", r);
    const ClipPtr clip = Clip::openVideo(folder / "hdr.mp4");
    REQUIRE(clip->facts().video.hdr());
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 8 << 20);
    Target card;
    card.name = "plain", card.title = "Plain";
    const auto says = [](const std::vector<std::string>& all, const char* words) {
        return std::ranges::any_of(all, [&](const std::string& s) { return s.find(words) != std::string::npos; });
    };

    const DeliveryPtr alone = resolve(reader, nullptr, {});
    CHECK(alone->result->format().colour.transfer == 16);
    CHECK(says(alone->remarks(), "HDR colours stay"));
    Ticket brighter;
    setByAssignment(brighter, "finish.light.exposure=0.5");
    CHECK(says(resolve(reader, nullptr, brighter)->remarks(), "as if it were no HDR clip"));
    CHECK_FALSE(says(resolve(reader, nullptr, brighter, card)->remarks(), "as if it were no HDR clip"));
    const DeliveryPtr plain = resolve(reader, nullptr, {}, card);
    CHECK(plain->result->format().colour.transfer == 1);
    CHECK(plain->before->format().colour.transfer == 1); // both sides are seen the same way
    CHECK(says(plain->remarks(), "takes no HDR: brought to standard range"));
    CHECK(plain->sentence("finish") == "HDR to standard range.");
    card.hdr = true;
    CHECK(resolve(reader, nullptr, {}, card)->result->format().colour.transfer == 16);
    card.hdr = false;

    const std::string to = folder / "out.mp4";
    exportClip({folder / "hdr.mp4", to, {}, card, {}, false}, {});
    const VideoFacts v = Clip::openVideo(to)->facts().video;
    CHECK_FALSE(v.hdr());
    CHECK(v.bitDepth == 8);
    CHECK(v.colour.matrix == 1);
}

TEST_CASE("what a movie says of its mastering is read, delivered, and where the roll-off starts from", "[hdr]") {
    HdrData screen;
    screen.screen = true;
    screen.brightest = 4000;
    CHECK(hdrPeak({}, 16) == kHdrPeak);
    CHECK(hdrPeak(screen, 16) == 4000);
    screen.mostLight = 1500;
    CHECK(hdrPeak(screen, 16) == 1500);
    screen.mostLight = 9000; // brighter than the screen that showed it: measured wrongly
    CHECK(hdrPeak(screen, 16) == 4000);
    screen.brightest = 90, screen.mostLight = 0;
    CHECK(hdrPeak(screen, 16) == kHdrWhite);
    CHECK(rolledOff(150, kHdrWhite) == 150);
    CHECK(rolledOff(4000, 4000) == Approx(kHdrWhite).epsilon(1e-6));
    CHECK(rolledOff(500, 4000) < rolledOff(500, 1000));
    CHECK(hdrPeak(screen, 18) == kHdrPeak);

    // Told in the pictures only, as many files do.
    const TempFolder folder;
    test::ClipRecipe r;
    r.encoder = "libx265";
    r.format = AV_PIX_FMT_YUV420P10;
    r.width = 128, r.height = 96, r.frames = 12;
    r.colour = {9, 16, 9, false, 1};
    r.options = {{"x265-params", "log-level=none:colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc:"
                                 "master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)"
                                 "L(40000000,50):max-cll=1200,300:hdr10=1"}};
    test::writeClip(folder / "hdr.mp4", r);
    const VideoFacts told = Clip::openVideo(folder / "hdr.mp4")->facts().video;
    REQUIRE(told.mastering.any());
    CHECK(told.mastering.brightest == Approx(4000));
    CHECK(told.mastering.darkest == Approx(0.005));
    CHECK(told.mastering.primaries[0].x == Approx(0.68));
    CHECK(told.mastering.primaries[1].y == Approx(0.69));
    CHECK(told.mastering.white.y == Approx(0.329));
    CHECK(told.mastering.mostLight == 1200);
    CHECK(told.mastering.meanLight == 300);

    // The roll-off of the stage starts there.
    const auto mean = [&](const HdrData& d) {
        Picture p = Picture::make(hdrFormat(16, 0), {0, 0, 96, 64});
        for (Plane& plane : p.planes)
            for (int y = 0; y < 64; ++y) std::fill_n(plane.row(y), 96, 0.7f);
        rgbToYcc(p, matrixWeights(9));
        return shown(toStandardRange(test::still(p), d)).planes[0].at(5, 5);
    };
    CHECK(mean(told.mastering) == Approx(standardRange({0.7, 0.7, 0.7}, 16, 1200)[1]).margin(1e-3));
    CHECK(mean(told.mastering) < mean({}) - 0.003f);

    // Kept, in either codec, in the header and in the pictures; a destination for HDR gets H.265 of its own accord.
    for (const char* codec : {"h264", "h265"}) {
        INFO(codec);
        const std::string to = folder / (std::string(codec) + ".mp4");
        Ticket t;
        setByAssignment(t, std::string("deliver.codec=") + codec);
        const ExportReport report = exportClip({folder / "hdr.mp4", to, t, {}, {}, false}, {});
        const VideoFacts v = Clip::openVideo(to)->facts().video;
        CHECK(v.codec == (std::string(codec) == "h265" ? "hevc" : "h264"));
        CHECK(v.hdr());
        CHECK(v.bitDepth == 10);
        CHECK(v.mastering == told.mastering);
        CHECK(std::ranges::any_of(report.remarks, [](const std::string& s) {
            return s.find("with what it says of its mastering") != std::string::npos;
        }));
        CHECK(std::ranges::any_of(report.remarks, [](const std::string& s) {
                  return s.find("few screens show HDR of H.264") != std::string::npos;
              }) == (std::string(codec) == "h264"));
    }
    Target card;
    card.name = card.title = "Bright";
    card.hdr = true;
    card.codecs = {"h264", "hevc"};
    const auto reader = std::make_shared<FrameReader>(Clip::openVideo(folder / "hdr.mp4"),
                                                      PacketDecoder::Threads::Single, std::size_t(8) << 20);
    CHECK(resolve(reader, nullptr, {}, card)->ticket.deliver.codec == "h265");
    card.codecs = {"h264"};
    CHECK(resolve(reader, nullptr, {}, card)->ticket.deliver.codec == "h264");
    Ticket standard;
    setByAssignment(standard, "finish.hdr=standard");
    card.codecs = {"h264", "hevc"};
    CHECK(resolve(reader, nullptr, standard, card)->ticket.deliver.codec == "h264");
}

TEST_CASE("a clip that shrinks comes to standard range at its delivered size, and looks as it would before", "[hdr]") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.format = AV_PIX_FMT_YUV420P10;
    r.width = 256, r.height = 192, r.frames = 6;
    r.colour = {9, 18, 9, false, 1};
    r.options = {{"x264-params", "colorprim=bt2020:transfer=arib-std-b67:colormatrix=bt2020nc"}};
    test::writeClip(folder / "hdr.mp4", r);
    const auto reader = std::make_shared<FrameReader>(Clip::openVideo(folder / "hdr.mp4"),
                                                      PacketDecoder::Threads::Single, std::size_t(8) << 20);
    const auto with = [&](std::initializer_list<const char*> settings) {
        Ticket t;
        setByAssignment(t, "finish.hdr=standard");
        for (const char* s : settings) setByAssignment(t, s);
        return resolve(reader, nullptr, t);
    };
    const auto order = [](const DeliveryPtr& d) { // what is done last on both sides, the dither aside
        return std::string(d->before->name()) + ", " + d->result->inputs()[0]->name();
    };
    CHECK(order(with({"frame.size=96x96"})) == "standard range, standard range");
    CHECK(order(with({"frame.size=96x96", "frame.fill=pad", "motion.fps=12", "motion.method=hold"})) ==
          "standard range, standard range");
    // Where something before has to see standard range, or there are fewer pixels before: there.
    CHECK(order(with({"frame.size=96x96", "clean.texture=40"})) == "standard range, scale");
    CHECK(order(with({"enlarge.scale=2", "enlarge.method=lanczos"})) == "scale, scale");
    CHECK(order(with({})) == "standard range, standard range");

    Engine engine(std::size_t(64) << 20);
    // Means of the signal are not the signal of means; the wider they are taken, the more so.
    for (const auto& [fill, steps] :
         {std::pair{"frame.fill=crop", 1.0}, {"frame.fill=pad", 1.0}, {"frame.fill=blur", 4.0}}) {
        const DeliveryPtr d = with({"frame.size=96x128", fill});
        const StagePtr standard = toStandardRange(d->source),
                       first = framed(standard, standard, {d->planAt(0), {}, 0}, poseOf(Size{r.width, r.height}, {}),
                                      Kernel::Lanczos);
        const Picture late = engine.pull(*d->result->inputs()[0], 3, d->result->format().frame(), {}),
                      early = engine.pull(*first, 3, first->format().frame(), {});
        REQUIRE(late.area == early.area);
        for (int c = 0; c < 3; ++c) {
            double sum = 0;
            const Rect a = late.planes[c].area();
            for (int y = a.y; y < a.bottom(); ++y)
                for (int x = a.x; x < a.right(); ++x)
                    sum += std::abs(late.planes[c].at(x, y) - early.planes[c].at(x, y));
            INFO(fill << ", plane " << c);
            CHECK(sum / double(a.pixels()) < steps / 219);
        }
    }
}

TEST_CASE("a row of noise is that of its samples, wherever it begins") {
    std::vector<float> row(37, 1.f);
    addHashNoise(row.data(), 37, 1000, 7, 3, 5, 0.25f);
    const auto written = [](std::uint32_t x, std::uint32_t y, std::uint32_t frame, std::uint32_t seed) { // its formula
        std::uint32_t h =
            x * 0x9E3779B1u ^ (y * 0x85EBCA77u + 0x165667B1u) ^ (frame * 0xC2B2AE3Du + seed * 0x27D4EB2Fu);
        h = (h ^ (h >> 16)) * 0x7FEB352Du;
        h = (h ^ (h >> 15)) * 0x846CA68Bu;
        return float(std::int32_t(h ^ (h >> 16))) / 2147483648.f;
    };
    for (int x = 0; x < 37; ++x) {
        CHECK(hashNoise(1000 + std::uint32_t(x), 7, 3, 5) == written(1000 + std::uint32_t(x), 7, 3, 5));
        const float alone = hashNoise(1000 + std::uint32_t(x), 7, 3, 5);
        CHECK(row[std::size_t(x)] == Approx(1 + 0.25 * double(alone)).margin(1e-6));
        CHECK(std::abs(alone) <= 1);
    }
    CHECK(hashNoise(1000, 7, 3, 5) != hashNoise(1000, 7, 4, 5));
    CHECK(hashNoise(1000, 7, 3, 5) != hashNoise(1000, 8, 3, 5));
}
