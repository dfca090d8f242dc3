#include "core/deliver/export.h"
#include "core/deliver/movie_writer.h"
#include "core/inspect/inspection.h"
#include "core/media/frame_convert.h"
#include "core/media/sound_reader.h"
#include "demo/synth.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <fstream>
#include <random>
#include <unistd.h>

using namespace ulm;
using test::ClipRecipe;
using test::TempFolder;
using test::writeClip;
namespace fs = std::filesystem;

namespace {

// Opening must fail with file, reason and remedy; returns the reason.
std::string refusal(const std::string& path) {
    try {
        Clip::openVideo(path);
    } catch (const Error& e) {
        CHECK(e.fault == Fault::Input);
        CHECK(e.file == path);
        CHECK_FALSE(e.remedy.empty());
        return e.reason;
    }
    return "accepted";
}

std::string bytesOf(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

void put(const std::string& path, const std::string& bytes) { std::ofstream(path, std::ios::binary) << bytes; }

} // namespace

TEST_CASE("what is no clip is refused in plain words") {
    TempFolder folder;
    put(folder / "empty.mp4", "");
    CHECK(refusal(folder / "empty.mp4") == "the file is empty (0 bytes)");
    put(folder / "text.mp4", "Monday: fire the bowls.\nTuesday: glaze.\n");
    CHECK(refusal(folder / "text.mp4").find("not a video file") != std::string::npos);
    put(folder / "noise.mp4", std::string(20000, '\x5a'));
    CHECK(refusal(folder / "noise.mp4") != "accepted");
    CHECK(refusal(folder / "missing.mp4") == "there is no such file");
    CHECK(refusal(folder.path()) == "this is a folder, not a clip");
    demo::writeWav(std::vector<float>(48000, 0.1f), folder / "sound.wav");
    CHECK(refusal(folder / "sound.wav") == "it holds sound but no pictures");
    CHECK(Clip::open(folder / "sound.wav")->facts().audio.size() == 1);
    if (::geteuid() != 0) { // root may read everything
        writeClip(folder / "locked.mp4", {});
        fs::permissions(folder / "locked.mp4", fs::perms::none);
        CHECK(refusal(folder / "locked.mp4") == "it may not be read (no permission)");
    }
    put(folder / "list.m3u8", "#EXTM3U\n#EXTINF:1,\n" + (folder / "text.mp4") + "\n");
    CHECK(refusal(folder / "list.m3u8") != "accepted");
}

TEST_CASE("a clip cut short anywhere opens as far as it goes, or is refused; it never crashes") {
    TempFolder folder;
    ClipRecipe r;
    r.frames = 40;
    r.sound = true;
    writeClip(folder / "whole.mkv", r);
    const std::string whole = bytesOf(folder / "whole.mkv");
    int opened = 0;
    for (const double share : {0.001, 0.02, 0.1, 0.3, 0.5, 0.8, 0.97}) {
        put(folder / "cut.mkv", whole.substr(0, static_cast<std::size_t>(double(whole.size()) * share)));
        try {
            const ClipPtr clip = Clip::openVideo(folder / "cut.mkv");
            ExportJob job{folder / "cut.mkv", folder / "out.mp4", Ticket{}};
            job.replace = true;
            CHECK(exportClip(job, {}).frames == clip->frameCount());
            ++opened;
        } catch (const Error& e) {
            CHECK(e.fault == Fault::Input);
        }
    }
    CHECK(opened >= 3);
    writeClip(folder / "whole.mp4", r); // its index lies at the end: cut, it holds nothing that can be found
    put(folder / "cut.mp4", bytesOf(folder / "whole.mp4").substr(0, 3000));
    CHECK(refusal(folder / "cut.mp4") != "accepted");
}

TEST_CASE("corrupt packets in the middle: the rest goes on, and the lost frames are counted") {
    TempFolder folder;
    ClipRecipe r;
    r.frames = 60;
    r.gop = 10;
    r.bFrames = 0;
    writeClip(folder / "in.mkv", r);
    std::string bytes = bytesOf(folder / "in.mkv");
    const ClipPtr clean = Clip::openVideo(folder / "in.mkv");
    // Frames 23 to 25 are overwritten, behind their first bytes so that the container still finds them.
    for (std::int64_t n = 23; n < 26; ++n) {
        const auto at = static_cast<std::size_t>(clean->frames()[static_cast<std::size_t>(n)].position);
        for (std::size_t i = at + 12; i < at + 60 && i < bytes.size(); ++i) bytes[i] = static_cast<char>(0xA5 ^ i);
    }
    put(folder / "bad.mkv", bytes);
    const ExportReport report = exportClip({folder / "bad.mkv", folder / "out.mp4", Ticket{}}, {});
    CHECK(report.frames == 60);
    CHECK(report.lostFrames >= 1);
    CHECK(report.lostFrames <= 10);
    CHECK(inspectClip(Clip::openVideo(folder / "bad.mkv"), {}).framesLost >= 1);
    const ClipPtr out = Clip::openVideo(folder / "out.mp4");
    CHECK(out->frameCount() == 60);
    CHECK(out->secondsAt(59) == Approx(clean->secondsAt(59)).margin(0.002));
}

TEST_CASE("random damage anywhere never crashes or hangs") {
    TempFolder folder;
    ClipRecipe r;
    r.frames = 20;
    r.sound = true;
    const std::string ending = GENERATE(".mp4", ".mkv", ".avi");
    if (ending == ".avi") r.encoder = "mpeg4", r.bFrames = 0, r.soundCodec = "pcm_s16le";
    writeClip(folder / ("in" + ending), r);
    const std::string whole = bytesOf(folder / ("in" + ending));
    std::mt19937 random(1234);
    for (int round = 0; round < 12; ++round) {
        std::string bytes = whole;
        for (int i = 0; i < 30; ++i) bytes[random() % bytes.size()] = static_cast<char>(random());
        put(folder / ("bad" + ending), bytes);
        try {
            ExportJob job{folder / ("bad" + ending), folder / "out.mp4", Ticket{}};
            job.replace = true;
            exportClip(job, {});
        } catch (const Error& e) {
            CHECK_FALSE(e.reason.empty());
        }
        try {
            readSound(folder / ("bad" + ending), 5, {});
        } catch (const Error&) {
        }
    }
    for (const auto& name : folder.names()) CHECK(name.find(".part") == std::string::npos);
}

TEST_CASE("tiny, odd, single and huge pictures") {
    TempFolder folder;
    ClipRecipe r;
    r.encoder = "ffv1";
    r.width = r.height = 1;
    r.format = AV_PIX_FMT_YUV444P;
    r.frames = 3;
    writeClip(folder / "one.mkv", r);
    Ticket all;
    for (const char* a : {"clean.blocks=measured", "clean.noise=5", "enlarge.scale=4", "finish.sharpen.amount=1"})
        setByAssignment(all, a);
    CHECK(exportClip({folder / "one.mkv", folder / "one.mp4", all}, {}).frames == 3);
    const ClipPtr one = Clip::openVideo(folder / "one.mkv");
    const VideoFacts& v = one->facts().video;
    for (const WatchPlace& p : inspectClip(one, {}).candidates)
        CHECK(Rect{0, 0, v.width, v.height}.contains({p.x, p.y, 1, 1}));
    r.width = 33;
    r.height = 17;
    r.format = AV_PIX_FMT_YUV420P;
    writeClip(folder / "odd.mkv", r);
    CHECK(exportClip({folder / "odd.mkv", folder / "odd.mp4", Ticket{}}, {}).frames == 3);
    CHECK(Clip::openVideo(folder / "odd.mp4")->facts().video.width == 32);
    CHECK(exportClip({folder / "odd.mkv", folder / "odd2.mp4", all}, {}).frames == 3);
    ClipRecipe single;
    single.frames = 1;
    writeClip(folder / "single.mp4", single);
    const ClipPtr still = Clip::openVideo(folder / "single.mp4");
    CHECK(still->isStill());
    CHECK(still->facts().duration > 0);
    CHECK(exportClip({folder / "single.mp4", folder / "single-out.mp4", all}, {}).frames == 1);
    ClipRecipe wide;
    wide.encoder = "ffv1";
    wide.width = 16385;
    wide.height = 16;
    wide.frames = 1;
    writeClip(folder / "wide.mkv", wide);
    CHECK(refusal(folder / "wide.mkv").find("16384") != std::string::npos);
}

TEST_CASE("broken timestamps still give every frame, at rising times") {
    TempFolder folder;
    ClipRecipe r;
    r.encoder = "mpeg4";
    r.bFrames = 0;
    r.frames = 12;
    r.muxer = "m4v"; // a raw stream: no timestamps at all
    writeClip(folder / "raw.m4v", r);
    const ClipPtr clip = Clip::openVideo(folder / "raw.m4v");
    CHECK(clip->frameCount() >= 11);
    for (std::int64_t n = 1; n < clip->frameCount(); ++n) REQUIRE(clip->secondsAt(n) > clip->secondsAt(n - 1));
    CHECK(exportClip({folder / "raw.m4v", folder / "out.mp4", Ticket{}}, {}).frames == clip->frameCount());
}

TEST_CASE("a clip that changes on disk after it was opened is told, not misread") {
    TempFolder folder;
    writeClip(folder / "in.mp4", {});
    const ClipPtr clip = Clip::openVideo(folder / "in.mp4");
    demo::writeWav(std::vector<float>(48000, 0.1f), folder / "in.mp4");
    FrameReader reader(clip, PacketDecoder::Threads::Single, 1 << 20);
    CHECK_THROWS_AS(reader.frame(3, {}), Error);
}

TEST_CASE("recordings of hours are looked over in runs, and what was sampled is told; black, still and silent clips "
          "read as nothing wrong") {
    TempFolder folder;
    test::ClipRecipe hours;
    hours.width = 48, hours.height = 32, hours.frames = 9500, hours.gop = 250, hours.bFrames = 0;
    hours.options = {{"preset", "ultrafast"}};
    test::writeClip(folder / "hours.mp4", hours);
    const ClipPtr clip = Clip::openVideo(folder / "hours.mp4");
    const Inspection i = inspectClip(clip, {});
    CHECK(i.runs.size() == 36);
    CHECK(i.framesLooked == 9000);
    std::int64_t last = -1;
    for (const auto& [first, count] : i.runs) {
        CHECK(first > last);
        CHECK(first + count <= clip->frameCount());
        last = first;
    }
    CHECK(i.runs.back().first + i.runs.back().second == clip->frameCount());
    const auto j = toJson(i, clip->facts());
    CHECK(j["runs"].size() == 36);
    for (const auto& [key, value] : j["readings"].items()) CHECK(value.is_number());

    // Solid black, and one frame of 8K: nothing is claimed, nothing crashes.
    const auto solid = [&](const std::string& name, int w, int h, int frames, std::uint8_t level) {
        VideoEncoding e;
        e.width = w, e.height = h, e.preset = "ultrafast";
        MovieWriter writer(folder / name, "mp4", e, std::nullopt);
        av::Frame f(av_frame_alloc());
        f->format = AV_PIX_FMT_YUV420P, f->width = w, f->height = h;
        REQUIRE(av_frame_get_buffer(f.get(), 0) >= 0);
        for (int c = 0; c < 3; ++c)
            std::memset(f->data[c], c ? 128 : level, std::size_t(f->linesize[c]) * (c ? h / 2 : h));
        for (int n = 0; n < frames; ++n) writer.write(*f, n, 1);
        writer.finish();
        return Clip::openVideo(folder / name);
    };
    for (const auto& [c, what] :
         {std::pair{solid("black.mp4", 320, 180, 12, 16), "black"}, {solid("grey.mp4", 7680, 4320, 1, 120), "8K"}}) {
        INFO(what);
        const Inspection quiet = inspectClip(c, {});
        CHECK(quiet.readings.blocking == 0);
        CHECK(quiet.readings.noise == 0);
        CHECK(quiet.cuts.empty());
        CHECK_FALSE(quiet.sound.any);
        CHECK(advise(quiet, c->facts()).size() <= 1);
        for (const WatchPlace& p : choosePlaces(quiet, {{0, 0, c->facts().video.width, c->facts().video.height}}, 40))
            CHECK(std::isfinite(p.value));
        CHECK_NOTHROW(inspectionFromJson(nlohmann::json::parse(toJson(quiet, c->facts()).dump()), "kept"));
    }
}

TEST_CASE(
    "pictures that never come out are shown as the last one that did, wherever reading begins, and are told as lost") {
    TempFolder folder;
    ClipRecipe r;
    r.frames = 40;
    r.gop = 20;
    r.bFrames = 0;
    writeClip(folder / "in.mkv", r);
    std::string bytes = bytesOf(folder / "in.mkv");
    const ClipPtr clean = Clip::openVideo(folder / "in.mkv");
    // Frames 9 to 11 and the last two are made units of a kind that no decoder knows.
    for (const std::int64_t n : {9, 10, 11, 38, 39}) {
        const auto at = static_cast<std::size_t>(clean->frames()[static_cast<std::size_t>(n)].position);
        const std::size_t unit = bytes.find('\x41', at);
        REQUIRE(unit < at + 30);
        bytes[unit] = '\x5f';
    }
    put(folder / "bad.mkv", bytes);
    const ClipPtr clip = Clip::openVideo(folder / "bad.mkv");
    REQUIRE(clip->frameCount() == 40);
    const auto read = [&](std::initializer_list<int> wanted, auto budget) {
        FrameReader reader(clip, PacketDecoder::Threads::Single, budget);
        for (const int n : wanted) {
            const DecodedFrame f = reader.frame(n, {});
            PictureFormat format{96, 64};
            Picture p = Picture::make(format, format.frame());
            toPicture(*f.picture, p);
            const bool hole = (n >= 9 && n <= 11) || n >= 38;
            INFO("frame " << n);
            CHECK(f.lost == hole);
            if (n < 12 || n > 19) CHECK(test::numberOn(p.planes[0]) == (n >= 38 ? 37 : hole ? 8 : n));
        }
        return reader.lostFrames();
    };
    CHECK(read({8, 9, 10, 11, 22, 37, 38, 39}, std::size_t(8) << 20) == 5);
    CHECK(read({10, 9, 8}, std::size_t(8) << 20) >= 2);
    CHECK(read({39, 38, 30, 10}, 1) >= 3);
}
