// One delivery: what is shown is what is delivered, for every destination.
#include "core/pipeline/delivery.h"

#include "core/base/error.h"
#include "core/base/words.h"
#include "core/deliver/forecast.h"
#include "core/deliver/movie_writer.h"
#include "core/media/frame_convert.h"
#include "core/model/shipped_networks.h"
#include "tests/support/clips.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

using namespace ulm;
using test::TempFolder;
using test::ticketOf;

namespace {

Target card(const std::string& json) { return targetFromJson(nlohmann::json::parse(json), "card"); }
const char* kUpright = R"({"name":"upright","title":"Upright","size":"108x192"})";
const char* kSquare = R"({"name":"square","title":"Square","aspects":["1:1","4:5"],"max_width":60,"max_fps":15})";

std::shared_ptr<FrameReader> reader(const std::string& path) {
    return std::make_shared<FrameReader>(Clip::openVideo(path), PacketDecoder::Threads::Single, std::size_t(32) << 20);
}

// The stages from the result down its first inputs, to the clip.
std::string planOf(const DeliveryPtr& d) {
    std::string names;
    for (const Stage* s = d->result.get();; s = s->inputs()[0].get()) {
        names = s->name() + (names.empty() ? "" : " " + names);
        if (s->inputs().empty()) return names;
    }
}

const Addition* additionTo(const Delivery& d, const std::string& step) {
    const auto it = std::ranges::find(d.additions, step, &Addition::step);
    return it == d.additions.end() ? nullptr : &*it;
}

} // namespace

TEST_CASE(
    "a destination's delivery, encoded without loss and decoded, is the picture that is shown, sample by sample") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 30, .colour = {1, 1, 1, false, 1}});
    const struct {
        std::optional<Target> target;
        Ticket ticket;
    } cases[] = {
        {card(kUpright), ticketOf({"clean.noise=4"})},
        {card(kUpright), ticketOf({"enlarge.scale=2", "enlarge.method=learned-quick", "frame.x@upright=0.2"})},
        {card(kSquare), ticketOf({"frame.fill=blur", "finish.grain.amount=4", "stretch.from=0.2", "stretch.to=0.9"})},
        {std::nullopt, ticketOf({"motion.fps=40", "frame.aspect=4:5", "finish.sharpen.amount=1"})},
    };
    for (const auto& c : cases) {
        const DeliveryPtr d = resolve(reader(folder / "a.mp4"), nullptr, c.ticket, c.target);
        INFO(planOf(d));
        Engine engine(std::size_t(64) << 20);
        VideoEncoding e = encodingFor(*d);
        e.rate = VideoEncoding::Rate::Lossless;
        {
            MovieWriter w(folder / "lossless.mp4", "mp4", e, std::nullopt);
            for (std::int64_t k = 0; k < d->frames(); ++k)
                w.write(*deliveredPicture(engine, *d, k, {}), d->clock.pts(k), d->clock.duration(k));
            w.finish();
        }
        const auto back = reader(folder / "lossless.mp4");
        REQUIRE(back->clip().frameCount() == d->frames());
        CHECK(back->clip().facts().video.width == d->size().w);
        CHECK(back->clip().facts().video.height == d->size().h);
        const SourceStage decoded(back);
        for (const std::int64_t k : {std::int64_t(0), d->frames() / 2, d->frames() - 1}) {
            const Rect all = d->result->format().frame();
            const Picture shown = engine.pull(*d->result, d->at(k).stage, all, {}),
                          made = engine.pull(decoded, k, all, {});
            // As codes: rounded by no more than a half, what lies beyond the codes cut off.
            double worst = 0;
            for (std::size_t p = 0; p < 3; ++p)
                for (int y = 0; y < shown.planes[p].area().h; ++y)
                    for (int x = 0; x < shown.planes[p].area().w; ++x) {
                        const double scale = p ? 224 : 219, zero = p ? 128 : 16;
                        const double code = std::clamp(shown.planes[p].row(y)[x] * scale + zero, 0.0, 255.0);
                        worst = std::max(worst, std::abs(code - (made.planes[p].row(y)[x] * scale + zero)));
                    }
            CHECK(worst < 0.501);
            // The encoder gets what is shown, rounded: the same codes exactly.
            const av::Frame sent = deliveredPicture(engine, *d, k, {}),
                            kept(av_frame_clone(back->frame(k, {}).picture.get()));
            bool same = true;
            for (int p = 0; p < 3; ++p)
                for (int y = 0; y < (p ? sent->height / 2 : sent->height); ++y)
                    same =
                        same && std::equal(sent->data[p] + y * sent->linesize[p],
                                           sent->data[p] + y * sent->linesize[p] + (p ? sent->width / 2 : sent->width),
                                           kept->data[p] + y * kept->linesize[p]);
            CHECK(same);
        }
    }
}

TEST_CASE("an enlarged picture's movement is looked for in one frame, another's in three") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 8});
    const DeliveryPtr d = resolve(reader(folder / "a.mp4"), nullptr, ticketOf({}));
    Engine engine(std::size_t(16) << 20);
    const auto told = [&](bool enlarged) { // x264 writes its settings into the first frame
        VideoEncoding e = encodingFor(*d);
        e.enlarged = enlarged;
        MovieWriter w(folder / "out.mp4", "mp4", e, std::nullopt);
        for (std::int64_t k = 0; k < d->frames(); ++k)
            w.write(*deliveredPicture(engine, *d, k, {}), d->clock.pts(k), d->clock.duration(k));
        w.finish();
        std::ifstream file(folder / "out.mp4", std::ios::binary);
        return std::string(std::istreambuf_iterator<char>(file), {});
    };
    const std::string once = told(true), closely = told(false);
    CHECK(once.find(" ref=1 ") != std::string::npos);
    CHECK(once.find(" me=dia ") != std::string::npos);
    CHECK(closely.find(" ref=3 ") != std::string::npos);
    CHECK(closely.find(" me=hex ") != std::string::npos);
}

TEST_CASE(
    "a Frame that is off and that a destination's shape switches on crops, and does nothing else that lies in it") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 4});
    const Ticket off = ticketOf(
        {"frame.turn=90", "frame.mirror=true", "frame.part=0,0,64x36", "frame.straighten=3", "frame.on=false"});
    const DeliveryPtr plain = resolve(reader(folder / "a.mp4"), nullptr, Ticket{}, card(kSquare)),
                      kept = resolve(reader(folder / "a.mp4"), nullptr, off, card(kSquare));
    Engine engine(0);
    const auto shown = [&](const DeliveryPtr& d) {
        return engine.pull(*d->result, 1, d->result->format().frame(), {});
    };
    REQUIRE(kept->size() == plain->size());
    CHECK(test::meanSquare(shown(kept).planes[0], shown(plain).planes[0]) == 0);
}

TEST_CASE("Clean's sentence says who cleans, and of what, where no block shows") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 4});
    const auto told = [&](double blocking, double compression, const char* method = "auto") {
        Inspection found;
        found.complete = true;
        found.readings.blocking = blocking, found.readings.compression = compression;
        return resolve(reader(folder / "a.mp4"), found,
                       ticketOf({"clean.blocks=measured", std::string("clean.method=") + method}))
            ->sentence("clean");
    };
    CHECK(told(0.4, 64).find("Blocks 0 measured, noise 0 measured, compression 64 %") == 0);
    CHECK(told(0.4, 64).ends_with("; by a network."));
    CHECK(told(12, 48).find("Blocks 12 measured, noise 0 measured, compression 48 %") == 0);
    CHECK(told(3, 20).ends_with("; by filters."));
    CHECK(told(3, 20).find("compression") == std::string::npos);
    CHECK(told(0.4, 64, "classic").find("network") == std::string::npos);
}

TEST_CASE("the stages of a ticket, in order: none is there twice, none without need") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 4});
    const auto plan = [&](const std::vector<std::string>& settings, const char* target = nullptr) {
        Inspection spoilt;
        spoilt.readings.blocking = 20, spoilt.readings.noise = 5, spoilt.readings.chromaNoise = 3;
        return planOf(resolve(reader(folder / "a.mp4"), spoilt, ticketOf(settings),
                              target ? std::optional(card(target)) : std::nullopt));
    };
    CHECK(plan({}) == "source");
    CHECK(plan({}, kUpright) == "source scale");
    CHECK(plan({"stretch.from=0.04", "stretch.to=0.12"}) == "source"); // the clock tells, no stage
    CHECK(plan({"clean.blocks=measured", "clean.noise_chroma=0", "clean.temporal=false"}, kUpright) ==
          "source deblock denoise scale");
    CHECK(plan({"enlarge.scale=2", "enlarge.method=bicubic"}) == "source scale"); // scaled once, not twice
    CHECK(plan({"enlarge.scale=2", "enlarge.method=bicubic", "frame.aspect=1:1"}, kUpright) == "source scale");
    CHECK(plan({"enlarge.scale=2", "enlarge.method=learned-quick"}) == "source network flat");
    CHECK(plan({"enlarge.scale=2", "enlarge.method=learned-quick"}, kUpright) == "source network flat scale");
    // Nothing is made up at the faithful end, so nothing is taken back.
    CHECK(plan({"enlarge.scale=2", "enlarge.method=learned-quick", "enlarge.crisp=0"}) == "source network");
    CHECK(plan({"motion.fps=50", "motion.method=hold"}) == "source pick");
    CHECK(plan({"motion.fps=50"}) == "source in-between");
    CHECK(plan({"motion.speed=50", "clean.blocks=measured", "clean.noise=0", "clean.noise_chroma=0"}) ==
          "source deblock in-between");
    CHECK(plan({"motion.fps=50", "motion.method=hold", "enlarge.scale=2", "enlarge.method=lanczos",
                "finish.grain.amount=2", "finish.sharpen.amount=0"}) == "source pick scale grain");
    CHECK(plan({"frame.aspect=9:16", "frame.fill=pad"}) == "source fill"); // nothing to scale
    CHECK(plan({"frame.fill=pad"}, kUpright) == "source scale fill");
    CHECK(plan({"finish.sharpen.amount=1", "finish.grain.amount=2", "finish.shadows=false", "finish.halo_limit=0"}) ==
          "source sharpen grain");
}

TEST_CASE("what a destination adds is told on the step that it touches, and changes only what breaks a limit") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 30});
    const auto at = [&](const char* target, const std::vector<std::string>& settings) {
        return resolve(reader(folder / "a.mp4"), nullptr, ticketOf(settings), card(target));
    };
    DeliveryPtr d = at(kUpright, {});
    REQUIRE(additionTo(*d, "frame"));
    CHECK(additionTo(*d, "frame")->told == "Upright asks 108×192: crop, 32 % stays");
    REQUIRE(additionTo(*d, "enlarge"));
    CHECK(additionTo(*d, "enlarge")->told == "Enlarge is off: plain Lanczos makes up the ×2.67");
    CHECK(d->asked == Ticket{});
    CHECK(d->ticket.frame.on);
    CHECK(d->sentence("frame") == "9:16 by cropping; 32 % of the picture stays.");
    CHECK(d->remarks().size() == 2);
    // The offer, taken: the network does it, and nothing is left to say but who does.
    Ticket taken;
    for (const std::string& s : additionTo(*d, "enlarge")->set) setByAssignment(taken, s);
    d = resolve(reader(folder / "a.mp4"), nullptr, taken, card(kUpright));
    CHECK(planOf(d) == "source network flat network scale");
    CHECK(d->sentence("enlarge").starts_with("×2.67, to 108×192 pixels, by the general network, strength"));
    CHECK(additionTo(*d, "enlarge")->offer.empty());
    const DeliveryPtr alone = resolve(reader(folder / "a.mp4"), nullptr, taken); // and nobody else's size grows
    CHECK(alone->size() == Size{128, 72});
    CHECK(encodingFor(*d).enlarged); // pixels that move in whole blocks are searched for less closely
    CHECK_FALSE(encodingFor(*alone).enlarged);
    CHECK(alone->sentence("enlarge") == "Size kept: 128×72.");
    // Where nothing is enlarged Clean's own crispness acts, and is told.
    const auto found = std::make_shared<Inspection>();
    found->complete = true;
    found->readings.compression = 90;
    const auto cleaned = [&](const char* scale) {
        return resolve(reader(folder / "a.mp4"), found, ticketOf({"clean.method=learned", scale}))->sentence("clean");
    };
    CHECK(cleaned("enlarge.scale=1").find("crisp") != std::string::npos);
    CHECK(cleaned("enlarge.scale=2").find("crisp") == std::string::npos);
    setByAssignment(taken, "frame.size=64x36"); // where the clip becomes smaller no network is named
    CHECK(resolve(reader(folder / "a.mp4"), nullptr, taken)->sentence("enlarge") ==
          "×0.5, to 64×36 pixels, by Lanczos.");
    setByAssignment(taken, "frame.size=none"), setByAssignment(taken, "frame.on=false");
    // The crop it asks for sits in the middle; following is one click away, and then offered no more.
    CHECK(additionTo(*d, "frame")->offer == "Follow the subject");
    for (const std::string& s : additionTo(*d, "frame")->set) setByAssignment(taken, s);
    d = resolve(reader(folder / "a.mp4"), nullptr, taken, card(kUpright));
    CHECK(d->ticket.frame.follow == "subject");
    CHECK((!additionTo(*d, "frame") || additionTo(*d, "frame")->offer.empty()));
    CHECK(d->sentence("frame") == "9:16 by cropping, following the subject; 32 % of the picture stays.");
    CHECK(resolve(reader(folder / "a.mp4"), nullptr, taken)->size() ==
          Size{128, 72}); // what is not cropped stays whole
    // A shape of the ticket's own stays on, and what it is.
    Ticket own = ticketOf({"frame.aspect=1:1"});
    d = at(kUpright, {"frame.aspect=1:1"});
    for (const std::string& s : additionTo(*d, "frame")->set) setByAssignment(own, s);
    CHECK(own.frame.on);
    CHECK(own.frame.follow == "subject");
    CHECK(own.frame.aspect == Size{1, 1});
    // A shape, a width and a rate.
    d = at(kSquare, {});
    CHECK(d->size() == Size{60, 60});
    CHECK(d->fps() == Approx(15));
    CHECK(additionTo(*d, "motion")->told == "Square takes at most 15 frames a second: some are left out");
    CHECK(additionTo(*d, "frame")->told.starts_with("Square asks 1:1 or 4:5: crop, 56 % stays"));
    // What fits already is left alone.
    d = at(kSquare, {"frame.aspect=4:5", "motion.fps=10", "frame.size=48x60"});
    CHECK(d->additions.empty());
    CHECK(d->ticket == d->asked);
    CHECK(at(kUpright, {"frame.fill=pad"})->additions[0].told == "Upright asks 108×192: black beside the picture");
    // Limits that no encode can mend.
    const char* brief = R"({"name":"brief","max_seconds":0.5,"codecs":["wavelet"]})";
    const auto broken = at(brief, {})->broken();
    REQUIRE(broken.size() == 2);
    CHECK(broken[0].limit == "duration_s");
    CHECK(broken[0].told() == "takes at most 0.5 s; this would be 1.2 s");
    CHECK(broken[1].limit == "codec");
    CHECK(broken[1].told() == "takes the codec wavelet; this would be h264");
    CHECK(at(brief, {"motion.reverse=true"})->told()[0].told ==
          "brief takes at most 0.5 s; this lasts 1.2 s: mark a stretch on the reel");
    // What is too long can be cut to what is taken, however it runs.
    const char* half = R"({"name":"half","max_seconds":0.5})";
    for (const std::vector<std::string>& how : {std::vector<std::string>{},
                                                {"motion.speed=50"},
                                                {"motion.fps=60"},
                                                {"stretch.on=true", "stretch.from=0.2", "stretch.to=0.9"},
                                                {"stretch.without=0.1-0.3"}}) {
        INFO(listed(how));
        const DeliveryPtr whole = at(half, how);
        const auto told = whole->told();
        const auto a = std::ranges::find(told, "Keep its first 0.5 s", &Addition::offer);
        REQUIRE(a != told.end());
        CHECK(a->told.starts_with("half takes at most 0.5 s; this lasts "));
        std::vector<std::string> kept = how;
        kept.insert(kept.end(), a->set.begin(), a->set.end());
        const DeliveryPtr cut = at(half, kept);
        CHECK(cut->broken().empty());
        CHECK(cut->seconds() == Approx(0.5).margin(0.041));
        CHECK(cut->clock.sourceOf(cut->clock.first()) == whole->clock.sourceOf(whole->clock.first()));
    }
}

TEST_CASE("points and boxes are mapped there and back, whatever the shape, the fill and the pixels' aspect") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 4, .sar = {4, 3}});
    for (const auto& t :
         {ticketOf({"frame.aspect=9:16", "frame.x=0.1"}), ticketOf({"frame.aspect=1:1", "frame.fill=pad"}),
          ticketOf({"enlarge.scale=3", "enlarge.method=lanczos"}), Ticket{}}) {
        const DeliveryPtr d = resolve(reader(folder / "a.mp4"), nullptr, t);
        for (const Point p : {Point{3, 5}, Point{100.5, 60.25}}) {
            const Point there = d->toDelivered(0, p), back = d->toSource(0, there);
            CHECK(back.x == Approx(p.x));
            CHECK(back.y == Approx(p.y));
        }
        const FramingPlan plan = d->planAt(0);
        const Point corner = d->toSource(0, {double(plan.x), double(plan.y)});
        const Rect window = d->windows(0)[0];
        CHECK(std::abs(window.x - corner.x) <= 1);
        CHECK(d->source->format().frame().contains(window));
        CHECK(d->at(2).plan.srcX == plan.srcX);
    }
    // A crop to the left shows the left.
    const DeliveryPtr left = resolve(reader(folder / "a.mp4"), nullptr, ticketOf({"frame.aspect=9:16", "frame.x=0"}));
    CHECK(left->windows(0)[0].x == 0);
    CHECK(left->toDelivered(0, {0, 0}).x == Approx(0));
}

TEST_CASE("a split shows two places of the clip, one above the other, and points of both are found there and back") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 320, .height = 180, .frames = 3});
    const auto with = [&](std::vector<std::string> more) {
        more.insert(more.begin(), {"frame.size=180x320", "frame.fill=split", "frame.split=40", "frame.x=0",
                                   "frame.lower_x=1", "frame.lower_zoom=2", "frame.lower_y=0.5"});
        return resolve(reader(folder / "a.mp4"), nullptr, ticketOf(more));
    };
    const DeliveryPtr d = with({});
    CHECK(d->size() == Size{180, 320});
    const FramingPlan plan = d->planAt(0), low = plan.lower();
    CHECK(plan.h == 128);
    CHECK(low.y == 128);
    CHECK(low.h == 192);
    CHECK(plan.srcX == 0);
    CHECK(low.srcX == Approx(320 - low.srcW));
    CHECK(low.srcH == Approx(90)); // twice as close
    CHECK(plan.srcW / plan.srcH == Approx(180.0 / 128));
    for (const Point p : {Point{30, 90}, Point{300, 90}}) {
        const Point there = d->toDelivered(0, p), back = d->toSource(0, there);
        CHECK((there.y >= 128) == (p.x > 200));
        CHECK(back.x == Approx(p.x));
        CHECK(back.y == Approx(p.y));
    }
    REQUIRE(d->windows(0).size() == 2);
    CHECK(d->onlyLower(0, {300, 90}));
    CHECK_FALSE(d->onlyLower(0, {30, 90}));
    // A box goes to one half whole, even where its corners alone would part.
    const auto [corner, other] = d->deliveredBox(0, {235, 70, 80, 40});
    CHECK(corner.y >= 128);
    CHECK(other.y - corner.y == Approx(40 * 192 / 90.0));
    CHECK(d->readable(0, {60, 200, 40, 40}, {0, 0, 320, 180}).x > 200);
    // Each place is the picture that a crop of its own delivers.
    Engine engine(std::size_t(32) << 20);
    const auto apart = [&](const DeliveryPtr& crop, int y) {
        const Rect all = crop->result->format().frame();
        const Picture a = engine.pull(*d->result, 0, all.moved(0, y), {}), b = engine.pull(*crop->result, 0, all, {});
        double most = 0;
        for (int c = 0; c < 3; ++c)
            for (int r = 0; r < b.planes[c].area().h; ++r)
                for (int x = 0; x < b.planes[c].area().w; ++x)
                    most = std::max<double>(
                        most, std::abs(a.planes[c].row(a.planes[c].area().y + r)[x] - b.planes[c].row(r)[x]));
        return most;
    };
    const auto crop = [&](const std::vector<std::string>& set) {
        return resolve(reader(folder / "a.mp4"), nullptr, ticketOf(set));
    };
    CHECK(apart(crop({"frame.size=180x128", "frame.x=0"}), 0) < 1e-5);
    CHECK(apart(crop({"frame.size=180x192", "frame.x=1", "frame.zoom=2"}), 128) < 1e-5);
    // The same on a clip that is turned as it is delivered.
    const DeliveryPtr turned = with({"frame.turn=90"});
    CHECK(turned->size() == Size{180, 320});
    const Point there = turned->toDelivered(0, {40, 90});
    CHECK(turned->toSource(0, there).x == Approx(40));
    // A step that is off stays off where a destination asks a shape: all of the clip's height is there, once.
    Target square;
    square.name = "square", square.title = "Square", square.size = Size{200, 200};
    Ticket off = ticketOf({"frame.fill=split", "frame.zoom=3", "frame.turn=90", "frame.on=false"});
    const DeliveryPtr only = resolve(reader(folder / "a.mp4"), nullptr, off, square);
    CHECK(only->planAt(0).fill == Fill::Crop);
    CHECK(only->planAt(0).srcH == Approx(180));
    // Closer alone cuts too, in the clip's own shape.
    const DeliveryPtr closer = crop({"frame.aspect=clip", "frame.zoom=2"});
    CHECK(closer->size() == Size{320, 180});
    CHECK(closer->planAt(0).srcW == Approx(160));
}

TEST_CASE("two clocks: every delivered frame tells its instant, and every frame of the clip who shows it") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.frames = 30});
    const auto clip = Clip::openVideo(folder / "a.mp4");
    const auto clock = [&](const std::vector<std::string>& settings) { return FrameClock(clip, ticketOf(settings)); };
    const FrameClock plain = clock({});
    CHECK(plain.untouched());
    CHECK(plain.count() == 30);
    CHECK(plain.seconds() == Approx(1.2));
    const FrameClock cut = clock({"stretch.from=0.4", "stretch.to=0.8"});
    CHECK(cut.count() == 10);
    CHECK(cut.first() == 10);
    CHECK(cut.stageFrames() == 30); // what lies outside can be looked at too
    CHECK(cut.pts(0) == 0);
    CHECK(cut.deliveredAt(0.121) == 3);
    CHECK(cut.deliveredAt(99) == 9);
    for (const char* fps : {"motion.fps=50", "motion.fps=60", "motion.fps=12", "motion.fps=23.976", "motion.fps=240"})
        for (const bool part : {false, true}) {
            const FrameClock c = part ? clock({fps, "stretch.from=0.4", "stretch.to=0.8"}) : clock({fps});
            INFO(fps << (part ? " of a stretch" : ""));
            CHECK_FALSE(c.untouched());
            const std::int64_t from = part ? 10 : 0, past = part ? 20 : 30;
            CHECK(double(c.count()) == Approx(c.seconds() * c.fps()));
            CHECK(c.seconds() == Approx(part ? 0.4 : 1.2).margin(0.06));
            std::int64_t last = -1;
            for (std::int64_t s = 0; s < c.stageFrames(); ++s) {
                const std::int64_t n = c.sourceOf(s);
                REQUIRE(n >= last);
                REQUIRE(n < 30);
                last = n;
                const std::int64_t k = s - c.first();
                if (k >= 0 && k < c.count()) REQUIRE((n >= from && n < past));
                if (k >= 0 && k < c.count()) CHECK(c.deliveredAt(c.secondsAt(k) + 1e-4) == k);
            }
            // A frame that is shown leads to one that shows it; one that is left out to its nearest.
            for (std::int64_t n = from; n < past; ++n) {
                const std::int64_t s = c.stageOf(n), shown = c.sourceOf(s);
                const bool anyone = [&] {
                    for (std::int64_t o = 0; o < c.stageFrames(); ++o)
                        if (c.sourceOf(o) == n) return true;
                    return false;
                }();
                CHECK((anyone ? shown == n : std::abs(shown - n) <= 3));
            }
        }
    CHECK_THROWS_AS(clock({"stretch.from=5", "stretch.to=6"}), Error);
    // Where only its beginning is named it reaches to the end; an end that was named stays.
    const FrameClock rest = clock({"stretch.from=0.4"});
    CHECK(rest.first() == 10);
    CHECK(rest.count() == 20);
    CHECK_THROWS_AS(clock({"stretch.to=0.3", "stretch.from=0.4"}), Error);
}

TEST_CASE("a clip whose times are hostile, at 240 frames a second, costs no table") {
    const TempFolder folder;
    // Three frames, five hours apart.
    test::writeClip(folder / "long.mkv", {.frames = 3, .bFrames = 0, .pts = {0, 18000000, 36000000}});
    const auto clip = Clip::openVideo(folder / "long.mkv");
    const FrameClock c(clip, ticketOf({"motion.fps=240"}));
    CHECK(c.count() > 8'000'000);
    CHECK(c.sourceOf(c.first()) == 0);
    CHECK(c.sourceOf(c.stageOf(1)) == 1);
    CHECK(c.sourceOf(c.first() + c.count() - 1) == 2);
    const DeliveryPtr d = resolve(reader(folder / "long.mkv"), nullptr, ticketOf({"motion.fps=240"}));
    CHECK(d->result->frames() > 8'000'000);
    CHECK(d->at(c.count() - 1).instants.front().frame == 2);
}

TEST_CASE("without networks a delivery is the same, with filters in their place") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 4});
    const DeliveryPtr plain = resolve(reader(folder / "a.mp4"), nullptr, ticketOf({"finish.sharpen.amount=1"}));
    CHECK(withoutNetworks(plain) == plain);
    const DeliveryPtr d = resolve(reader(folder / "a.mp4"), nullptr,
                                  ticketOf({"enlarge.scale=2", "enlarge.method=learned"}), card(kUpright));
    const DeliveryPtr stand = withoutNetworks(d);
    CHECK(planOf(stand) == "source scale");
    CHECK(stand->size() == d->size());
    CHECK(stand->frames() == d->frames());
}

TEST_CASE("framing may move from frame to frame, into a delivery's own stages") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 128, .height = 72, .frames = 6});
    const auto source = std::make_shared<SourceStage>(reader(folder / "a.mp4"));
    const VideoFacts& video = source->reader().clip().facts().video;
    FramingPath path;
    path.still = framingOf(ticketOf({"frame.size=54x96"}), video);
    path.key = 9;
    path.at = [still = path.still](std::int64_t n) {
        FramingPlan p = still;
        p.srcX = 10.0 * double(n);
        return p;
    };
    const StagePtr moving = framed(source, source, path, poseOf(Ticket{}, video), Kernel::Bicubic);
    Engine engine(std::size_t(8) << 20);
    for (const std::int64_t n : {0, 2, 5}) {
        const StagePtr still = framed(source, source, {path(n), {}, 0}, poseOf(Ticket{}, video), Kernel::Bicubic);
        CHECK(still->key() != moving->key());
        CHECK(test::meanSquare(engine.pull(*moving, n, moving->format().frame(), {}).planes[0],
                               engine.pull(*still, n, still->format().frame(), {}).planes[0]) == 0);
    }
}

TEST_CASE("a destination's frame rate leaves frames out and makes none up, unless the ticket makes them") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", {.frames = 30, .fps = {50, 1}});
    const Target target = card(R"({"name":"slow","title":"Slow","max_fps":30})");
    const auto told = [&](const std::vector<std::string>& settings, bool& between) {
        const DeliveryPtr d = resolve(reader(folder / "a.mp4"), nullptr, ticketOf(settings), target);
        between = planOf(d).find("in-between") != std::string::npos;
        CHECK(d->fps() == Approx(30));
        return additionTo(*d, "motion")->told;
    };
    bool between = true;
    CHECK(told({}, between).find("some are left out") != std::string::npos);
    CHECK_FALSE(between);
    CHECK(told({"motion.fps=60"}, between).find("made at that rate") != std::string::npos);
    CHECK(between);
}

TEST_CASE("a step that a destination switches on does what the limit asks, and nothing else that lay in it") {
    Ticket t = ticketOf({"motion.reverse=true", "motion.speed=50", "motion.stabilise=40", "frame.turn=90",
                         "frame.straighten=4", "frame.fill=blur", "finish.mark.text=Tern", "finish.light.exposure=1",
                         "finish.grain.amount=4", "finish.fade.in=1"});
    MediaFacts facts;
    facts.video.width = facts.video.codedWidth = 640, facts.video.height = facts.video.codedHeight = 360;
    facts.video.fps = 60;
    facts.video.colour.transfer = 16;
    const Target card = targetFromJson({{"name", "feed"}, {"size", "1080x1920"}, {"max_fps", 30}}, "card.json");
    const Ticket on = fitToTarget(t, card, facts);
    CHECK(on.motion.reverse);
    CHECK(on.frame.turn == "90");
    CHECK(on.finish.mark.text == "Tern");
    t.motion.on = t.frame.on = t.finish.on = false;
    const Ticket off = fitToTarget(t, card, facts);
    CHECK(off.motion.on);
    CHECK(off.motion.fps == 30);
    CHECK(!off.motion.reverse);
    CHECK(off.motion.speed == 100);
    CHECK(off.motion.stabilise == 0);
    CHECK(off.frame.turn == "0");
    CHECK(off.frame.straighten == 0);
    CHECK(off.frame.fill == "blur"); // how a shape is filled is asked of every frame
    CHECK(off.finish.hdr == "standard");
    CHECK(!off.finish.mark.any());
    CHECK(!off.finish.colour.acts());
    CHECK(off.finish.grain.amount == 0);
    CHECK(off.finish.fade.in == 0);
    CHECK(!off.finish.sharpens());
}

TEST_CASE("what is set and lies outside the clip is told") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {.width = 96, .height = 64, .frames = 25});
    const auto told = [&](const std::vector<std::string>& set, const char* what) {
        Inspection found;
        found.complete = true;
        const auto reader =
            std::make_shared<FrameReader>(Clip::openVideo(folder / "a.mp4"), PacketDecoder::Threads::Single, 1 << 20);
        return std::ranges::any_of(resolve(reader, found, ticketOf(set))->remarks(),
                                   [&](const std::string& s) { return s.find(what) != s.npos; });
    };
    CHECK(told({"frame.part=200,0,64x64"}, "lies outside its 96×64"));
    CHECK(!told({"frame.part=16,0,64x64"}, "lies outside"));
    CHECK(told({"motion.freezes=5:1"}, "halt at 5 s lies outside"));
    CHECK(!told({"motion.freezes=0.5:1"}, "lies outside"));
    CHECK(told({"motion.freezes=0.2:1", "stretch.from=0.4", "stretch.to=0.9"}, "lies outside"));
    CHECK(!told({"motion.freezes=0.5:1", "motion.reverse=true"}, "lies outside"));
    CHECK(told({"motion.deinterlace=fields"}, "no fields were found"));
    CHECK(told({"motion.ramps=0:100 0.5:40", "motion.method=hold"}, "more than its 10: some are shown twice"));
    CHECK(!told({"motion.freezes=0.5:1", "motion.method=hold"}, "shown twice"));
}
