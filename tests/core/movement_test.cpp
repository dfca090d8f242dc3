#include "core/inspect/inspection.h"
#include "core/inspect/shots.h"
#include "core/media/decoder.h"
#include "demo/damage.h"
#include "demo/scenes/scene.h"
#include "tests/support/clips.h"
#include "tests/support/skipped.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <random>

using namespace ulm;

namespace {

// Frames of drawn scenes, each seen through a window that can move, as thumbprints; with the truth about them.
class Composed {
public:
    std::vector<Thumbprint> prints;
    std::vector<std::int64_t> cuts, repeats;

    enum class How { Plain, Pan, Flash, FadeIn, Static, Repeating, Shaky };
    void shot(int scene, int frames, How how, std::uint32_t seed) {
        demo::Canvas canvas(400, 216);
        const auto s = make(scene, seed);
        if (!prints.empty()) cuts.push_back(static_cast<std::int64_t>(prints.size()));
        for (int t = 0; t < frames; ++t) {
            const auto here = static_cast<std::int64_t>(prints.size());
            if (how == How::Repeating && t % 5 == 4) {
                repeats.push_back(here);
                prints.push_back(prints.back());
                continue;
            }
            s->draw(how == How::Static ? 1.0 : 1.0 + t / 25.0, canvas);
            double dx = 0, dy = 0, gain = 1;
            if (how == How::Pan) dx = std::min(180.0, 9.0 * t);
            if (how == How::Shaky) dx = 20 + 3 * std::sin(t * 2.1), dy = 6 + 3 * std::cos(t * 1.7);
            if (how == How::Flash && (t == 9 || t == 10)) gain = 2.2;
            if (how == How::FadeIn) gain = std::min(1.0, t / 20.0);
            if (how == How::FadeIn && t == 0 && !cuts.empty() && cuts.back() == here)
                cuts.pop_back(); // no cut: it was dark before
            prints.push_back(seen(canvas, dx, dy, gain, 17 * seed + static_cast<std::uint32_t>(t)));
        }
    }
    void dark(int frames) {
        if (!prints.empty()) cuts.push_back(static_cast<std::int64_t>(prints.size()));
        for (int t = 0; t < frames; ++t) {
            demo::Canvas black(400, 216);
            prints.push_back(seen(black, 0, 0, 1, static_cast<std::uint32_t>(t)));
        }
    }

private:
    static std::unique_ptr<demo::Scene> make(int scene, std::uint32_t seed) {
        switch (scene % 5) {
        case 0: return demo::makeWheel(400, 216, seed);
        case 1: return demo::makeShelf(400, 216, seed);
        case 2: return demo::makeKiln(400, 216, seed);
        case 3: return demo::makeGlaze(400, 216, seed);
        default: return demo::makeHands(400, 216, seed);
        }
    }
    static Thumbprint seen(const demo::Canvas& c, double dx, double dy, double gain, std::uint32_t seed) {
        Plane p = Plane::make({0, 0, 192, 192});
        std::mt19937 random(seed); // a sensor's noise: no two frames are quite the same
        std::normal_distribution<float> noise(0, 1.5f / 219);
        for (int y = 0; y < 192; ++y)
            for (int x = 0; x < 192; ++x)
                p.row(y)[x] = std::min(1.f, c.sample(float(x + dx), float(y + dy)).g * float(gain)) + noise(random);
        return thumbprint(p);
    }
};

struct Score {
    double f1;
    std::size_t found, truth;
};
Score score(const std::vector<std::int64_t>& found, const std::vector<std::int64_t>& truth) {
    std::size_t hits = 0;
    for (const auto f : found) hits += std::ranges::count(truth, f) > 0;
    return {2.0 * double(hits) / double(std::max<std::size_t>(1, found.size() + truth.size())), found.size(),
            truth.size()};
}

Thumbprint texture(double dx, double dy) {
    Plane p = Plane::make({0, 0, 384, 216});
    for (int y = 0; y < 216; ++y)
        for (int x = 0; x < 384; ++x) {
            const double u = x + dx, v = y + dy;
            p.row(y)[x] =
                float(0.5 + 0.2 * std::sin(u * 0.07) * std::cos(v * 0.09) + 0.15 * std::sin(u * 0.021 + v * 0.033));
        }
    return thumbprint(p);
}

} // namespace

TEST_CASE("cuts and repeats are found in composed clips with flashes, pans, fades and still shots among them") {
    using How = Composed::How;
    std::size_t cutTruth = 0;
    double worstCuts = 1, worstRepeats = 1;
    for (const std::uint32_t seed : {1u, 2u, 3u}) {
        Composed c;
        const How order[] = {How::Plain,     How::Flash, How::Pan, How::Static, How::Repeating, How::Shaky,
                             How::Repeating, How::Flash, How::Pan, How::Static, How::Plain,     How::Repeating};
        int scene = static_cast<int>(seed);
        for (const How how : order) c.shot(scene++, 24, how, seed);
        c.dark(6);
        c.shot(scene, 30, How::FadeIn, seed);
        const auto cuts = findCuts(c.prints), repeats = findDuplicates(c.prints, cuts);
        const Score s = score(cuts, c.cuts), r = score(repeats, c.repeats);
        INFO("seed " << seed << ": cuts " << s.found << " of " << s.truth << " F1 " << s.f1 << ", repeats " << r.found
                     << " of " << r.truth << " F1 " << r.f1);
        cutTruth += s.truth;
        worstCuts = std::min(worstCuts, s.f1);
        worstRepeats = std::min(worstRepeats, r.f1);
    }
    CHECK(cutTruth > 30);
    CHECK(worstCuts >= 0.97);
    CHECK(worstRepeats >= 0.97);
    CHECK(findCuts({}).empty());
    CHECK(findDuplicates({}).empty());
}

TEST_CASE("real takes show the cuts that the eye finds in them, and no others") {
    const std::string folder = "/usr/share/doc/opencv-doc/examples/data/";
    if (!std::filesystem::exists(folder + "vtest.avi")) {
        test::skipped("Debian's opencv-doc is here without its movies, as on systems that leave documentation out");
        return;
    }
    const auto cutsOf = [&](const std::string& name) {
        const std::string path = folder + name;
        const ClipPtr clip = Clip::openVideo(path);
        FrameReader reader(clip, PacketDecoder::Threads::Frames, std::size_t(16) << 20);
        std::vector<Thumbprint> prints;
        for (std::int64_t n = 0; n < clip->frameCount(); ++n)
            prints.push_back(thumbprint(*reader.frame(n, {}).picture, false));
        return findCuts(prints);
    };
    CHECK(cutsOf("vtest.avi").empty());
    CHECK(cutsOf("tree.avi").empty()); // branches close to the camera, in the wind
    CHECK(cutsOf("Megamind.avi") == std::vector<std::int64_t>{1, 98, 154, 200});
}

TEST_CASE("what moves fast and close is no cut, and another view of the same things is one") {
    // A dark shape as wide as half the picture crosses a textured wall within four frames.
    std::vector<Thumbprint> prints;
    for (int n = 0; n < 40; ++n) {
        Thumbprint p = texture(0.4 * n, 0);
        const double left = 26.0 * (n - 16) - 40;
        for (int y = 6; y < 54; ++y)
            for (int x = 0; x < 96; ++x) {
                const double in = std::clamp(std::min(x - left, left + 48 - x) / 6, 0.0, 1.0); // motion blur
                float& v = p.cells[static_cast<std::size_t>(y * 96 + x)];
                v += float(in) * (30 + 8 * std::sin(0.5 * (x - left)) - v);
            }
        prints.push_back(p);
    }
    CHECK(findCuts(prints).empty());
    // The same wall, and suddenly something else stands on it.
    for (int n = 0; n < 20; ++n) {
        Thumbprint p = texture(16, 0);
        for (int y = 20; y < 50; ++y)
            for (int x = 30; x < 70; ++x)
                p.cells[static_cast<std::size_t>(y * 96 + x)] = float(180 + 40 * std::sin(0.9 * x) * std::cos(0.7 * y));
        prints.push_back(p);
    }
    CHECK(findCuts(prints) == std::vector<std::int64_t>{40});
}

TEST_CASE("a regular pattern of repeats is told, and an irregular one is not") {
    std::vector<std::int64_t> every5, irregular = {3, 10, 11, 30, 47, 61};
    for (std::int64_t i = 4; i < 100; i += 5) every5.push_back(i);
    const RepeatPattern p = repeatPattern(every5, 100);
    CHECK(p.repeats == 1);
    CHECK(p.of == 5);
    CHECK(repeatPattern(irregular, 100).of == 0);
    std::vector<std::int64_t> three2; // film in 60: of every five frames three repeat
    for (std::int64_t i = 0; i < 100; ++i)
        if (i % 5 == 1 || i % 5 == 3 || i % 5 == 4) three2.push_back(i);
    CHECK(repeatPattern(three2, 100).repeats == 3);
    CHECK(repeatPattern({}, 100).of == 0);
}

TEST_CASE("the whole picture's movement is measured to a tenth of a cell") {
    for (const auto& [dx, dy] : {std::pair{0.0, 0.0}, {3.0, 0.0}, {-9.0, 5.0}, {22.0, -12.0}}) {
        // The window moves right, so what is seen moves left.
        const GlobalMotion m = globalMotion(texture(0, 0), texture(dx, dy));
        INFO("moved " << dx << "," << dy << " read " << m.x << "," << m.y);
        CHECK(m.x == Approx(-dx / 4).margin(0.1)); // 4 samples a cell
        CHECK(m.y == Approx(-dy / 4).margin(0.1));
    }
    CHECK(globalMotion(texture(0, 0), texture(8, 0)).trust > 0.7);
    CHECK(globalMotion(texture(0, 0), texture(0, 0)).trust == 0);
}

TEST_CASE("shake, judder and a missing frame show where they are, and not on a steady pan") {
    const auto pan = [](int frames, const std::function<double(int)>& at, const std::function<double(int)>& up) {
        std::vector<Thumbprint> prints;
        for (int t = 0; t < frames; ++t) prints.push_back(texture(at(t), up(t)));
        return findMovement(prints, {}, findDuplicates(prints), 25, 384, 216);
    };
    const auto none = [](int) { return 0.0; };
    const Movement steady = pan(
        60, [](int t) { return 4.0 * t; }, none);
    CHECK(steady.speed == Approx(4).margin(0.5));
    CHECK(steady.shake < 0.3);
    CHECK(steady.judder < 10);
    CHECK(steady.jumps.empty());
    double last = steady.shake;
    for (const double by : {1.0, 2.5, 5.0}) {
        const Movement shaky = pan(
            60, [=](int t) { return 4.0 * t + by * std::sin(t * 1.9); }, [=](int t) { return by * std::cos(t * 2.3); });
        INFO("tremble " << by << " read " << shaky.shake);
        CHECK(shaky.shake > last + 0.4);
        CHECK(shaky.shake == Approx(by).epsilon(0.35)); // both axes of amplitude `by`: √(½ + ½) of it
        last = shaky.shake;
    }
    // Every fifth frame shown twice: a pan that stands still and hurries.
    const Movement juddery = pan(
        60, [](int t) { return 5.0 * (t - t / 5); }, none);
    CHECK(juddery.judder > 3 * steady.judder + 10);
    const Movement gap = pan(
        60, [](int t) { return 4.0 * (t + (t >= 30)); }, none);
    REQUIRE(gap.jumps.size() == 1);
    CHECK(gap.jumps[0] == 30);
}

TEST_CASE("uneven and missing frame times are read from the container") {
    test::TempFolder folder;
    test::ClipRecipe even;
    test::writeClip(folder / "even.mp4", even);
    const Timing quiet = findTiming(*Clip::openVideo(folder / "even.mp4"));
    CHECK(quiet.unevenShare == 0);
    CHECK(quiet.missing == 0);
    test::ClipRecipe gaps;
    gaps.bFrames = 0;
    std::int64_t at = 0;
    for (int i = 0; i < gaps.frames; ++i) {
        gaps.pts.push_back(at);
        at += i == 7 ? 120 : i == 15 ? 80 : 40; // two frames missing after the eighth, one after the sixteenth
    }
    test::writeClip(folder / "gaps.mkv", gaps);
    const Timing t = findTiming(*Clip::openVideo(folder / "gaps.mkv"));
    CHECK(t.missing == 3);
    CHECK(t.gaps == std::vector<std::int64_t>{8, 16});
}

TEST_CASE("light that comes on and stays is no cut; another picture of the same brightness is one") {
    std::vector<Thumbprint> lit, cut;
    for (int t = 0; t < 24; ++t) {
        lit.push_back(texture(0.3 * t, 0));
        cut.push_back(lit.back());
        if (t >= 12) // finer, and across
            for (std::size_t i = 0; i < cut.back().cells.size(); ++i) {
                const double x = double(i % 96) + 0.1 * t, y = double(i / 96);
                cut.back().cells[i] = float(110 + 50 * std::sin(0.9 * y + 0.4 * x) * std::cos(0.7 * x - 0.2 * y));
            }
        if (t >= 12)
            for (float& c : lit.back().cells) c = c * 1.3f + 20;
    }
    CHECK(findCuts(lit).empty());
    CHECK(findCuts(cut) == std::vector<std::int64_t>{12});
}

TEST_CASE("a shot that stands still repeats nothing; drawings on twos and threes, and a short freeze, do") {
    const auto noisy = [](double dx, std::uint32_t seed) { // an encode's leavings: repeats are not bit-equal
        Thumbprint t = texture(dx, 0);
        std::mt19937 random(seed);
        std::normal_distribution<float> noise(0, 0.01f);
        for (float& c : t.cells) c += noise(random);
        return t;
    };
    const auto composed = [&](const std::function<double(int)>& at, int frames) {
        std::vector<Thumbprint> all;
        for (int n = 0; n < frames; ++n) all.push_back(noisy(at(n), std::uint32_t(n)));
        return all;
    };
    CHECK(findDuplicates(composed([](int) { return 3.0; }, 60)).empty());
    CHECK(findDuplicates(composed([](int n) { return 0.6 * n; }, 60)).empty()); // a slow pan
    for (const int on : {2, 3}) {
        INFO("on " << on);
        std::vector<std::int64_t> truth;
        for (int n = 1; n < 60; ++n)
            if (n % on) truth.push_back(n);
        const Score s = score(findDuplicates(composed([on](int n) { return 4.0 * (n / on); }, 60)), truth);
        CHECK(s.f1 >= 0.97);
    }
    // Five frames dropped in capture: the picture stands, then jumps.
    CHECK(findDuplicates(composed([](int n) { return 4.0 * (n >= 20 && n < 26 ? 20 : n); }, 60)) ==
          std::vector<std::int64_t>{21, 22, 23, 24, 25});
}
