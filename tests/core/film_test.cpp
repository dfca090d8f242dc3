// Film that was spread over the fields of 30 frames a second: found, told from what only looks like it, put together
// again without a sample made up.
#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/inspect/inspection.h"
#include "core/media/film_stage.h"
#include "core/media/source_stage.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::ticketOf;

namespace {

constexpr int kW = 320, kH = 256;

// A textured scene with a form that moves, `t` in film frames; luma of a row.
std::uint8_t filmed(int film, int x, int y) {
    const int at = 20 + 5 * film, shade = 90 + 12 * ((x / 8 + y / 8) % 2);
    return std::uint8_t(x >= at && x < at + 70 && y > 40 && y < 220 ? 200 - (x - at) / 2 : shade);
}

av::Frame frameOf(int top, int bottom) {
    av::Frame f(av_frame_alloc());
    f->format = AV_PIX_FMT_YUV420P, f->width = kW, f->height = kH;
    REQUIRE(av_frame_get_buffer(f.get(), 0) == 0);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) f->data[0][y * f->linesize[0] + x] = filmed(y % 2 ? bottom : top, x, y);
    for (int c : {1, 2})
        for (int y = 0; y < kH / 2; ++y) std::fill_n(f->data[c] + y * f->linesize[c], kW / 2, std::uint8_t(128));
    return f;
}

// Which film frames the fields of video frame n hold, top and bottom: 2:3, beginning at `phase`.
std::pair<int, int> fields(int n, int phase, bool topFirst) {
    static constexpr int kFirst[] = {0, 1, 1, 2, 3}, kSecond[] = {0, 1, 2, 3, 3};
    const int k = n + phase, cycle = k / 5 * 4, first = cycle + kFirst[k % 5], second = cycle + kSecond[k % 5];
    return topFirst ? std::pair{first, second} : std::pair{second, first};
}

Pulldown found(const std::function<std::pair<int, int>(int)>& of, int frames,
               const std::vector<std::int64_t>& cuts = {}) {
    FieldFinder finder;
    for (int n = 0; n < frames; ++n) {
        const auto [top, bottom] = of(n);
        finder.add(*frameOf(top, bottom));
    }
    return finder.pulldown(cuts);
}

} // namespace

TEST_CASE("pulldown is found whatever its phase and field order, shot by shot") {
    for (const bool topFirst : {true, false})
        for (int phase = 0; phase < 5; ++phase) {
            INFO("phase " << phase << " top first " << topFirst);
            const Pulldown p = found([&](int n) { return fields(n, phase, topFirst); }, 40);
            CHECK(p.topFirst == topFirst);
            std::vector<std::int64_t> woven, repeats;
            for (int n = 1; n < 40; ++n) {
                const auto [a, b] = fields(n, phase, topFirst);
                if (a != b) woven.push_back(n);
                if ((n + phase) % 5 == 2) repeats.push_back(n);
            }
            CHECK(p.woven == woven);
            CHECK(p.repeats == repeats);
        }
    // Cut after that: each shot has a phase of its own.
    const Pulldown cut = found([&](int n) { return n < 22 ? fields(n, 0, true) : fields(n - 22, 3, true); }, 50, {22});
    for (int n = 1; n < 50; ++n) {
        if (n == 22) continue;
        const auto [a, b] = n < 22 ? fields(n, 0, true) : fields(n - 22, 3, true);
        CHECK(std::ranges::count(cut.woven, n) == (a != b));
    }
}

TEST_CASE("whole frames, true fields and what stands still are no pulldown") {
    CHECK_FALSE(found([](int n) { return std::pair{n, n}; }, 40).any());
    CHECK_FALSE(found([](int n) { return std::pair{2 * n, 2 * n + 1}; }, 30).any());
    CHECK_FALSE(found([](int n) { return std::pair{2 * n + 1, 2 * n}; }, 30).any());
    CHECK_FALSE(found([](int) { return std::pair{3, 3}; }, 30).any());
    // Every fifth repeated: no fields in it.
    CHECK_FALSE(found([](int n) { return std::pair{n - n / 5, n - n / 5}; }, 40).any());
}

TEST_CASE("film comes back as it was: four frames of five, each sample one that was there") {
    const test::TempFolder folder;
    const std::string path = folder / "a.mkv";
    {
        VideoEncoding e;
        e.width = kW, e.height = kH, e.timeBase = {1001, 30000}, e.fps = 30000.0 / 1001;
        e.rate = VideoEncoding::Rate::Lossless;
        MovieWriter w(path, "matroska", e, std::nullopt);
        for (int n = 0; n < 50; ++n) {
            const auto [a, b] = fields(n, 1, true);
            w.write(*frameOf(a, b), n, 1);
        }
        w.finish();
    }
    const ClipPtr clip = Clip::openVideo(path);
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 32 << 20);
    const Inspection i = inspectClip(clip, {});
    REQUIRE(i.pulldown.any());
    const auto all = advise(i, clip->facts());
    CHECK(std::ranges::any_of(all, [](const Advice& a) { return a.what == "Undo the pulldown"; }));
    const DeliveryPtr d = resolve(reader, i, ticketOf({"motion.deinterlace=auto"}));
    CHECK(d->fps() == Approx(24000.0 / 1001));
    CHECK(d->frames() == 40);
    CHECK(d->sentence("motion").find("Pulldown undone, 29.97 → 23.98") == 0);
    Engine engine(std::size_t(32) << 20);
    for (std::int64_t k = 1; k < 39; ++k) {
        const Picture p = engine.pull(*d->result, d->at(k).stage, d->result->format().frame(), {});
        // Which film frame it is, by where the form begins; then every sample of it.
        int wrong = 0;
        for (int y = 0; y < kH; ++y)
            for (int x = 0; x < kW; ++x)
                wrong += std::lround(p.planes[0].at(x, y) * 219 + 16) != filmed(int(k) + 1, x, y);
        INFO("frame " << k);
        CHECK(wrong == 0);
    }
    // Kept as it is, that is said; asked for where there is none, too.
    const auto remarks = [&](const Inspection& what, const std::vector<std::string>& set) {
        std::string text;
        for (const std::string& s : resolve(reader, what, ticketOf(set))->remarks()) text += s + "\n";
        return text;
    };
    CHECK(remarks(i, {"motion.deinterlace=off"}).find("both fields stay woven") != std::string::npos);
    CHECK(remarks(i, {"motion.deinterlace=film"}).find("woven") == std::string::npos);
    Inspection none;
    none.complete = true;
    CHECK(remarks(none, {"motion.deinterlace=film"}).find("no pulldown was found") != std::string::npos);
    const StagePtr source = std::make_shared<SourceStage>(reader);
    test::checkContract(*filmPictures(source, {2, 3, 7, 8}, false));
}
