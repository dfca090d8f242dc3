// What people who live in a terminal expect of any command.
#include "core/base/files.h"
#include "core/ticket/ticket.h"
#include "tests/cli/fixture.h"

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <set>

using namespace ulm;
using nlohmann::json;
using test::Outcome;
using test::TempFolder;
using test::ulmwood;
using test::withSound;
namespace fs = std::filesystem;

TEST_CASE("help is a command too, and mistyped words are told with the ones that were meant") {
    CHECK(ulmwood({"help"}).out == ulmwood({"--help"}).out);
    CHECK(ulmwood({"help", "render"}).out == ulmwood({"render", "--help"}).out);
    CHECK(ulmwood({"help"}).code == 0);
    for (const Outcome& o : {ulmwood({"rendr", "a.mp4"}), ulmwood({"help", "rendr"})}) {
        CHECK(o.code == 2);
        CHECK(o.said("Did you mean render?"));
    }
    CHECK_FALSE(ulmwood({"polish"}).said("Did you mean"));
    const Outcome option = ulmwood({"render", "a.mp4", "-o", "b.mp4", "--targt", "x"});
    CHECK(option.code == 2);
    CHECK(option.said("Did you mean --target?"));
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(5));
    const auto render = [&](std::vector<std::string> more) {
        std::vector<std::string> all = {"render", folder / "a.mp4", "-o", folder / "b.mp4"};
        all.insert(all.end(), more.begin(), more.end());
        return ulmwood(all);
    };
    CHECK(render({"--set", "clean.nois=3"}).said("Did you mean clean.noise?"));
    CHECK(render({"--set", "finish.exposure=1"}).said("Did you mean finish.light.exposure?"));
    CHECK_FALSE(render({"--set", "brightness.radius=1"}).said("Did you mean")); // several end so
    CHECK(render({"--target", "vertical-1800"}).said("Did you mean vertical-1080?"));
    CHECK_FALSE(fs::exists(folder / "b.mp4"));
}

TEST_CASE("a card's key that is not known is named, with the one that was meant, and the rest of the card holds") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(5));
    std::ofstream(folder / "card.json") << R"({"name":"card","max_mbs":0.001,"max_fps":30})";
    const Outcome o = ulmwood({"render", folder / "a.mp4", "-o", folder / "b.mp4", "--target", folder / "card.json"});
    CHECK(o.code == 0);
    CHECK(o.said("max_mbs is not known"));
    CHECK(o.said("Did you mean max_mb?"));
    const Outcome quiet =
        ulmwood({"render", folder / "a.mp4", "-o", folder / "c.mp4", "--target", folder / "card.json", "--quiet"});
    CHECK(quiet.code == 0);
    CHECK(quiet.err.empty());
}

TEST_CASE("targets tell their limits in a line") {
    const std::string all = ulmwood({"targets"}).out;
    CHECK(all.find("1080×1920 · ") != std::string::npos);
    CHECK(all.find("≤ 20 MB") != std::string::npos);
}

TEST_CASE("times are taken as minutes and seconds too") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    REQUIRE(ulmwood({"frame", folder / "a.mp4", "--at", "0:01.5", "-o", folder / "a.png"}).code == 0);
    REQUIRE(ulmwood({"frame", folder / "a.mp4", "--at", "1.5", "-o", folder / "b.png"}).code == 0);
    CHECK(readTextFile(folder / "a.png") == readTextFile(folder / "b.png"));
    for (const char* same : {"0.4:1.2", "0:00.4-0:01.2", "0:00.4:0:01.2", "0.4-1.2"}) {
        INFO(same);
        REQUIRE(ulmwood({"render", folder / "a.mp4", "-o", folder / "c.mp4", "--stretch", same, "--replace"}).code ==
                0);
        CHECK(Clip::openVideo(folder / "c.mp4")->frameCount() == 20);
    }
    REQUIRE(ulmwood({"render", folder / "a.mp4", "-o", folder / "c.mp4", "--replace", "--set", "stretch.from=0:00.4",
                     "--set", "stretch.to=0:01.2"})
                .code == 0);
    CHECK(Clip::openVideo(folder / "c.mp4")->frameCount() == 20);
    const std::int64_t all = Clip::openVideo(folder / "a.mp4")->frameCount();
    for (const char* rest : {"0.4:", "0:00.4-"}) {
        INFO(rest);
        REQUIRE(ulmwood({"render", folder / "a.mp4", "-o", folder / "c.mp4", "--stretch", rest, "--replace"}).code ==
                0);
        CHECK(Clip::openVideo(folder / "c.mp4")->frameCount() == all - 10);
    }
    CHECK(ulmwood({"frame", folder / "a.mp4", "--at", "0:99", "-o", folder / "d.png"}).code == 2);
}

TEST_CASE("several files make one JSON array, folders stand for their clips, and one bad file does not stop the rest") {
    TempFolder folder;
    fs::create_directory(folder / "takes");
    test::writeClip(folder / "takes/b.mp4", withSound(5));
    test::writeClip(folder / "takes/a.mov", withSound(6));
    std::ofstream(folder / "takes/notes.txt") << "no clip";
    const Outcome o = ulmwood({"probe", folder / "takes", "--json"});
    REQUIRE(o.code == 0);
    REQUIRE(o.parsed().size() == 2);
    CHECK(o.parsed()[0]["container"] == "mov");
    CHECK(o.parsed()[1]["container"] == "mp4");
    CHECK(ulmwood({"inspect", folder / "takes", "--json"}).parsed().size() == 2);
    fs::create_directory(folder / "ready");
    REQUIRE(ulmwood({"render", folder / "takes", "-o", folder / "ready"}).code == 0);
    CHECK(fs::exists(folder / "ready/a.mp4"));
    CHECK(fs::exists(folder / "ready/b.mp4"));
    std::ofstream(folder / "takes/c.mp4") << "no clip either";
    const Outcome one = ulmwood({"probe", folder / "takes", "--json"});
    CHECK(one.code == 3);
    CHECK(one.parsed().size() == 2);
    CHECK(one.said("c.mp4"));
    fs::create_directory(folder / "empty");
    const Outcome none = ulmwood({"probe", folder / "empty"});
    CHECK(none.code == 3);
    CHECK(none.said("there is no clip in this folder"));
}

TEST_CASE("names that begin with a dash are names") {
    TempFolder folder;
    const fs::path before = fs::current_path();
    fs::current_path(folder.path());
    test::writeClip("./-a.mp4", withSound(5));
    const Outcome render = ulmwood({"render", "-o", "-b.mp4", "--", "-a.mp4"});
    const Outcome probe = ulmwood({"probe", "--", "-b.mp4"});
    fs::current_path(before);
    CHECK(render.code == 0);
    CHECK(probe.code == 0);
}

TEST_CASE("a terminal is shown how far it is, on one line that goes; a pipe and --quiet are not") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    const auto render = [&](bool terminal, std::vector<std::string> more) {
        std::vector<std::string> all = {"render", folder / "a.mp4",   "-o", folder / "b.mp4", "--replace",
                                        "--set",  "deliver.size_mb=1"};
        all.insert(all.end(), more.begin(), more.end());
        return ulmwood(all, terminal).err;
    };
    const std::string shown = render(true, {});
    CHECK(shown.find("a.mp4: forecasting") != std::string::npos);
    CHECK(shown.find("a.mp4: rendering ") != std::string::npos);
    CHECK(shown.find("100 %") != std::string::npos);
    CHECK(shown.ends_with("\r\033[K"));
    CHECK(shown.find('\n') == std::string::npos);
    CHECK(render(false, {}).empty());
    CHECK(render(true, {"--quiet"}).empty());
    const std::string verbose = render(false, {"--verbose"});
    CHECK(verbose.find("rendering\n") != std::string::npos);
    CHECK(verbose.find("encoded 1 time") != std::string::npos);
}

TEST_CASE("lines of progress name their clip") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(5));
    test::writeClip(folder / "b.mp4", withSound(5));
    fs::create_directory(folder / "ready");
    const Outcome o =
        ulmwood({"render", folder / "a.mp4", folder / "b.mp4", "-o", folder / "ready", "--progress", "json"});
    REQUIRE(o.code == 0);
    std::set<std::string> named;
    std::istringstream lines(o.out);
    for (std::string line; std::getline(lines, line);) named.insert(json::parse(line)["file"].get<std::string>());
    CHECK(named == std::set<std::string>{folder / "a.mp4", folder / "b.mp4"});
}

TEST_CASE("probe says in words what a clip's colours, sound, shape and transparency are") {
    TempFolder folder;
    test::ClipRecipe r = withSound(5);
    r.colour = {9, 16, 9, false, 1};
    r.format = AV_PIX_FMT_YUV420P10LE;
    r.rotate = 90;
    r.mirror = true;
    test::writeClip(folder / "a.mp4", r);
    const std::string a = ulmwood({"probe", folder / "a.mp4"}).out;
    for (const char* words : {"mp4, ", "BT.2020, HDR (PQ)", "turned by 90°", "mirrored", "stereo", "10 bit"}) {
        INFO(words);
        CHECK(a.find(words) != std::string::npos);
    }
    CHECK(a.find("not told") == std::string::npos);
    CHECK(ulmwood({"probe", folder / "a.mp4", "--json"}).parsed()["video"]["hdr"] == true);
    r = {};
    r.encoder = "ffv1";
    r.format = AV_PIX_FMT_YUVA420P;
    r.fps = {30, 1};
    test::writeClip(folder / "b.avi", r);
    const std::string b = ulmwood({"probe", folder / "b.avi"}).out;
    for (const char* words : {"avi, ", "with transparency", "not told by the file", " 30 frames a second"}) {
        INFO(words);
        CHECK(b.find(words) != std::string::npos);
    }
}

TEST_CASE("what is dropped or changed is said before it is done") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 10;
    r.colour = {9, 18, 9, false, 1};
    r.format = AV_PIX_FMT_YUV420P10LE;
    test::SoundRecipe surround;
    surround.codec = "pcm_s16le";
    surround.channels = 6;
    r.tracks = {surround};
    test::writeClip(folder / "a.mkv", r);
    const Outcome o = ulmwood(
        {"render", folder / "a.mkv", "-o", folder / "a.mp4", "--set", "motion.fps=50", "--set", "motion.method=hold"});
    REQUIRE(o.code == 0);
    for (const char* words : {"HDR colours stay", "mixed down to stereo", "encoded as AAC", "shown twice"}) {
        INFO(words);
        CHECK(o.said(words));
    }
    r = {};
    r.frames = 10;
    r.options = {{"flags", "+ildct+ilme"}};
    r.encoder = "mpeg2video";
    test::writeClip(folder / "b.mkv", r);
    if (Clip::openVideo(folder / "b.mkv")->facts().video.interlaced)
        CHECK(ulmwood({"render", folder / "b.mkv", "-o", folder / "b.mp4"}).said("interlaced"));
}

TEST_CASE("a report stands for its ticket, in proofs and in further renders") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    test::writeClip(folder / "b.mp4", withSound());
    fs::create_directory(folder / "ready");
    const std::string report = folder / "report.json";
    REQUIRE(ulmwood({"render", folder / "a.mp4", "-o", folder / "a1.mp4", "--stretch", "0.4:1.2", "--report", report})
                .code == 0);
    CHECK(ulmwood({"proof", folder / "a.mp4", folder / "a1.mp4", "-o", folder / "p.png", "--ticket", report}).code ==
          0);
    REQUIRE(ulmwood({"render", folder / "b.mp4", "-o", folder / "b1.mp4", "--ticket", report}).code == 0);
    CHECK(Clip::openVideo(folder / "b1.mp4")->frameCount() == 20);
    const std::string both = folder / "both.json";
    REQUIRE(ulmwood({"render", folder / "a.mp4", folder / "b.mp4", "-o", folder / "ready", "--report", both}).code ==
            0);
    CHECK(ulmwood({"proof", folder / "b.mp4", folder / "ready/b.mp4", "-o", folder / "q.png", "--ticket", both}).code ==
          0);
    const Outcome which = ulmwood({"render", folder / "b.mp4", "-o", folder / "b2.mp4", "--ticket", both});
    CHECK(which.code == 2);
    CHECK(which.said("it reports on 2 clips"));
}

TEST_CASE("equal files are equal in full") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(10));
    const json m = ulmwood({"measure", folder / "a.mp4", folder / "a.mp4", "--json"}).parsed();
    CHECK(m["ssim_y"]["mean"] == 1.0);
    CHECK(m["ssim_y"]["min"] == 1.0);
}
