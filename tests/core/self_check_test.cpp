#include "core/deliver/export.h"
#include "core/deliver/memory.h"
#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/engine/work_plan.h"
#include "core/judge/measures.h"
#include "core/judge/self_check.h"
#include "core/model/shipped_networks.h"
#include "core/restore/face_stage.h"
#include "tests/support/clips.h"
#include "tests/support/tickets.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::TempFolder;
using test::ticketOf;

namespace {

// A clip whose grain and networks can be looked at: a second of the test pattern.
DeliveryPtr deliveryOf(const std::string& clip, const Ticket& t) {
    return resolve(
        std::make_shared<FrameReader>(Clip::openVideo(clip), PacketDecoder::Threads::Single, std::size_t(32) << 20),
        nullptr, t);
}

} // namespace

TEST_CASE("what enlarging gains is told where the truth is known") {
    Engine e(std::size_t(128) << 20);
    const Picture p = test::photograph(320, 240);
    const StagePtr clip = heldPicture(p);
    const auto gain = [&](const std::vector<std::string>& settings) {
        return enlargeGain(e, clip, 0, {60, 40, 160, 140}, ticketOf(settings), {}, {});
    };
    const EnlargeGain lanczos = gain({"enlarge.method=lanczos"});
    CHECK(lanczos.overLanczos() == 0);
    CHECK(lanczos.fromAbove() == 0);
    CHECK(gain({"enlarge.method=point"}).overLanczos() < -0.5);
    const EnlargeGain learned = gain({"enlarge.method=learned-quick"});
    CHECK(learned.overLanczos() > 0.3);
    CHECK(learned.fromAbove() == 0);
    const EnlargeGain above = gain({"enlarge.method=learned-quick", "enlarge.above=1.5"});
    CHECK(above.method == Approx(learned.method));
    CHECK(above.above != Approx(above.method).margin(1e-6));

    // The same by hand: shrunk, enlarged by the same kernel, held against what it was.
    PictureFormat half = p.format;
    half.width = 160, half.height = 120;
    const auto resized = [](StagePtr s, PictureFormat f, Kernel k) {
        return std::make_shared<ResampleStage>(
            s, ScaleWindow{0, 0, double(s->format().width), double(s->format().height), f.width, f.height}, k, f);
    };
    const StagePtr back = resized(resized(clip, half, Kernel::Bicubic), p.format, Kernel::Lanczos);
    const Rect place{60, 40, 160, 140};
    CHECK(lanczos.lanczos ==
          Approx(psnr(e.pull(*clip, 0, place, {}).planes[0], e.pull(*back, 0, place, {}).planes[0])).margin(0.01));
    // Places at the border and beyond it are cut to what is there.
    CHECK(enlargeGain(e, clip, 0, {-50, -50, 120, 120}, ticketOf({"enlarge.method=lanczos"}), {}, {}).lanczos > 15);
    CHECK_THROWS(enlargeGain(e, clip, 0, {900, 900, 50, 50}, Ticket{}, {}, {}));
}

TEST_CASE("of film grain, a fine encode leaves nearly all and a coarse one little") {
    TempFolder folder;
    test::ClipRecipe r;
    r.width = 192, r.height = 128, r.frames = 10;
    test::writeClip(folder / "a.mp4", r);
    const DeliveryPtr grained =
                          deliveryOf(folder / "a.mp4", ticketOf({"finish.sharpen.amount=0", "finish.grain.amount=6"})),
                      plain = deliveryOf(folder / "a.mp4", ticketOf({"finish.sharpen.amount=0"}));
    Engine e(std::size_t(32) << 20);
    double last = 1.01;
    for (const double crf : {4.0, 18.0, 26.0, 34.0, 44.0}) {
        const double left = grainLeft(e, *grained, *plain, 6, crf, {});
        INFO("crf " << crf << " leaves " << left);
        CHECK(left < last + 0.02);
        if (crf == 4) CHECK(left > 0.9);
        if (crf >= 34) CHECK(left < 0.15);
        last = left;
    }
    CHECK(grainLeft(e, *plain, *plain, 6, 20, {}) == 0);
}

TEST_CASE("memory is told before a render starts, and nothing is left of one that cannot") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {});
    const std::int64_t cache = std::int64_t(160) << 20;
    const auto needed = [&](const char* size) {
        return renderBytes(*deliveryOf(folder / "a.mp4", ticketOf({size})), 2, cache);
    };
    CHECK(needed("enlarge.size=1920x1080") < std::int64_t(1500) << 20);
    CHECK(needed("enlarge.size=7680x4320") > 2 * needed("enlarge.size=1920x1080"));
    CHECK(needed("enlarge.size=7680x4320") < std::int64_t(3) << 30);
    // Movement is looked for on whole frames, however little of the result is made at once.
    const TempFolder other;
    test::writeClip(other / "wide.mp4", {.width = 1280, .height = 720, .frames = 8});
    const auto at = [&](const std::vector<std::string>& settings) {
        return renderBytes(*deliveryOf(other / "wide.mp4", ticketOf(settings)), 2, cache);
    };
    CHECK(at({"motion.fps=60"}) > at({"motion.fps=60", "motion.method=hold"}) + (std::int64_t(10) << 20));
    // Each core holds what it makes a picture from; a network, layers of its tiles.
    const auto enlarged = deliveryOf(other / "wide.mp4", ticketOf({"enlarge.scale=2", "enlarge.method=learned"}));
    CHECK(renderBytes(*enlarged, 4, cache) - renderBytes(*enlarged, 1, cache) > 3 * (std::int64_t(20) << 20));
    CHECK(renderBytes(*enlarged, 2, cache) >
          at({"enlarge.scale=2", "enlarge.method=lanczos"}) + (std::int64_t(40) << 20));
    CHECK(memoryToTake() > std::int64_t(50) << 20);
    CHECK(memoryToTake() <= workPlan().memory);

    ExportJob job{folder / "a.mp4", folder / "b.mp4", ticketOf({"enlarge.size=7680x4320", "enlarge.method=bilinear"})};
    job.memory = std::int64_t(700) << 20;
    try {
        exportClip(job, {});
        FAIL("it started");
    } catch (const Error& err) {
        CHECK(err.fault == Fault::CannotFit);
        CHECK(err.reason.find("7680×4320 takes about") != std::string::npos);
        CHECK(err.reason.find("0.7 GB are free") != std::string::npos);
        CHECK(err.remedy.starts_with("Choose "));
    }
    CHECK(folder.names() == std::vector<std::string>{"a.mp4"});
    job.ticket = ticketOf({"enlarge.size=192x128", "enlarge.method=bilinear"});
    CHECK(exportClip(job, {}).bytes > 0);
}

TEST_CASE("without networks a render goes on by filters, and says so") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {});
    const ExportJob job{folder / "a.mp4", folder / "b.mp4", ticketOf({"enlarge.scale=2"})};
    {
        const WithoutShippedNetworks none;
        const ExportReport r = exportClip(job, {});
        const std::string missing = "the network for enlarging is missing; Lanczos stands in";
        CHECK(r.remarks == std::vector<std::string>{missing});
        CHECK(r.frames == 24);
        CHECK(toJson(r)["remarks"][0] == missing);
        CHECK(
            deliveryOf(folder / "a.mp4", ticketOf({"clean.method=learned"}))->note.find("the classic way stands in") !=
            std::string::npos);
    }
    CHECK(deliveryOf(folder / "a.mp4", job.ticket)->note.empty());
}

TEST_CASE("a size of another shape cuts the clip where it is told to") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {}); // 96 × 64
    const auto window = [&](const std::vector<std::string>& s) {
        return deliveryOf(folder / "a.mp4", ticketOf(s))->planAt(0);
    };
    CHECK(window({"enlarge.size=128x128"}).srcX == Approx(16));
    CHECK(window({"enlarge.size=128x128", "enlarge.x=0"}).srcX == 0);
    CHECK(window({"enlarge.size=128x128", "enlarge.x=1"}).srcX == Approx(32));
    CHECK(window({"enlarge.size=256x64", "enlarge.y=1"}).srcY == Approx(40));
    CHECK(window({"enlarge.size=128x128", "enlarge.x=0", "frame.aspect=1:1", "frame.x=1"}).srcX == Approx(32));
}

TEST_CASE("the faces of the nearest frame count, unless it is far") {
    const std::vector<TimedBox> faces = {{10, {1, 2, 30, 30}}, {20, {5, 6, 30, 30}}, {20, {80, 6, 20, 20}}};
    CHECK(facesNear(faces, 12) == std::vector<Rect>{{1, 2, 30, 30}});
    CHECK(facesNear(faces, 19).size() == 2);
    CHECK(facesNear(faces, 35).size() == 2);
    CHECK(facesNear(faces, 36).empty());
    CHECK(facesNear({}, 0).empty());
}

TEST_CASE("a region is parted evenly into tiles that cover it") {
    for (const int extent : {1, 15, 96, 192, 193, 540, 960, 4320})
        for (const int align : {1, 2}) {
            const int tile = networkTile(extent, align), count = (extent + tile - 1) / tile;
            CHECK(tile % align == 0);
            CHECK(tile <= 192 + align);
            CHECK(count * tile >= extent);
            CHECK(count * tile - extent < std::max(tile, 16)); // no tile is empty
            if (count > 1) CHECK(tile % 16 == 0);
        }
}
