// A clip as it is held before it is framed: cut, mirrored, turned, straightened; and points on it, both ways.
#include "core/engine/engine.h"
#include "core/judge/measures.h"
#include "core/picture/resample.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/stills.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::TempFolder;

namespace {

Picture whole(const StagePtr& s) { return Engine(0).pull(*s, 0, s->format().frame(), {}); }

Pose held(Size clip, const PoseWish& wish) { return poseOf(clip, wish); }

// Every pixel of luma and chroma is another.
StagePtr numbered(int width, int height, int sub) {
    test::Painted p(width, height, sub);
    p.paint([&](int x, int y) { return (y * width + x) / double(width * height); });
    for (int c = 1; c < 3; ++c)
        for (int y = 0; y < p.picture.planes[c].area().h; ++y)
            for (int x = 0; x < p.picture.planes[c].area().w; ++x)
                p.picture.planes[c].row(y)[x] = float(x - 2 * y) / 200.f * float(3 - 2 * c);
    return test::still(p);
}

} // namespace

TEST_CASE("quarter turns, mirroring and parts move whole samples to where they belong") {
    const StagePtr in = numbered(40, 24, 0);
    const Picture from = whole(in);
    struct Way {
        PoseWish wish;
        Size size;
        std::function<Point(int x, int y)> from; // of each pixel of the result
    };
    const std::vector<Way> ways = {
        {{{}, 90, false, 0},
         {24, 40},
         [](int x, int y) {
             return Point{double(y), double(23 - x)};
         }},
        {{{}, 180, false, 0},
         {40, 24},
         [](int x, int y) {
             return Point{39.0 - x, 23.0 - y};
         }},
        {{{}, 270, false, 0},
         {24, 40},
         [](int x, int y) {
             return Point{39.0 - y, double(x)};
         }},
        {{{}, 0, true, 0},
         {40, 24},
         [](int x, int y) {
             return Point{39.0 - x, double(y)};
         }},
        {{{}, 90, true, 0},
         {24, 40},
         [](int x, int y) {
             return Point{39.0 - y, 23.0 - x};
         }},
        {{{4, 2, 30, 18}, 0, false, 0},
         {30, 18},
         [](int x, int y) {
             return Point{x + 4.0, y + 2.0};
         }},
        {{{4, 2, 30, 18}, 270, false, 0},
         {18, 30},
         [](int x, int y) {
             return Point{33.0 - y, x + 2.0};
         }},
    };
    for (const Way& w : ways) {
        const Pose pose = held({40, 24}, w.wish);
        REQUIRE(pose.size() == w.size);
        const Picture out = whole(posed(in, pose));
        REQUIRE(out.format.width == w.size.w);
        int wrong = 0;
        for (int y = 0; y < w.size.h; ++y)
            for (int x = 0; x < w.size.w; ++x) {
                const Point p = w.from(x, y);
                for (int c = 0; c < 3; ++c) wrong += out.planes[c].at(x, y) != from.planes[c].at(int(p.x), int(p.y));
                const Point there = pose.still({p.x + 0.5, p.y + 0.5});
                CHECK(there.x == Approx(x + 0.5));
                CHECK(there.y == Approx(y + 0.5));
            }
        CHECK(wrong == 0);
    }
}

TEST_CASE("a part that lies on whole blocks of chroma is taken without touching it") {
    const StagePtr in = numbered(40, 24, 1);
    const StagePtr part = posed(in, held({40, 24}, {{4, 2, 20, 18}, 0, false, 0}));
    CHECK(part->format().subW == 1);
    const Picture from = whole(in), out = whole(part);
    CHECK(out.planes[1].at(3, 5) == from.planes[1].at(5, 6));
    CHECK(out.planes[2].at(9, 8) == from.planes[2].at(11, 9));
    CHECK(posed(in, held({40, 24}, {})) == in);
}

TEST_CASE("subsampled chroma stays where the picture's colours are, wherever its samples lie") {
    // Colours that rise evenly: a cubic gives them back closely.
    const auto ramp = [](Point p) { return 0.002 * p.x - 0.003 * p.y; };
    for (const int site : {1, 2, 3, 4, 5, 6}) {
        test::Painted p(64, 48, 1);
        p.picture.format.colour.chromaSite = site;
        const double right = chromaOffset(site, false), down = chromaOffset(site, true);
        const auto place = [&](int x, int y) { return Point{2 * (x + 0.5) + right, 2 * (y + 0.5) + down}; };
        for (int y = 0; y < 24; ++y)
            for (int x = 0; x < 32; ++x)
                p.picture.planes[1].row(y)[x] = p.picture.planes[2].row(y)[x] = float(ramp(place(x, y)));
        for (const PoseWish& w : {PoseWish{{}, 90, false, 0}, PoseWish{{}, 180, true, 0}, PoseWish{{}, 270, true, 0},
                                  PoseWish{{3, 5, 50, 40}, 0, false, 0}, PoseWish{{}, 0, false, 4}}) {
            const Pose pose = held({64, 48}, w);
            const Picture out = whole(posed(test::still(p), pose));
            REQUIRE(out.format.subW == 1);
            CHECK(out.format.colour.chromaSite == site);
            double worst = 0;
            const Rect r = out.planes[1].area();
            for (int y = 3; y < r.h - 3; ++y) // borders go on, they do not rise
                for (int x = 3; x < r.w - 3; ++x)
                    worst = std::max(worst, std::abs(out.planes[1].at(x, y) - ramp(pose.still.inverse()(place(x, y)))));
            INFO("site " << site << ", turn " << w.turn << ", by " << w.degrees);
            CHECK(worst < 7e-4); // of a cubic at 1/32 of a sample; a quarter of a sample off would be 1e-3 and more
        }
    }
}

TEST_CASE("straightening turns about the middle, shows no border, and gives back what was turned away") {
    const Picture photo = test::photograph(320, 180, 5);
    for (const double degrees : {-12.0, 3.0, 15.0}) {
        const Pose pose = held({320, 180}, {{}, 0, false, degrees});
        CHECK(pose.width % 2 == 0);
        // Clockwise above 0: what was above the middle comes to lie to its right.
        CHECK((pose.still({160, 20}).x > pose.width / 2.0) == (degrees > 0));
        CHECK(double(pose.width) / pose.height == Approx(320.0 / 180).epsilon(0.02));
        // Its corners lie inside the clip, and at least one just so.
        double least = 1e9;
        for (const Point p : {Point{0, 0}, Point{double(pose.width), 0}, Point{0, double(pose.height)},
                              Point{double(pose.width), double(pose.height)}}) {
            const Point c = pose.still.inverse()(p);
            for (const double d : {c.x, c.y, 320 - c.x, 180 - c.y}) least = std::min(least, d);
        }
        CHECK(least > -0.01);
        CHECK(least < 3);
        // Turned there and back the middle is what it was.
        const StagePtr there = posed(test::still(photo), pose);
        const Pose back = held(pose.size(), {{}, 0, false, -degrees});
        const Picture again = whole(posed(there, back));
        const Rect middle = again.format.frame().grown(-8);
        const int dx = (320 - back.width) / 2, dy = (180 - back.height) / 2;
        Plane truth = Plane::make(middle);
        for (int y = middle.y; y < middle.bottom(); ++y)
            for (int x = 0; x < middle.w; ++x) truth.row(y)[x] = photo.planes[0].at(middle.x + x + dx, y + dy);
        CHECK(psnr(truth, again.planes[0].view(middle)) > 34);
    }
}

TEST_CASE("warped pictures keep the contract of stages, and every pose has a key of its own") {
    const PictureFormat f = test::format(64, 48, 1);
    const auto pattern = std::make_shared<test::PatternStage>(f, 3);
    for (const PoseWish& w : {PoseWish{{}, 90, false, 0}, PoseWish{{}, 0, true, 0}, PoseWish{{}, 0, false, 6.5},
                              PoseWish{{6, 4, 40, 32}, 180, true, -3}})
        test::checkContract(*posed(pattern, held({64, 48}, w)));
    Pose moving = held({64, 48}, {});
    moving.at = [](std::int64_t n) { return Affine::moving(1.25 * double(n), -0.5 * double(n)); };
    moving.key = 7;
    test::checkContract(*posed(pattern, moving));
    test::checkKeys({[&] {
                         return posed(pattern, held({64, 48}, {{}, 90, false, 0}));
                     },
                     [&] {
                         return posed(pattern, held({64, 48}, {{}, 270, false, 0}));
                     },
                     [&] {
                         return posed(pattern, held({64, 48}, {{}, 0, false, 2}));
                     },
                     [&] {
                         return posed(pattern, held({64, 48}, {{}, 0, false, 2.5}));
                     },
                     [&] { return posed(pattern, moving); }});
}

TEST_CASE("what is delivered of a turned and straightened clip is what points on it say") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 160, .height = 96, .frames = 4});
    const ClipPtr clip = Clip::openVideo(folder / "a.mp4");
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 1 << 20);
    for (const std::vector<std::string>& set :
         {std::vector<std::string>{"frame.turn=90", "frame.aspect=clip"},
          {"frame.turn=270", "frame.mirror=true", "frame.aspect=1:1"},
          {"frame.straighten=8", "frame.aspect=clip", "enlarge.scale=2", "enlarge.method=lanczos"},
          {"frame.part=16,8,120x80", "frame.turn=180", "frame.aspect=4:5", "frame.y=1"}}) {
        Ticket t;
        for (const std::string& s : set) setByAssignment(t, s);
        const DeliveryPtr d = resolve(reader, Inspection{}, t);
        INFO(set.front() << ", " << sizeText(d->size()));
        for (const Point p : {Point{60, 40}, Point{81, 50}}) {
            const Point there = d->toDelivered(1, p), again = d->toSource(1, there);
            CHECK(again.x == Approx(p.x));
            CHECK(again.y == Approx(p.y));
        }
        // Read at the clip's own pixels, what is delivered is the clip.
        const Rect place = d->readable(1, {0, 0, d->size().w, d->size().h}, {56, 36, 40, 24});
        REQUIRE(place.w >= 24);
        REQUIRE(place.h >= 16);
        const StagePtr back = d->inSourcePixels(d->result, 1, place);
        Engine engine(0);
        const Picture was = engine.pull(*d->source, 1, place, {}),
                      is = engine.pull(*back, 1, back->format().frame(), {});
        double sum = 0;
        for (int y = 0; y < place.h; ++y)
            for (int x = 0; x < place.w; ++x)
                sum += std::pow(was.planes[0].row(place.y + y)[x] - is.planes[0].row(y)[x], 2);
        CHECK(10 * std::log10(place.pixels() / sum) > 24);
    }
}

TEST_CASE("the blurred fill is of what is held: nothing that was cut away comes back around it") {
    test::Painted p(128, 64, 1);
    p.paint([](int x, int) { return x < 64 ? 0.9 : 0.1; }); // bright at the left
    const StagePtr in = test::still(p);
    VideoFacts v;
    v.width = v.codedWidth = 128, v.height = v.codedHeight = 64;
    for (const char* turn : {"0", "90"}) {
        Ticket t;
        for (const std::string& set : {std::string("frame.part=64,0,64x64"), std::string("frame.fill=blur"),
                                       std::string("frame.aspect=9:16"), std::string("frame.turn=") + turn})
            setByAssignment(t, set);
        FramingPath path;
        path.still = framingOf(t, v);
        const Picture out = whole(framed(in, in, path, poseOf(t, v), Kernel::Bicubic));
        float most = 0;
        for (int y = 0; y < out.format.height; ++y)
            for (int x = 0; x < out.format.width; ++x) most = std::max(most, out.planes[0].at(x, y));
        CHECK(out.format.height > 64); // there is something around it
        CHECK(most < 0.2f);
    }
}

TEST_CASE("a part that is no part is refused in words, and one outside the clip is all of it") {
    CHECK(partWrong("").empty());
    CHECK(partWrong("0,60,640x240").empty());
    for (const char* bad : {"1,2,3", "a", "0,0,8x8", "-1,0,64x64", "0,0,64x64 more", "0.5,0,64x64", "0,0,99999x64"})
        CHECK(!partWrong(bad).empty());
    CHECK(partFrom("4,6,32x20") == Rect{4, 6, 32, 20});
    CHECK(partText({4, 6, 32, 20}) == "4,6,32x20");
    CHECK(held({100, 50}, {{90, 40, 300, 300}, 0, false, 0}).size() == Size{100, 50});
}
