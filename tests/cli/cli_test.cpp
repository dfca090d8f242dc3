#include "core/base/files.h"
#include "core/engine/engine.h"
#include "core/media/decoder.h"
#include "core/media/png.h"
#include "core/model/shipped_networks.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/ticket.h"
#include "demo/clips.h"
#include "tests/cli/fixture.h"

#include <catch2/catch.hpp>
#include <fstream>
#include <map>
#include <set>
#include <sstream>

using namespace ulm;
using nlohmann::json;
using test::Outcome;
using test::TempFolder;
using test::ulmwood;
using test::withSound;
namespace fs = std::filesystem;

TEST_CASE("help teaches by example, and usage errors exit with 2") {
    for (const std::string command :
         {"probe", "inspect", "render", "frame", "measure", "check", "look", "targets", "keys"}) {
        const Outcome o = ulmwood({command, "--help"});
        INFO(command);
        CHECK(o.code == 0);
        CHECK(o.out.find("ulmwood-cli") != std::string::npos);
        if (command != "targets") CHECK(o.out.find("Example") != std::string::npos);
    }
    CHECK(ulmwood({"--help"}).out.find("130 cancelled") != std::string::npos);
    CHECK(ulmwood({}).code == 2);
    CHECK(ulmwood({"polish"}).code == 2);
    CHECK(ulmwood({"render", "x.mp4"}).code == 2);
    CHECK(ulmwood({"frame", "x.mp4", "--at", "soon", "-o", "y.png"}).code == 2);
}

TEST_CASE("probe prints facts; unreadable files exit with 3 and say why") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    const Outcome o = ulmwood({"probe", folder / "a.mp4", "--json"});
    CHECK(o.code == 0);
    CHECK(o.parsed()["video"]["width"] == 160);
    CHECK(o.parsed()["duration_s"].get<double>() == Approx(2.0).margin(0.03));
    CHECK(ulmwood({"probe", folder / "a.mp4"}).out.find("160×96") != std::string::npos);
    const Outcome bad = ulmwood({"probe", folder / "none.mp4"});
    CHECK(bad.code == 3);
    CHECK(bad.out.empty());
    CHECK(bad.err.find("none.mp4: there is no such file") != std::string::npos);
}

TEST_CASE("inspect prints readings and writes advice as a ticket that render follows") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    const Outcome o = ulmwood({"inspect", folder / "a.mp4", "--json", "--ticket-out", folder / "a.ticket.json"});
    REQUIRE(o.code == 0);
    for (const char* key : {"file", "readings", "cuts", "duplicates", "kind", "advice"})
        CHECK(o.parsed().contains(key));
    CHECK(loadTicket(folder / "a.ticket.json").enlarge.on); // 160×96 is small
    const Outcome r = ulmwood({"render", folder / "a.mp4", "-o", folder / "b.mp4", "--ticket", folder / "a.ticket.json",
                               "--report", folder / "r.json"});
    REQUIRE(r.code == 0);
    const json report = json::parse(readTextFile(folder / "r.json"));
    for (const char* key : {"source", "output", "frames", "seconds", "bytes", "ticket", "steps", "lost_frames"})
        CHECK(report.contains(key));
    CHECK(report["frames"] == 50);
    CHECK(report["bytes"] == fs::file_size(folder / "b.mp4"));
    CHECK(ulmwood({"probe", folder / "b.mp4", "--json"}).parsed()["video"]["width"] == 320);
    CHECK(ulmwood({"inspect", folder / "a.mp4"}).out.find("Blocks") != std::string::npos);
    // Light, colour and sharpening by one strength, as the window's slider sets them.
    CHECK(ulmwood({"inspect", folder / "a.mp4", "--together", "40"}).err.find("--ticket-out") != std::string::npos);
    CHECK(ulmwood({"inspect", folder / "a.mp4", "--together", "140", "--ticket-out", folder / "no.json"}).code == 2);
    std::vector<double> vibrance;
    for (const char* strength : {"20", "80"}) {
        const std::string to = folder / (std::string("t") + strength + ".ticket.json");
        REQUIRE(ulmwood({"inspect", folder / "a.mp4", "--together", strength, "--ticket-out", to}).code == 0);
        CHECK(loadTicket(to).finish.on);
        vibrance.push_back(loadTicket(to).finish.colour.vibrance);
    }
    CHECK(vibrance[0] > 0);
    CHECK(vibrance[1] > 2 * vibrance[0]);
}

TEST_CASE("render: progress, replacing, folders, several clips, stretches") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    test::writeClip(folder / "b.mp4", withSound(20));
    const Outcome o =
        ulmwood({"render", folder / "a.mp4", "-o", folder / "out.mp4", "--progress", "json", "--stretch", "0.4:1.2"});
    REQUIRE(o.code == 0);
    std::istringstream lines(o.out);
    json last;
    for (std::string line; std::getline(lines, line);) last = json::parse(line);
    for (const char* key : {"done", "total", "fps", "left_s"}) CHECK(last.contains(key));
    CHECK(last["done"] == 20);
    CHECK(last["total"] == 20);
    CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "out.mp4"}).code == 5);
    CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "out.mp4", "--replace"}).code == 0);
    CHECK(ulmwood({"render", folder / "a.mp4", folder / "b.mp4", "-o", folder / "both.mp4"}).code == 2);
    fs::create_directory(folder / "ready");
    std::ofstream(folder / "text.mp4") << "no clip";
    const Outcome several =
        ulmwood({"render", folder / "a.mp4", folder / "text.mp4", folder / "b.mp4", "-o", folder / "ready"});
    CHECK(several.code == 3); // the bad one is told, the others are done
    CHECK(fs::exists(folder / "ready/a.mp4"));
    CHECK(fs::exists(folder / "ready/b.mp4"));
    CHECK(several.err.find("text.mp4") != std::string::npos);
    for (const char* bad : {"1", "3:1", "x:y", "-1:2", "1:2:3"})
        CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "z.mp4", "--stretch", bad}).code == 2);
    CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "z.mp4", "--stretch", "40:50"}).code == 2);
    CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "gone/z.mp4"}).code == 5);
    CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "z.mp4", "--set", "clean.shine=1"}).code == 2);
    std::ofstream(folder / "bad.ticket.json") << R"({"ulmwood":1,"clean":{"blocks":"lots"}})";
    const Outcome ticket =
        ulmwood({"render", folder / "a.mp4", "-o", folder / "z.mp4", "--ticket", folder / "bad.ticket.json"});
    CHECK(ticket.code == 3);
    CHECK(ticket.err.find("/clean/blocks") != std::string::npos);
    CHECK_FALSE(fs::exists(folder / "z.mp4"));
}

TEST_CASE("a note tells of unknown keys in a ticket, which do no harm") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(10));
    std::ofstream(folder / "t.ticket.json") << R"({"ulmwood":1,"clean":{"on":true,"shine":3}})";
    const Outcome o =
        ulmwood({"render", folder / "a.mp4", "-o", folder / "b.mp4", "--ticket", folder / "t.ticket.json"});
    CHECK(o.code == 0);
    CHECK(o.err.find("clean.shine") != std::string::npos);
}

TEST_CASE("frame writes the picture of an instant; a region is the same pixels") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    const std::vector<std::string> common = {"frame",   folder / "a.mp4",
                                             "--at",    "0.92",
                                             "--set",   "enlarge.scale=2",
                                             "--set",   "finish.sharpen.amount=0.8",
                                             "--depth", "16",
                                             "-o"};
    const auto with = [&](std::vector<std::string> more) {
        std::vector<std::string> all = common;
        all.insert(all.end(), more.begin(), more.end());
        return ulmwood(all);
    };
    REQUIRE(with({folder / "whole.png"}).code == 0);
    REQUIRE(with({folder / "part.png", "--region", "40,20,64,48"}).code == 0);
    const auto pixels = [](const std::string& file) {
        const ClipPtr c = Clip::openVideo(file);
        return FrameReader(c, PacketDecoder::Threads::Single, 1 << 20).frame(0, {}).picture;
    };
    const av::SharedFrame whole = pixels(folder / "whole.png"), part = pixels(folder / "part.png");
    CHECK(whole->width == 320);
    CHECK(part->width == 64);
    CHECK(part->height == 48);
    int worst = 0;
    for (int y = 0; y < 48; ++y)
        for (int x = 0; x < 64 * 3; ++x) {
            const auto at = [](const av::SharedFrame& f, int row, int i) {
                return f->data[0][row * f->linesize[0] + 2 * i] * 256 + f->data[0][row * f->linesize[0] + 2 * i + 1];
            };
            worst = std::max(worst, std::abs(at(whole, y + 20, x + 40 * 3) - at(part, y, x)));
        }
    CHECK(worst <= 1);
    CHECK(with({folder / "whole.png"}).code == 5); // exists
    CHECK(with({folder / "x.png", "--region", "4000,0,10,10"}).code == 2);
    CHECK(with({folder / "x.png", "--region", "big"}).code == 2);
    CHECK(ulmwood({"frame", folder / "a.mp4", "--at", "99", "-o", folder / "x.png"}).code == 2);
}

TEST_CASE("frame follows every way of enlarging, says what networks it lacks, and refuses what is no network") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", {});
    const auto frame = [&](std::vector<std::string> settings) {
        std::vector<std::string> words = {"frame", folder / "a.mp4", "--at",     "0.5",
                                          "-o",    folder / "f.png", "--replace"};
        for (const std::string& s : settings) words.insert(words.end(), {"--set", s});
        return ulmwood(words);
    };
    std::set<std::string> pictures;
    for (const char* method : {"learned", "learned-quick", "lanczos", "spline36", "bicubic", "bilinear", "point"}) {
        INFO(method);
        REQUIRE(frame({"enlarge.scale=2", std::string("enlarge.method=") + method}).code == 0);
        CHECK(Clip::openVideo(folder / "f.png")->facts().video.width == 192);
        CHECK(pictures.insert(readTextFile(folder / "f.png")).second); // no two are alike
    }
    for (const char* kind : {"rough", "drawn"}) {
        INFO(kind);
        REQUIRE(frame({"enlarge.scale=2", std::string("enlarge.kind=") + kind}).code == 0);
        CHECK(pictures.insert(readTextFile(folder / "f.png")).second);
    }
    for (const char* more : {"enlarge.above=1.5", "enlarge.scale=3", "enlarge.size=256x256"}) {
        INFO(more);
        REQUIRE(frame({"enlarge.scale=2", more}).code == 0);
        CHECK(pictures.insert(readTextFile(folder / "f.png")).second);
    }
    CHECK(frame({"enlarge.scale=2"}).err.empty());
    {
        const WithoutShippedNetworks none;
        const Outcome o = frame({"enlarge.scale=2"});
        CHECK(o.code == 0);
        CHECK(o.err.find("note: the network for enlarging is missing; Lanczos stands in") != std::string::npos);
        CHECK(ulmwood({"render", folder / "a.mp4", "-o", folder / "b.mp4", "--set", "enlarge.scale=2"})
                  .err.find("Lanczos stands in") != std::string::npos);
    }
    std::ofstream(folder / "no.onnx") << "not a network";
    const Outcome bad = frame({"enlarge.scale=2", "enlarge.method=" + (folder / "no.onnx")});
    CHECK(bad.code == 3);
    CHECK(bad.err.find("no.onnx") != std::string::npos);
    CHECK(frame({"enlarge.scale=2", "enlarge.method=" + (folder / "gone.onnx")}).code == 3);
    CHECK(frame({"enlarge.scale=9"}).code == 2);
    CHECK(frame({"enlarge.x=2"}).code == 2);
}

TEST_CASE("measure compares clips; other sizes are refused") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(12));
    ulmwood({"render", folder / "a.mp4", "-o", folder / "b.mp4", "--set", "deliver.quality=small"});
    const Outcome o =
        ulmwood({"measure", folder / "a.mp4", folder / "b.mp4", "--json", "--per-frame", folder / "m.csv"});
    REQUIRE(o.code == 0);
    const json m = o.parsed();
    CHECK(m["frames"] == 12);
    for (const char* key : {"psnr_y", "ssim_y", "psnr_yuv"})
        CHECK(m[key]["min"].get<double>() <= m[key]["mean"].get<double>());
    CHECK(m["psnr_y"]["mean"].get<double>() > 25);
    const std::string csv = readTextFile(folder / "m.csv");
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 13);
    CHECK(ulmwood({"measure", folder / "a.mp4", folder / "a.mp4", "--json"}).parsed()["psnr_y"]["mean"] == 99);
    test::ClipRecipe other;
    test::writeClip(folder / "c.mp4", other);
    CHECK(ulmwood({"measure", folder / "a.mp4", folder / "c.mp4"}).code == 2);
}

TEST_CASE("check and targets: limits one by one, exit 4 where one breaks, and rendering to a target makes them hold") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(25));
    const json all = ulmwood({"targets", "--json"}).parsed();
    CHECK(all["targets"].size() >= 6);
    const Outcome bad = ulmwood({"check", folder / "a.mp4", "--target", "vertical-1080", "--json"});
    CHECK(bad.code == 4);
    CHECK(bad.parsed()["holds"] == false);
    const json report = bad.parsed();
    for (const json& l : report["limits"])
        for (const char* key : {"limit", "allowed", "value", "holds"}) CHECK(l.contains(key));
    REQUIRE(ulmwood({"render", folder / "a.mp4", "-o", folder / "v.mp4", "--target", "vertical-1080"}).code == 0);
    CHECK(ulmwood({"check", folder / "v.mp4", "--target", "vertical-1080", "--json"}).parsed()["holds"] == true);
    std::ofstream(folder / "tiny.json") << R"({"name":"tiny","max_mb":0.004})";
    const Outcome tiny =
        ulmwood({"render", folder / "a.mp4", "-o", folder / "t.mp4", "--target", folder / "tiny.json"});
    CHECK(tiny.code == 4);
    CHECK(tiny.err.find("What would fit") != std::string::npos);
    CHECK(ulmwood({"check", folder / "a.mp4", "--target", "nowhere"}).code == 2);
}

TEST_CASE("render tells how many frames were damaged: of one as of one") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.frames = 30;
    r.gop = 10;
    r.bFrames = 0;
    writeClip(folder / "in.mkv", r);
    const auto told = [&](std::int64_t from, std::int64_t to) { // frames overwritten, behind their first bytes
        std::string bytes = readTextFile(folder / "in.mkv");
        const ClipPtr clip = Clip::openVideo(folder / "in.mkv");
        for (std::int64_t n = from; n < to; ++n) {
            const auto at = static_cast<std::size_t>(clip->frames()[static_cast<std::size_t>(n)].position);
            for (std::size_t i = at + 12; i < at + 60 && i < bytes.size(); ++i) bytes[i] = static_cast<char>(0xA5 ^ i);
        }
        std::ofstream(folder / "bad.mkv", std::ios::binary) << bytes;
        const Outcome o = ulmwood({"render", folder / "bad.mkv", "-o", folder / "out.mp4", "--replace"});
        CHECK(o.code == 0);
        return o.err;
    };
    CHECK(told(0, 0).find("damaged") == std::string::npos);
    CHECK(told(29, 30).find("1 frame was damaged or could not be decoded") != std::string::npos);
    CHECK(told(13, 16).find(" frames were damaged or could not be decoded") != std::string::npos);
}

TEST_CASE("a cancelled render exits with 130 and leaves nothing") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(200));
    std::ostringstream out, err;
    cli::Surroundings s{out, err, {}, false};
    s.cancel.cancel();
    CHECK(cli::run({"render", folder / "a.mp4", "-o", folder / "b.mp4"}, s) == 130);
    CHECK(folder.names().size() == 1);
}

TEST_CASE("inspect writes a table, and proof writes a page and clips of before and after") {
    test::TempFolder folder;
    for (const auto& plan : demo::clipPlans())
        if (plan.name == "wheel") demo::makeClip(plan, folder.path(), 3, 0.5, 30);
    const std::string clip = folder / "wheel.mp4", out = folder / "out.mp4", ticket = folder / "t.ticket.json";
    CHECK(ulmwood({"inspect", clip, "--csv", folder / "r.csv", "--ticket-out", ticket}).code == 0);
    CHECK(readTextFile(folder / "r.csv").find("noise_sigma") != std::string::npos);
    CHECK(ulmwood({"inspect", clip, "--csv", folder / "r.csv"}).code == 5); // never over another file
    REQUIRE(ulmwood({"render", clip, "-o", out, "--ticket", ticket}).code == 0);
    CHECK(ulmwood({"proof", clip, out, "-o", folder / "p.png", "--ticket", ticket}).code == 0);
    CHECK(ulmwood({"proof", clip, out, "-o", folder / "p.png"}).code == 5);
    CHECK(ulmwood({"proof", clip, out, "-o", folder / "p.png", "--replace"}).code == 0);
    const auto page = Clip::openVideo(folder / "p.png");
    CHECK(page->facts().video.width == 1240);
    for (const char* how : {"", "--wipe"}) {
        std::vector<std::string> words = {"proof", clip, out, "-o", folder / "p.mp4", "--ticket", ticket, "--replace"};
        if (*how) words.push_back(how);
        REQUIRE(ulmwood(words).code == 0);
        const auto movie = Clip::openVideo(folder / "p.mp4"), made = Clip::openVideo(out);
        CHECK(movie->facts().video.frames == made->facts().video.frames);
        CHECK(movie->facts().video.width == (*how ? 1 : 2) * made->facts().video.width);
    }
    CHECK(ulmwood({"proof", clip, out, "-o", folder / "p.txt"}).code == 2);
    CHECK(ulmwood({"proof", clip, folder / "none.mp4", "-o", folder / "q.png"}).code == 3);
    // A ticket that makes another size does not belong to this result.
    Ticket other;
    setByAssignment(other, "enlarge.scale=3");
    saveTicket(other, folder / "other.ticket.json");
    const auto wrong = ulmwood({"proof", clip, out, "-o", folder / "q.png", "--ticket", folder / "other.ticket.json"});
    CHECK(wrong.code == 2);
    CHECK(wrong.err.find("ticket") != std::string::npos);
    for (const std::string& name : folder.names()) CHECK(name[0] != '.'); // no part was left behind
}

TEST_CASE("a frame for a destination is the picture of its render, byte for byte, and what is added is told first") {
    const TempFolder folder;
    test::ClipRecipe r = withSound();
    r.width = 320, r.height = 180;
    test::writeClip(folder / "a.mp4", r);
    writeFileWhole(folder / "tall.json", R"({"name":"tall","title":"Tall","size":"90x160","max_fps":20})");
    const std::vector<std::string> treated = {"--target", folder / "tall.json", "--set", "clean.noise=3",
                                              "--set",    "frame.x@tall=0.1"};
    const auto with = [&](std::vector<std::string> all) {
        all.insert(all.end(), treated.begin(), treated.end());
        return ulmwood(all);
    };
    const Outcome shown = with({"frame", folder / "a.mp4", "--at", "1.0", "-o", folder / "frame.png"});
    REQUIRE(shown.code == 0);
    CHECK(shown.err.find("Tall asks 90×160: crop, 32 % stays") != std::string::npos);
    // The same delivery, worked out here.
    Ticket t;
    setByAssignment(t, "clean.noise=3");
    setByAssignment(t, "frame.x@tall=0.1");
    const auto clip = Clip::openVideo(folder / "a.mp4");
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(32) << 20);
    const DeliveryPtr d = resolve(reader, inspectClip(clip, {}), t,
                                  targetFromJson(json::parse(readTextFile(folder / "tall.json")), "tall"));
    CHECK(d->planAt(0).srcX < 30); // to the left, for this destination alone
    Engine engine(std::size_t(32) << 20);
    const StagePtr rgb = asRgb(d->result);
    CHECK(readTextFile(folder / "frame.png") ==
          pngOf(engine.pull(*rgb, d->clock.stageOf(clip->frameAt(1.0)), rgb->format().frame(), {}), 8));
    CHECK(ulmwood({"frame", folder / "a.mp4", "--at", "1.0", "-o", folder / "plain.png"}).code == 0);
    CHECK(readTextFile(folder / "frame.png") != readTextFile(folder / "plain.png"));
    // The render says the same before it begins, and is what was shown.
    const Outcome made = with({"render", folder / "a.mp4", "-o", folder / "out.mp4", "--report", folder / "r.json"});
    CHECK(made.code == 0);
    CHECK(made.err.find("Tall takes at most 20 frames a second") != std::string::npos);
    const auto out = Clip::openVideo(folder / "out.mp4");
    CHECK(out->facts().video.width == 90);
    CHECK(out->frameCount() == d->frames());
    CHECK(json::parse(readTextFile(folder / "r.json"))["remarks"].size() >= 2);
    // Proof and inspection know the destination too.
    writeFileWhole(folder / "t.ticket.json", toJson(t).dump());
    CHECK(ulmwood({"proof", folder / "a.mp4", folder / "out.mp4", "-o", folder / "p.png", "--ticket",
                   folder / "t.ticket.json", "--target", folder / "tall.json"})
              .code == 0);
    const json found = ulmwood({"inspect", folder / "a.mp4", "--json", "--target", folder / "tall.json"}).parsed();
    CHECK(found["target"]["width"] == 90);
    CHECK(found["target"]["adds"].size() >= 2);
    CHECK(ulmwood({"inspect", folder / "a.mp4", "--target", folder / "tall.json"}).out.find("Tall asks") !=
          std::string::npos);
}

TEST_CASE("names that say another format, and keys that do nothing, are told in words") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(10));
    const Outcome mkv = ulmwood({"render", folder / "a.mp4", "-o", folder / "out.mkv"});
    CHECK(mkv.code == 2);
    CHECK(mkv.err.find("Name it out.mp4") != std::string::npos);
    const Outcome jpg = ulmwood({"frame", folder / "a.mp4", "--at", "0", "-o", folder / "out.jpg"});
    CHECK(jpg.code == 2);
    CHECK(jpg.err.find(".png") != std::string::npos);
    CHECK(folder.names().size() == 1);
    const Outcome idle = ulmwood({"frame", folder / "a.mp4", "--at", "0", "-o", folder / "out.png", "--set",
                                  "frame.fill=pad", "--set", "frame.x=0.3"});
    CHECK(idle.code == 0);
    CHECK(idle.err.find("frame.x acts where frame.fill is crop or split and frame.follow=place") != std::string::npos);
}

TEST_CASE("keys are listed with ranges, units, defaults and what they do") {
    const Outcome all = ulmwood({"keys"});
    CHECK(all.out.find("finish.grain.amount=0…20  (0)") != std::string::npos);
    CHECK(ulmwood({"keys", "motion"}).out.find("clean.") == std::string::npos);
    CHECK(ulmwood({"keys", "--json"}).parsed()["keys"][0]["key"] == "stretch.on");
    CHECK(ulmwood({"keys", "--schema"}).parsed()["properties"].contains("for"));
    CHECK(ulmwood({"keys", "--markdown"}).out.starts_with("| key |"));
    CHECK(ulmwood({"keys", "--markdown", "--json"}).code == 2);
    CHECK(ulmwood({"keys", "polish"}).code == 2);
}

TEST_CASE("no command writes over what it reads, and none over another file without being asked to") {
    const TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound(10));
    test::writeClip(folder / "b.mp4", withSound(10));
    const std::string a = folder / "a.mp4", b = folder / "b.mp4", ticket = folder / "t.ticket.json";
    writeFileWhole(ticket, toJson(Ticket{}).dump());
    writeFileWhole(folder / "old.txt", "kept");
    const std::map<std::string, std::string> before = {
        {a, readTextFile(a)}, {b, readTextFile(b)}, {ticket, readTextFile(ticket)}, {folder / "old.txt", "kept"}};
    const std::string out = folder / "out.mp4", png = folder / "p.png";
    const std::vector<std::vector<std::string>> attempts = {
        {"inspect", a, "--ticket-out", a, "--replace"},
        {"inspect", a, "--csv", a, "--replace"},
        {"inspect", a, "--ticket-out", folder / "old.txt"},
        {"render", a, "-o", out, "--report", a, "--replace"},
        {"render", a, "-o", out, "--ticket", ticket, "--report", ticket, "--replace"},
        {"render", a, "-o", out, "--report", folder / "old.txt"},
        {"measure", a, b, "--per-frame", b, "--replace"},
        {"measure", a, b, "--per-frame", folder / "old.txt"},
        {"proof", a, b, "-o", b, "--replace"},
        {"frame", a, "--at", "0", "-o", png, "--replace", "--ticket", ticket},
    };
    for (const auto& attempt : attempts) {
        std::string line;
        for (const auto& word : attempt) line += word + " ";
        INFO(line);
        const bool fine = attempt[0] == "frame";
        CHECK(ulmwood(attempt).code == (fine ? 0 : 5));
        for (const auto& [path, text] : before) CHECK(readTextFile(path) == text);
    }
    // A link to what is read is that file, too.
    fs::create_hard_link(a, folder / "link.mp4");
    CHECK(ulmwood({"render", a, "-o", folder / "link.mp4", "--replace"}).code == 5);
    CHECK(readTextFile(a) == before.at(a));
    // Asked to, it replaces.
    CHECK(ulmwood({"measure", a, b, "--per-frame", folder / "old.txt", "--replace"}).code == 0);
    CHECK(readTextFile(folder / "old.txt").starts_with("frame,psnr_y"));
    for (const auto& name : folder.names()) CHECK(name.find(".part") == std::string::npos);
}

TEST_CASE("clips of one name in a batch do not take each other's place; a cancelled batch reports what it did") {
    const TempFolder folder;
    fs::create_directory(folder / "one");
    fs::create_directory(folder / "two");
    fs::create_directory(folder / "ready");
    test::writeClip(folder / "one/a.mp4", withSound(10));
    test::ClipRecipe longer = withSound(12);
    test::writeClip(folder / "two/a.mkv", longer);
    CHECK(ulmwood({"render", folder / "one/a.mp4", folder / "two/a.mkv", "-o", folder / "ready"}).code == 0);
    CHECK(Clip::openVideo(folder / "ready/a.mp4")->frameCount() == 10);
    CHECK(Clip::openVideo(folder / "ready/a-2.mp4")->frameCount() == 12);
    // An output that is another clip of the call is refused, whatever is asked.
    test::writeClip(folder / "two/b.mp4", longer);
    const std::string other = readTextFile(folder / "two/b.mp4");
    test::writeClip(folder / "one/b.mkv", withSound(10));
    CHECK(ulmwood({"render", folder / "one/b.mkv", folder / "two/b.mp4", "-o", folder / "two", "--replace"}).code == 5);
    CHECK(readTextFile(folder / "two/b.mp4") == other);
    // Stopped after the first: the report tells of the first.
    std::ostringstream err;
    struct Stopping : std::stringbuf {
        CancelToken cancel;
        int sync() override { // each line of progress ends with a flush
            if (str().find("\"total\":12") != std::string::npos) cancel.cancel(); // the second clip's
            return 0;
        }
    } watched;
    std::ostream out(&watched);
    cli::Surroundings s{out, err, watched.cancel, false};
    const int code = cli::run({"render", folder / "one/a.mp4", folder / "two/a.mkv", "-o", folder / "ready",
                               "--replace", "--progress", "json", "--report", folder / "r.json"},
                              s);
    CHECK(code == 130);
    CHECK(json::parse(readTextFile(folder / "r.json"))["frames"] == 10);
}

TEST_CASE("a limit wins over a quality, an odd size is told, and the version is said") {
    const TempFolder folder;
    test::ClipRecipe r = withSound(50);
    r.width = 320, r.height = 192;
    test::writeClip(folder / "a.mp4", r);
    for (const bool limitFirst : {true, false}) {
        std::vector<std::string> call = {"render", folder / "a.mp4",       "-o", folder / "out.mp4", "--replace",
                                         "--set",  "finish.grain.amount=9"};
        for (const char* key : {"deliver.size_mb=0.1", "deliver.quality=best"}) call.insert(call.end(), {"--set", key});
        if (!limitFirst) std::swap(call[call.size() - 1], call[call.size() - 3]);
        CHECK(ulmwood(call).code == 0);
        CHECK(fs::file_size(folder / "out.mp4") <= 100000);
    }
    const Outcome odd = ulmwood({"frame", folder / "a.mp4", "--at", "0", "-o", folder / "f.png", "--set",
                                 "enlarge.size=641x361", "--set", "enlarge.method=bicubic"});
    CHECK(odd.err.find("641×361 is made 64") != std::string::npos);
    CHECK(ulmwood({"--version"}).out.starts_with("ulmwood-cli 0."));
}

TEST_CASE("look writes the ticket's light and colour, or another clip's, as a table that render takes") {
    TempFolder folder;
    test::writeClip(folder / "a.mp4", withSound());
    test::writeClip(folder / "b.mp4", {.width = 96, .height = 64, .frames = 5});
    REQUIRE(ulmwood({"look", folder / "a.mp4", "-o", folder / "warm.cube", "--set", "finish.colour.warmth=30"}).code ==
            0);
    REQUIRE(ulmwood({"look", folder / "a.mp4", "-o", folder / "like.cube", "--like", folder / "b.mp4"}).code == 0);
    for (const char* table : {"warm.cube", "like.cube"})
        CHECK(ulmwood({"frame", folder / "a.mp4", "--at", "0.5", "-o", folder / (std::string(table) + ".png"), "--set",
                       "finish.table=" + (folder / table)})
                  .code == 0);
    CHECK(readTextFile(folder / "warm.cube.png") != readTextFile(folder / "like.cube.png"));
    CHECK(ulmwood({"look", folder / "a.mp4", "-o", folder / "warm.cube"}).code != 0); // it is there already
    CHECK(ulmwood({"look", folder / "a.mp4", "-o", folder / "x.png"}).code == 2);
    const Outcome missing = ulmwood({"look", folder / "a.mp4", "-o", folder / "y.cube", "--like", folder / "no.mp4"});
    CHECK(missing.code == 3);
    CHECK(missing.err.find("no.mp4") != std::string::npos);
    CHECK(!fs::exists(folder / "y.cube"));
    const Outcome glow = ulmwood({"look", folder / "a.mp4", "-o", folder / "g.cube", "--set", "finish.glow.amount=20"});
    CHECK(glow.code == 0);
    CHECK(glow.err.find("not in the table") != std::string::npos);
}
