#include "core/base/error.h"
#include "core/deliver/encoded_frame.h"
#include "core/deliver/export.h"
#include "core/engine/held_picture.h"
#include "core/judge/measures.h"
#include "core/judge/trial.h"
#include "core/picture/text.h"
#include "core/proof/page.h"
#include "core/proof/pairing.h"
#include "core/ticket/made_with.h"
#include "demo/clips.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <set>

using namespace ulm;

namespace {

std::shared_ptr<FrameReader> reader(const std::string& path) {
    return std::make_shared<FrameReader>(Clip::openVideo(path), PacketDecoder::Threads::Single, std::size_t(16) << 20);
}

void makeWheel(const test::TempFolder& folder, int frames) {
    for (const auto& plan : demo::clipPlans())
        if (plan.name == "wheel") demo::makeClip(plan, folder.path(), 3, 0.5, frames);
}

} // namespace

TEST_CASE("a held picture is shown as it is, and no two are taken for one") {
    const Picture p = test::photograph(64, 48);
    const StagePtr a = heldPicture(p), b = heldPicture(p);
    CHECK(a->key() != b->key());
    Engine engine(1 << 20);
    CHECK(test::meanSquare(engine.pull(*a, 0, {10, 8, 20, 12}, {}).planes[0], p.planes[0].view({10, 8, 20, 12})) == 0);
}

TEST_CASE("text is drawn from UTF-8, unknown characters and broken bytes are left out") {
    const TextMask plain = renderText("bowl", 20, false), bold = renderText("bowl", 20, true);
    CHECK(plain.w > 25);
    CHECK(bold.w > plain.w);
    CHECK(renderText("bowl → jug ×2", 20, false).w > plain.w);
    CHECK(renderText("\xff\xfe"
                     "bowl\xe2\x82",
                     20, false)
              .w == plain.w);
    CHECK(renderText("", 20, false).w <= 4);
    float most = 0;
    for (const float c : plain.cover) most = std::max(most, c);
    CHECK(most > 0.9f);
}

TEST_CASE("a page lays pictures and words where it is told, and clips what would stick out") {
    Page page(200, 100, {1, 1, 1});
    page.fill({-10, -10, 30, 30}, {0, 0, 0});
    CHECK(page.picture().planes[0].at(5, 5) == 0);
    CHECK(page.picture().planes[0].at(25, 5) == 1);
    Picture red = Picture::make(page.picture().format, {0, 0, 40, 40});
    for (std::size_t c = 0; c < 3; ++c)
        for (int y = 0; y < 40; ++y) std::fill_n(red.planes[c].row(y), 40, c == 0 ? 1.f : 0.f);
    page.put(red, 180, 80);
    CHECK(page.picture().planes[1].at(199, 99) == 0);
    page.putScaled(red, {60, 60, 10, 10});
    CHECK(page.picture().planes[1].at(65, 65) == 0);
    CHECK(page.picture().planes[1].at(71, 65) == 1);
    const int end = page.write("a long line that cannot fit into so narrow a page", 100, 10, 14, {0, 0, 0}, false, 190);
    CHECK(end <= 192);
    CHECK(end > 160);
}

TEST_CASE("a page parts a text between words, and cuts off only what its last line cannot hold") {
    const auto darkRows = [](const Page& page) { // which rows have ink, and how far to the right it goes
        std::pair<std::set<int>, int> found;
        for (int y = 0; y < page.height(); ++y)
            for (int x = 0; x < page.width(); ++x)
                if (page.picture().planes[0].at(x, y) < 0.5f)
                    found.first.insert(y), found.second = std::max(found.second, x);
        return found;
    };
    const auto written = [&](const std::string& text, int most) {
        Page page(200, 100, {1, 1, 1});
        page.writeLines(text, 10, 10, 14, {0, 0, 0}, 150, most);
        return darkRows(page);
    };
    const auto has = [](const std::set<int>& rows, int from, int to) {
        return rows.lower_bound(from) != rows.lower_bound(to);
    };
    const auto [one, width] = written("a short line", 3);
    CHECK(has(one, 10, 28));
    CHECK_FALSE(has(one, 30, 100));
    CHECK(width < 150);
    const auto [three, wide] = written("words enough for three whole lines of this page", 3);
    for (int line = 0; line < 3; ++line) CHECK(has(three, 10 + 18 * line, 26 + 18 * line));
    CHECK_FALSE(has(three, 66, 100));
    CHECK(wide <= 150);
    const auto [two, cut] = written("words enough for three whole lines of this page", 2);
    CHECK_FALSE(has(two, 48, 100));
    CHECK(cut <= 152);
    const auto [single, narrow] = written("onewordthatisfartoolongforalinebutmustbeshown", 2);
    CHECK(has(single, 10, 28));
    CHECK(narrow <= 152);
}

TEST_CASE("a result is paired with its source through crop, stretch and scale, frame by frame") {
    test::TempFolder folder;
    makeWheel(folder, 40);
    Ticket t;
    for (const char* set : {"stretch.on=true", "stretch.from=0.4", "stretch.to=1.2", "frame.aspect=1:1", "frame.x=0.2",
                            "enlarge.scale=1.5", "deliver.quality=best"})
        setByAssignment(t, set);
    exportClip({folder / "wheel.mp4", folder / "out.mp4", t}, {});
    ProofJob job{folder / "wheel.mp4", folder / "out.mp4", t};
    const Pairing p = pairUp(job, {});
    CHECK(p.sourceFrame(0) == 10);
    CHECK(p.resultFrame(10) == 0);
    CHECK(p.sourceFrame(p.result->frameCount() - 1) == 29);
    for (const std::int64_t n : {0, 7, 19}) CHECK(p.resultFrame(p.sourceFrame(n)) == n);
    // Nothing was treated, so both sides show the same picture but for scaling and encoding.
    Engine engine(std::size_t(16) << 20);
    const Rect all = p.after->format().frame();
    const double same =
        psnr(engine.pull(*p.before, p.sourceFrame(7), all, {}).planes[1], engine.pull(*p.after, 7, all, {}).planes[1]);
    const double other =
        psnr(engine.pull(*p.before, 0, all, {}).planes[1], engine.pull(*p.after, 19, all, {}).planes[1]);
    INFO("same " << same << " dB, other frame " << other << " dB");
    CHECK(same > 32);
    CHECK(same > other + 2);
    job.ticket->enlarge.scale = 2;
    CHECK_THROWS_AS(pairUp(job, {}), Error);
    // Without a ticket, the longer file cannot be the result.
    CHECK_THROWS_AS(pairUp({folder / "out.mp4", folder / "wheel.mp4", std::nullopt}, {}), Error);
}

TEST_CASE("a result says itself what it was made with; a part of unknown origin and other pictures are refused") {
    test::TempFolder folder;
    makeWheel(folder, 40);
    Ticket t;
    for (const char* set : {"stretch.on=true", "stretch.from=0.4", "stretch.to=1.2", "frame.aspect=1:1", "frame.x=0.2",
                            "enlarge.scale=1.5"})
        setByAssignment(t, set);
    exportClip({folder / "wheel.mp4", folder / "out.mp4", t}, {});
    const Pairing known = pairUp({folder / "wheel.mp4", folder / "out.mp4", std::nullopt}, {});
    CHECK(known.ticketKnown);
    CHECK(known.sourceFrame(0) == 10);
    CHECK(known.ticket.frame.x == 0.2);
    // Nothing of the person's goes out with it.
    const std::string comment = known.result->facts().comment;
    CHECK(comment.find(folder.path()) == std::string::npos);
    CHECK(comment.find("codec") == std::string::npos); // what is as usual is not said
    // Made elsewhere, it says nothing: which part it is cannot be known.
    test::ClipRecipe r;
    r.frames = 20;
    r.width = 320;
    r.height = 180;
    test::writeClip(folder / "part.mp4", r);
    const auto refusal = [&](const std::string& result, std::optional<Ticket> ticket) -> std::string {
        try {
            pairUp({folder / "wheel.mp4", result, std::move(ticket)}, {});
        } catch (const Error& e) {
            CHECK(e.fault == Fault::Usage);
            return e.what();
        }
        return "";
    };
    CHECK(refusal(folder / "part.mp4", std::nullopt).find("which part") != std::string::npos);
    r.frames = 40;
    test::writeClip(folder / "other.mp4", r);
    CHECK(refusal(folder / "other.mp4", std::nullopt).find("other pictures") != std::string::npos);
    CHECK(refusal(folder / "wheel.mp4", std::nullopt).empty());
    t.stretch.to = 0.8;
    CHECK(refusal(folder / "out.mp4", t).find("this ticket makes") != std::string::npos);
    CHECK_FALSE(ticketIn("Ulmwood ticket: {\"ulmwood\":1,\"clean\":5}"));
    CHECK_FALSE(ticketIn("my holiday"));
    CHECK(ticketIn(madeWith(t)) == t);
}

TEST_CASE("a proof is whole or absent: cancelled and refused ones leave nothing behind") {
    test::TempFolder folder;
    makeWheel(folder, 12);
    exportClip({folder / "wheel.mp4", folder / "out.mp4", Ticket{}}, {});
    const std::size_t files = folder.names().size();
    CancelToken cancel;
    int calls = 0;
    const auto stopSoon = [&](double) {
        if (++calls == 3) cancel.cancel();
    };
    CHECK_THROWS_AS(writeProofMovie({folder / "wheel.mp4", folder / "out.mp4", std::nullopt}, ProofMovie::Wipe,
                                    folder / "p.mp4", cancel, stopSoon),
                    Cancelled);
    CHECK(folder.names().size() == files);
    CHECK_THROWS_AS(writeProofSheet({folder / "wheel.mp4", folder / "out.mp4", std::nullopt}, folder / "out.mp4", {}),
                    Error);
    CHECK(folder.names().size() == files);
}

TEST_CASE("an encoded frame comes near the one it was made from, the nearer the higher the quality") {
    test::TempFolder folder;
    makeWheel(folder, 16);
    const DeliveryPtr pMade = resolve(reader(folder / "wheel.mp4"), nullptr, Ticket{});
    const Delivery& p = *pMade;
    Engine engine(std::size_t(16) << 20);
    const Plane truth = engine.pull(*asRgb(p.result), 9, p.result->format().frame(), {}).planes[1];
    double last = 0;
    for (const double crf : {40.0, 30.0, 20.0, 10.0}) {
        const double now = psnr(truth, encodedFrame(engine, p, 9, crf, 8, {}).planes[1]);
        INFO("crf " << crf << ": " << now << " dB");
        CHECK(now > last + 1);
        last = now;
    }
    CHECK(last > 38);
    CHECK(p.clock.stageOf(9) == 9);
    CancelToken cancel;
    cancel.cancel();
    CHECK_THROWS_AS(encodedFrame(engine, p, 9, 20, 8, cancel), Cancelled);
}

TEST_CASE("candidates differ from each other, ramps rise inside their range, and unknown ramps are refused") {
    Inspection i;
    i.readings.blocking = 20;
    i.readings.noise = 4;
    MediaFacts facts;
    facts.video.width = 640, facts.video.height = 360;
    const auto all = candidatesFromAdvice(Ticket{}, i, facts);
    CHECK(all.size() >= 5);
    CHECK(all.size() <= 9);
    // One size for all, or spots would move: as it is, it is enlarged plainly; the network is among what is tried.
    CHECK(all[0].ticket.clean == Ticket{}.clean);
    CHECK(all[0].ticket.enlarge.method == "lanczos");
    CHECK(std::ranges::any_of(all, [](const Candidate& c) { return c.ticket.enlarge.method == "learned"; }));
    std::set<std::string> names;
    for (const Candidate& c : all) {
        names.insert(c.name);
        CHECK_FALSE(c.told.empty());
        CHECK(c.ticket.enlarge.on);
        CHECK(c.ticket.enlarge.scale == all[0].ticket.enlarge.scale);
        for (const Candidate& d : all) CHECK((&c == &d || !(c.ticket == d.ticket)));
    }
    CHECK(names.size() == all.size());
    Ticket tall;
    setByAssignment(tall, "frame.size=540x960"); // a size that was chosen stays
    for (const Candidate& c : candidatesFromAdvice(tall, i, facts)) CHECK(c.ticket.frame == tall.frame);
    CHECK(candidatesFromAdvice(tall, i, facts)[0].ticket == tall);
    Inspection twelve, eight;
    twelve.readings.blocking = twelve.readings.noise = 12;
    eight.readings.noise = 8;
    CHECK(rampKeys().size() >= 5);
    for (const TicketKey* k : rampKeys()) {
        const auto steps = ramp(Ticket{}, k->path, twelve, 5);
        REQUIRE(steps.size() == 5);
        for (std::size_t n = 1; n < 5; ++n) CHECK_FALSE(steps[n].ticket == steps[n - 1].ticket);
    }
    CHECK(ramp(Ticket{}, "clean.noise", eight, 5)[4].ticket.clean.noise.value == Approx(16.67).margin(0.01));
    CHECK_THROWS_AS(ramp(Ticket{}, "frame.x", {}, 5), Error);
}

TEST_CASE("a trial's measures tell cleaning from sharpening") {
    Picture bad = test::photograph(96, 96, 61);
    test::quantiseBlocks(bad, 40);
    Engine engine(0);
    Picture clean = bad;
    clean.planes[0] = bad.planes[0].copy();
    for (int y = 1; y < 95; ++y)
        for (int x = 1; x < 95; ++x)
            clean.planes[0].row(y)[x] =
                (bad.planes[0].at(x - 1, y) + bad.planes[0].at(x + 1, y) + bad.planes[0].at(x, y - 1) +
                 bad.planes[0].at(x, y + 1) + 2 * bad.planes[0].at(x, y)) /
                6;
    const TrialMeasure nothing = measureTrial(bad, bad, bad, bad, 1),
                       smoothed = measureTrial(bad, clean, bad, clean, 1);
    CHECK(nothing.faults == Approx(100));
    CHECK(nothing.texture == Approx(100));
    CHECK(nothing.haloes == 0);
    CHECK(smoothed.faults < 80);
    CHECK(smoothed.texture < 90);
    Picture sharp = bad;
    sharp.planes[0] = bad.planes[0].copy();
    for (int y = 0; y < 96; ++y)
        for (int x = 0; x < 96; ++x)
            sharp.planes[0].row(y)[x] += 1.5f * (bad.planes[0].at(x, y) - clean.planes[0].at(x, y));
    const TrialMeasure sharpened = measureTrial(bad, bad, bad, sharp, 1);
    CHECK(sharpened.texture > 120);
    CHECK(sharpened.faults == Approx(100));
    // What is expected to be nearer to the undamaged picture has the smaller error, and what it comes from is told.
    CHECK(smoothed.error() < nothing.error());
    CHECK(sharpened.error() > nothing.error());
    CHECK(sharpened.added > 0);
    CHECK(nothing.added == 0);
    CHECK(nothing.blocks > nothing.noise);
}
