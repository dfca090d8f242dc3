// Frames in between: along movement, never across what does not belong together, at exact instants.
#include "core/base/error.h"
#include "core/engine/engine.h"
#include "core/engine/resample_stage.h"
#include "core/judge/measures.h"
#include "core/motion/aligned_stage.h"
#include "core/motion/between_stage.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;
using test::TempFolder;
using test::ticketOf;

namespace {

// A photograph that slides by (vx, vy) pixels a frame, a still mark over it where asked; frames of `other` show
// another photograph, those of `flash` are brighter.
class Slide : public Stage {
public:
    struct Wish {
        double vx = 6, vy = 2.5;
        bool mark = false, strokes = false;
        std::int64_t other = 99, flash = 99;
    };
    explicit Slide(Wish w)
        : Stage({}, {kW, kH, 1, 1},
                KeyMaker("slide").add(w.vx).add(w.vy).add(int(w.mark) + 2 * int(w.strokes)).add(w.other).add(w.flash)),
          wish_(w), one_(test::photograph(kW + 160, kH + 80, 7)), two_(turned(one_)) {}
    const char* name() const override { return "slide"; }
    std::int64_t frames() const override { return 9; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        const Picture whole = at(double(n));
        for (std::size_t c = 0; c < 3; ++c) copySamples(whole.planes[c], out.planes[c]);
    }
    // The truth at any instant.
    Picture at(double n) const {
        const Picture& from = n >= double(wish_.other) ? two_ : one_;
        Picture out = Picture::make(format(), format().frame());
        for (int c = 0; c < 3; ++c) {
            const ScaleWindow w{(40 + n * wish_.vx) / (c ? 2 : 1),
                                (20 + n * wish_.vy) / (c ? 2 : 1),
                                double(out.planes[c].area().w),
                                double(out.planes[c].area().h),
                                out.planes[c].area().w,
                                out.planes[c].area().h};
            resamplePlane(from.planes[c], w, out.planes[c]);
        }
        if (std::int64_t(n) == wish_.flash)
            for (int y = 0; y < kH; ++y)
                for (int x = 0; x < kW; ++x) out.planes[0].row(y)[x] = std::min(1.f, 0.35f + out.planes[0].row(y)[x]);
        if (wish_.mark)
            for (int y = kMark.y; y < kMark.bottom(); ++y)
                for (int x = kMark.x; x < kMark.right(); ++x)
                    out.planes[0].row(y)[x] = (x / 3 + y / 3) % 2 ? 0.95f : 0.1f;
        if (wish_.strokes)
            for (int y = kStrokes.y; y < kStrokes.bottom(); ++y)
                for (int x = kStrokes.x; x < kStrokes.right(); ++x)
                    if ((x - kStrokes.x) % 15 < 2) out.planes[0].row(y)[x] = 0.95f;
        return out;
    }
    static constexpr int kW = 256, kH = 160;
    static constexpr Rect kMark{180, 20, 48, 24}, kStrokes{60, 60, 120, 24};

private:
    static void resamplePlane(const Plane& from, const ScaleWindow& w, Plane& to) {
        for (int y = 0; y < w.height; ++y)
            for (int x = 0; x < w.width; ++x) {
                const double sx = w.x + x, sy = w.y + y;
                const int ix = int(std::floor(sx)), iy = int(std::floor(sy));
                const float fx = float(sx - ix), fy = float(sy - iy);
                const auto v = [&](int i, int j) {
                    return from.at(std::min(i, from.area().w - 1), std::min(j, from.area().h - 1));
                };
                to.row(y)[x] = (v(ix, iy) * (1 - fx) + v(ix + 1, iy) * fx) * (1 - fy) +
                               (v(ix, iy + 1) * (1 - fx) + v(ix + 1, iy + 1) * fx) * fy;
            }
    }
    // Upside down and negative: nothing of it is in the first.
    static Picture turned(const Picture& p) {
        Picture out = Picture::make(p.format, p.area);
        for (std::size_t c = 0; c < 3; ++c) {
            const int w = p.planes[c].area().w, h = p.planes[c].area().h;
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x)
                    out.planes[c].row(y)[x] = (c ? 0.f : 1.f) - p.planes[c].at(w - 1 - x, h - 1 - y);
        }
        return out;
    }
    Wish wish_;
    Picture one_, two_;
};

BetweenClock every(double part, std::vector<std::int64_t> cuts = {}) {
    return {8, KeyMaker("every").add(part), [part](std::int64_t n) { return BetweenInstant{n, part}; }, cuts};
}

Picture whole(const StagePtr& s, std::int64_t n) {
    Engine engine(std::size_t(64) << 20);
    return engine.pull(*s, n, s->format().frame(), {});
}

double over(const Picture& a, const Picture& b, const Rect& r) {
    return psnr(a.planes[0].view(r), b.planes[0].view(r));
}
const Rect kInner = Slide({}).format().frame().grown(-20);

Picture mixed(const Picture& a, const Picture& b, float part) {
    Picture m = Picture::make(a.format, a.area);
    for (std::size_t c = 0; c < 3; ++c)
        for (int y = 0; y < m.planes[c].area().h; ++y)
            for (int x = 0; x < m.planes[c].area().w; ++x)
                m.planes[c].row(y)[x] = a.planes[c].row(y)[x] * (1 - part) + b.planes[c].row(y)[x] * part;
    return m;
}

bool same(const Picture& a, const Picture& b) {
    for (std::size_t c = 0; c < 3; ++c)
        if (test::meanSquare(a.planes[c], b.planes[c]) > 0) return false;
    return true;
}

} // namespace

TEST_CASE("a picture in between shows what moves where it was, in luma and colour, at any instant") {
    for (const Between method : {Between::Fast, Between::Careful})
        for (const double part : {0.25, 0.5, 0.8}) {
            const auto slide = std::make_shared<Slide>(Slide::Wish{});
            const StagePtr s = inBetween(slide, slide, every(part), method);
            const Picture made = whole(s, 3), truth = slide->at(3 + part);
            INFO((method == Between::Fast ? "fast" : "careful") << " at " << part);
            const double plain = over(truth, mixed(slide->at(3), slide->at(4), float(part)), kInner);
            CHECK(over(truth, made, kInner) > plain + 8);
            CHECK(over(truth, made, kInner) > 36);
            for (const std::size_t c : {1u, 2u})
                CHECK(test::meanSquare(made.planes[c].view({20, 20, 80, 40}), truth.planes[c].view({20, 20, 80, 40})) <
                      1.5e-5);
        }
}

TEST_CASE("movement of a quarter of the picture's height between two frames is followed") {
    const auto slide = std::make_shared<Slide>(Slide::Wish{.vx = 12, .vy = 0});
    // Every second frame only: 24 pixels of 160 lines, as 160 of 1080.
    const Picture made = whole(inBetween(slide, slide, every(0.5), Between::Careful), 2);
    CHECK(over(slide->at(2.5), made, kInner.grown(-20)) > 34);
}

TEST_CASE("a frame of the clip passes untouched") {
    const auto slide = std::make_shared<Slide>(Slide::Wish{});
    CHECK(same(whole(inBetween(slide, slide, every(0), Between::Careful), 4), slide->at(4)));
}

TEST_CASE("nothing is mixed across a cut, told or not, nor into a flash; a cut told falsely does not hold it back") {
    for (const Between method : {Between::Fast, Between::Careful}) {
        const auto cut = std::make_shared<Slide>(Slide::Wish{.other = 4});
        for (const std::vector<std::int64_t>& told : {std::vector<std::int64_t>{}, {4}}) {
            CHECK(same(whole(inBetween(cut, cut, every(0.3, told), method), 3), cut->at(3)));
            CHECK(same(whole(inBetween(cut, cut, every(0.7, told), method), 3), cut->at(4)));
        }
        const auto flash = std::make_shared<Slide>(Slide::Wish{.flash = 4});
        CHECK(same(whole(inBetween(flash, flash, every(0.4), method), 3), flash->at(3)));
        CHECK(same(whole(inBetween(flash, flash, every(0.4), method), 4), flash->at(4)));
        const auto single = std::make_shared<Slide>(Slide::Wish{});
        CHECK(over(single->at(3.5), whole(inBetween(single, single, every(0.5, {4}), method), 3), kInner) > 36);
    }
}

TEST_CASE("a mark that lies still over what moves stays still") {
    for (const Between method : {Between::Fast, Between::Careful}) {
        const auto slide = std::make_shared<Slide>(Slide::Wish{.mark = true});
        const Picture made = whole(inBetween(slide, slide, every(0.5), method), 3);
        INFO((method == Between::Fast ? "fast" : "careful"));
        CHECK(over(slide->at(3.5), made, Slide::kMark.grown(-4)) > 38);
        CHECK(over(slide->at(3.5), made, Slide::kMark.grown(6)) > 24);
        CHECK(over(slide->at(3.5), made, {40, 60, 120, 80}) > 34); // what moves beside it still does
    }
}

TEST_CASE("strokes two pixels wide, too thin for the search to see, lie still over what moves") {
    for (const auto& [method, unsure] : {std::pair{Between::Fast, Unsure::Whole},
                                         {Between::Careful, Unsure::Whole},
                                         {Between::Fast, Unsure::Mix},
                                         {Between::Careful, Unsure::Mix}}) {
        const auto slide = std::make_shared<Slide>(Slide::Wish{.strokes = true});
        const Picture made = whole(inBetween(slide, slide, every(0.5), method, unsure), 3), truth = slide->at(3.5);
        double least = 1, mean = 0; // of the strokes, which are 0.95
        int count = 0;
        for (int y = Slide::kStrokes.y + 4; y < Slide::kStrokes.bottom() - 4; ++y)
            for (int x = Slide::kStrokes.x; x < Slide::kStrokes.right(); x += 15) {
                least = std::min(least, double(made.planes[0].at(x, y)));
                mean += made.planes[0].at(x, y), ++count;
            }
        INFO((method == Between::Fast ? "fast" : "careful") << " " << least << " " << mean / count);
        CHECK(mean / count > (unsure == Unsure::Mix ? 0.9 : 0.89));
    }
}

TEST_CASE("every neighbour that there is is moved onto its frame, the last one too; beyond the end a frame stands for "
          "itself") {
    const auto slide = std::make_shared<Slide>(Slide::Wish{});
    for (const int offset : {1, -1}) {
        const StagePtr s = aligned(slide, slide, offset);
        const std::int64_t last = offset > 0 ? 7 : 1; // of nine
        const Picture moved = whole(s, last), own = slide->at(double(last));
        CHECK_FALSE(same(moved, own));
        CHECK(over(own, moved, kInner) > 30);
        CHECK(same(whole(s, last + offset), slide->at(double(last + offset))));
    }
}

TEST_CASE("a part of a picture in between is that part of the whole, at the guide's size and enlarged") {
    const PictureFormat small{64, 48, 1, 1}, large{128, 96, 1, 1};
    const auto guide = std::make_shared<test::PatternStage>(small, 9);
    const StagePtr enlarged =
        std::make_shared<ResampleStage>(guide, ScaleWindow{0, 0, 64, 48, 128, 96}, Kernel::Bicubic, large);
    for (const Between method : {Between::Fast, Between::Careful}) {
        test::checkContract(*inBetween(guide, guide, every(0.4), method), 2e-5);
        test::checkContract(*inBetween(enlarged, guide, every(0.4), method), 2e-5);
    }
    const auto odd = std::make_shared<test::PatternStage>(PictureFormat{67, 51, 1, 1}, 9);
    test::checkContract(*inBetween(odd, odd, every(0.6), Between::Careful), 2e-5);
    test::checkKeys({[&] { return inBetween(guide, guide, every(0.4), Between::Fast); },
                     [&] { return inBetween(guide, guide, every(0.4), Between::Careful); },
                     [&] { return inBetween(guide, guide, every(0.5), Between::Fast); },
                     [&] { return inBetween(guide, guide, every(0.4, {3}), Between::Fast); },
                     [&] { return inBetween(enlarged, guide, every(0.4), Between::Fast); }});
}

TEST_CASE("pictures too small to search, and clips of one and two frames, are delivered") {
    const auto tiny = std::make_shared<test::PatternStage>(PictureFormat{8, 6, 1, 1}, 9);
    CHECK(std::isfinite(whole(inBetween(tiny, tiny, every(0.5), Between::Careful), 0).planes[0].at(3, 3)));
    const TempFolder folder;
    for (const int frames : {1, 2}) {
        test::writeClip(folder / "few.mp4", {.frames = frames, .bFrames = 0});
        const auto reader = std::make_shared<FrameReader>(Clip::openVideo(folder / "few.mp4"),
                                                          PacketDecoder::Threads::Single, std::size_t(8) << 20);
        const DeliveryPtr d = resolve(reader, nullptr, ticketOf({"motion.fps=60", "motion.speed=50"}));
        CHECK(d->frames() == Approx(frames * 60 / 25.0 * 2).margin(1));
        for (std::int64_t k = 0; k < d->frames(); ++k) CHECK(whole(d->result, d->at(k).stage).area.w == 96);
    }
}

TEST_CASE("instants are exact: no drift in ten minutes, whatever the rates") {
    const TempFolder folder;
    std::vector<std::int64_t> pts;
    for (std::int64_t n = 0; n < 14400; ++n) pts.push_back(n * 1001 / 24);
    test::writeClip(folder / "long.mkv", {.width = 32,
                                          .height = 32,
                                          .frames = 14400,
                                          .fps = {24000, 1001},
                                          .bFrames = 0,
                                          .gop = 250,
                                          .pts = pts,
                                          .options = {{"preset", "ultrafast"}}});
    const auto clip = Clip::openVideo(folder / "long.mkv");
    const struct {
        const char* fps;
        AVRational rate;
    } cases[] = {{"motion.fps=60", {60, 1}},
                 {"motion.fps=59.94", {60000, 1001}},
                 {"motion.fps=30000/1001", {30000, 1001}},
                 {"motion.fps=50", {50, 1}},
                 {"motion.fps=12.5", {25, 2}}};
    for (const auto& c : cases) {
        INFO(c.fps);
        const FrameClock clock(clip, ticketOf({c.fps}));
        CHECK(av_cmp_q(av_inv_q(clock.timeBase()), c.rate) == 0);
        CHECK(clock.seconds() == Approx(clip->secondsAt(clip->frameCount())).margin(0.05));
        for (const std::int64_t k : {std::int64_t(0), std::int64_t(7), clock.count() / 2, clock.count() - 3}) {
            const double at = double(k) * c.rate.den / c.rate.num; // seconds of the movie, and of the clip
            const double n = clock.instantOf(clock.first() + k);
            const auto whole = std::int64_t(n);
            const double shown =
                clip->secondsAt(whole) + (n - double(whole)) * (clip->secondsAt(whole + 1) - clip->secondsAt(whole));
            CHECK(std::abs(shown - at) < 0.0005);
        }
    }
}

TEST_CASE("frames whose times a file rounds to milliseconds are shown as they are, and those between lie half way") {
    const test::TempFolder folder;
    for (const AVRational fps : {AVRational{30, 1}, AVRational{30000, 1001}, AVRational{24, 1}}) {
        test::ClipRecipe r;
        r.fps = fps, r.frames = 60, r.bFrames = 0;
        for (int n = 0; n < r.frames; ++n) r.pts.push_back(std::llround(1000.0 * n * fps.den / fps.num));
        test::writeClip(folder / "a.mkv", r);
        const ClipPtr clip = Clip::openVideo(folder / "a.mkv");
        REQUIRE(clip->frameCount() == 60);
        Ticket t;
        t.motion.on = true;
        t.motion.fps = 2 * av_q2d(fps);
        const FrameClock clock(clip, t);
        for (std::int64_t k = 0; k < 118; ++k) {
            INFO("frame " << k << " at twice " << av_q2d(fps));
            CHECK(clock.isBetween(k) == (k % 2 == 1));
            CHECK(clock.instantOf(k) == Approx(double(k) / 2).margin(0.04));
        }
    }
}

TEST_CASE("speed stretches time, and nothing else") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.frames = 50});
    const auto clip = Clip::openVideo(folder / "a.mp4");
    const FrameClock half(clip, ticketOf({"motion.speed=50"})), twice(clip, ticketOf({"motion.speed=200"}));
    CHECK(half.count() == 100);
    CHECK(half.seconds() == Approx(4));
    CHECK(half.instantOf(half.first() + 31) == Approx(15.5));
    CHECK(twice.count() == 25);
    CHECK(twice.instantOf(twice.first() + 7) == 14);
    const FrameClock part(clip, ticketOf({"motion.speed=25", "motion.fps=50", "stretch.from=0.4", "stretch.to=0.8"}));
    CHECK(part.count() == 80);
    CHECK(part.instantOf(part.first()) == Approx(10));
    CHECK(part.instantOf(part.first() + 4) == Approx(10.5));
    CHECK(part.sourceOf(part.stageOf(14)) == 14);
    const FrameClock held(clip, ticketOf({"motion.speed=50", "motion.method=hold"}));
    CHECK(held.instantOf(held.first() + 31) == 15);
}

TEST_CASE("frames hours apart are no movement: the nearer one is shown") {
    const TempFolder folder;
    test::writeClip(folder / "gap.mkv", {.frames = 4, .bFrames = 0, .pts = {0, 40, 4000, 4040}});
    const auto clip = Clip::openVideo(folder / "gap.mkv");
    const FrameClock c(clip, ticketOf({"motion.fps=50"}));
    for (std::int64_t k = 3; k < 190; ++k) {
        const double n = c.instantOf(c.first() + k);
        CHECK(n == std::round(n));
    }
    CHECK(c.instantOf(c.first() + 1) == Approx(0.5));
}

TEST_CASE("repeats are replaced at the instants that were filmed, or taken out; without a pattern times stay") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.frames = 50, .fps = {30, 1}});
    const auto clip = Clip::openVideo(folder / "a.mp4");
    Inspection found;
    for (std::int64_t n = 4; n < 50; n += 5) found.duplicates.push_back(n);
    found.repeats = {1, 5};
    const FrameClock replaced(clip, ticketOf({"motion.duplicates=replace"}), found);
    CHECK(replaced.count() == 50);
    CHECK(replaced.fps() == Approx(30));
    // Frame n of what was filmed, in the clip's frames: four of every five.
    const auto filmed = [](double n) { return std::floor(n / 4) * 5 + std::fmod(n, 4); };
    double last = -1;
    for (std::int64_t k = 2; k < 44; ++k) {
        const double at = replaced.instantOf(replaced.first() + k);
        // Between which of the filmed frames, and how far: it goes on by 0.8 of one each time.
        std::int64_t a = 0;
        while (filmed(double(a + 1)) <= at + 1e-9) ++a;
        const double n = double(a) + (at - filmed(double(a))) / (filmed(double(a + 1)) - filmed(double(a)));
        if (last >= 0) CHECK(n - last == Approx(0.8).margin(0.01));
        last = n;
    }
    const FrameClock closed(clip, ticketOf({"motion.duplicates=remove"}), found);
    CHECK(closed.fps() == Approx(24));
    CHECK(closed.seconds() == Approx(50 / 30.0).margin(0.05));
    for (std::int64_t k = 0; k < closed.count(); ++k) CHECK(closed.instantOf(closed.first() + k) == filmed(double(k)));
    found.repeats = {};
    found.duplicates = {20, 21, 22};
    const FrameClock lost(clip, ticketOf({"motion.duplicates=replace"}), found);
    CHECK(lost.instantOf(lost.first() + 19) == 19);
    CHECK(lost.instantOf(lost.first() + 21) == Approx(21)); // halfway from 19 to 23
    CHECK(lost.instantOf(lost.first() + 23) == 23);
}

TEST_CASE("a rate is taken as a fraction, and one that is none is refused in words") {
    Ticket t;
    setByAssignment(t, "motion.fps=24000/1001");
    CHECK(t.motion.fps == Approx(23.976).margin(0.001));
    for (const char* bad : {"motion.fps=1000", "motion.fps=0.5", "motion.fps=30/0", "motion.fps=fast", "motion.fps=-1",
                            "motion.speed=0", "motion.speed=1000"})
        CHECK_THROWS_AS(setByAssignment(t, bad), Error);
}
