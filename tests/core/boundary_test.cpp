// Nothing ends the program, nothing is lost: what libraries throw, what killed processes leave, names that are taken.
#include "core/base/aside.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/part_file.h"
#include "core/base/words.h"
#include "core/codec/encoder.h"
#include "core/deliver/export.h"
#include "core/engine/held_picture.h"
#include "core/media/frame_convert.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <new>
#include <sys/wait.h>
#include <unistd.h>

using namespace ulm;
using test::TempFolder;
namespace fs = std::filesystem;

namespace {

std::optional<Error> errorOf(const std::function<void()>& work) {
    try {
        work();
    } catch (const Error& e) {
        return e;
    }
    return std::nullopt;
}

// A process that does `work`, says so, and then waits until it is killed.
class Other {
public:
    explicit Other(const std::function<void()>& work) {
        int ready[2];
        REQUIRE(::pipe(ready) == 0);
        pid_ = ::fork();
        if (pid_ == 0) {
            work();
            [[maybe_unused]] const auto told = ::write(ready[1], "x", 1);
            for (;;) ::pause();
        }
        char c = 0;
        REQUIRE(::read(ready[0], &c, 1) == 1);
        ::close(ready[0]);
        ::close(ready[1]);
    }
    void kill() {
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, nullptr, 0);
        pid_ = 0;
    }
    ~Other() {
        if (pid_) kill();
    }

private:
    pid_t pid_ = 0;
};

class FailingStage : public Stage {
public:
    FailingStage(StagePtr input, std::function<void()> fail)
        : Stage({input}, input->format(), KeyMaker("failing").add(input)), fail_(std::move(fail)) {}
    const char* name() const override { return "failing"; }
    void compute(std::int64_t, std::span<const Picture>, Picture&, const CancelToken&) const override { fail_(); }

private:
    std::function<void()> fail_;
};

} // namespace

TEST_CASE("whatever is thrown leaves as an Error with file, reason and remedy, and being cancelled stays that") {
    const auto made = [](const std::function<void()>& thrower) {
        return errorOf([&] { guarded("clip.mp4", thrower); });
    };
    const auto library = made([] { throw std::runtime_error("\n  bad shape (x.cpp:12)\nargs: 3"); });
    REQUIRE(library);
    CHECK(library->file == "clip.mp4");
    CHECK(library->reason.find("bad shape") != std::string::npos);
    CHECK(library->reason.find("args") == std::string::npos);
    CHECK_FALSE(library->remedy.empty());
    CHECK(made([] { throw std::bad_alloc(); })->reason.find("memory") != std::string::npos);
    CHECK(made([] { throw 7; })->file == "clip.mp4");
    const auto disk = made([] { fs::directory_iterator("/nowhere/at/all"); });
    CHECK(disk->file == "/nowhere/at/all");
    CHECK(disk->fault == Fault::Output);
    CHECK(made([] { throw Error(Fault::Input, "other.mp4", "r", "m"); })->file == "other.mp4");
    CHECK(made([] { throw Error(Fault::CannotFit, "", "r", "m"); })->file == "clip.mp4");
    CHECK_THROWS_AS(guarded("clip.mp4", [] { throw Cancelled(); }), Cancelled);
    CHECK(guarded("", [] { return 5; }) == 5);
}

TEST_CASE("a stage that throws ends its picture, not the program, and the engine goes on") {
    const PictureFormat f{16, 16, 0, 0, 8, {1, 1, 1, false, 1}};
    const StagePtr held = heldPicture(Picture::make(f, f.frame()));
    Engine engine(1 << 20);
    const FailingStage stage(held, [] { throw std::out_of_range("no such row"); });
    const auto e = errorOf([&] { engine.pull(stage, 0, f.frame(), {}); });
    REQUIRE(e);
    CHECK(e->reason.find("no such row") != std::string::npos);
    CHECK(engine.pull(*held, 0, f.frame(), {}).area == f.frame());
}

TEST_CASE("a render in which something throws is an Error about its clip, and leaves nothing behind") {
    TempFolder folder;
    test::writeClip(folder / "in.mp4", {});
    const ExportJob job{folder / "in.mp4", folder / "out.mp4", Ticket{}};
    const auto e = errorOf([&] {
        exportClip(job, {}, [](const ExportProgress& p) {
            if (p.done > 2) throw std::length_error("too long");
        });
    });
    REQUIRE(e);
    CHECK(e->file == folder / "in.mp4");
    CHECK(e->reason.find("too long") != std::string::npos);
    CHECK(folder.names() == std::vector<std::string>{"in.mp4"});
    exportClip(job, {});
    CHECK(fs::exists(folder / "out.mp4"));
}

TEST_CASE("an encoder hands back as many pictures as it was given, and refuses more once it has ended") {
    VideoEncoding e;
    e.width = 64;
    e.height = 48;
    Encoder encoder(e, false, {});
    const PictureFormat f{64, 48, 1, 1, 8, {1, 1, 1, false, 1}};
    const av::Frame frame = toFrame(Picture::make(f, f.frame()), AV_PIX_FMT_YUV420P);
    int packets = 0;
    const auto count = [&](AVPacket&) { ++packets; };
    for (int n = 0; n < 30; ++n) encoder.send(*frame, n, count);
    CHECK(packets < 30); // it looks ahead
    encoder.finish(count);
    CHECK(packets == 30);
    CHECK(encoder.given() == encoder.taken());
    const auto late = errorOf([&] { encoder.send(*frame, 30, count); });
    REQUIRE(late);
    CHECK(late->fault == Fault::Output);
}

TEST_CASE("whoever waits for an encoder can be cancelled, and leaves it behind; only one at a time is left so") {
    VideoEncoding e;
    e.width = 1280;
    e.height = 720;
    const PictureFormat f{1280, 720, 1, 1, 8, {1, 1, 1, false, 1}};
    const av::Frame frame = toFrame(Picture::make(f, f.frame()), AV_PIX_FMT_YUV420P);
    const CancelToken cancel;
    Encoder encoder(e, false, cancel);
    int packets = 0;
    const auto count = [&](AVPacket&) { ++packets; };
    for (int n = 0; n < 35; ++n) encoder.send(*frame, n, count);
    cancel.cancel();
    CHECK_THROWS_AS(encoder.finish(count), Cancelled); // 35 frames are more than it can do before it is looked for
    CHECK(packets < 35);
    int left = 0;
    while (mayLeaveBehind()) ++left;
    CHECK(left <= 1);
    for (int i = 0; i < left; ++i) leftBehindEnded();
}

TEST_CASE("progress counts pictures that were encoded, and a render can be stopped while the encoder empties itself") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 30; // fewer than the encoder looks ahead: all of them come out at the end
    test::writeClip(folder / "in.mp4", r);
    for (const char* way : {"deliver.quality=good", "deliver.size_mb=5", "deliver.bitrate=400"}) {
        INFO(way);
        Ticket t;
        setByAssignment(t, way);
        const ExportJob job{folder / "in.mp4", folder / "out.mp4", t};
        std::vector<std::string> phases;
        ExportProgress last;
        exportClip(job, {}, [&](const ExportProgress& p) {
            if (phases.empty() || phases.back() != p.phase) phases.push_back(p.phase);
            CHECK(p.done >= last.done);
            if (p.phase == "rendering" && last.phase != "rendering") {
                CHECK(p.done == 0); // while the encoder has given nothing back yet
                CHECK(p.left > 0);
            }
            last = p;
        });
        CHECK(last.done == last.total);
        CHECK((phases.front() == "forecasting") == (std::string(way) == "deliver.size_mb=5"));
        fs::remove(folder / "out.mp4");
        const CancelToken cancel;
        CHECK_THROWS_AS(exportClip(job, cancel,
                                   [&](const ExportProgress& p) {
                                       if (p.total && p.done >= p.total - 1) cancel.cancel();
                                   }),
                        Cancelled);
        CHECK(folder.names() == std::vector<std::string>{"in.mp4"});
    }
}

TEST_CASE("a name that is taken while a render runs keeps its file, and the render gets the next free one") {
    TempFolder folder;
    test::writeClip(folder / "in.mp4", {});
    bool made = false;
    const ExportReport report =
        exportClip({folder / "in.mp4", folder / "out.mp4", Ticket{}}, {}, [&](const ExportProgress&) {
            if (!std::exchange(made, true)) std::ofstream(folder / "out.mp4") << "someone else's";
        });
    REQUIRE(made);
    CHECK(readTextFile(folder / "out.mp4") == "someone else's");
    CHECK(report.output == folder / "out-2.mp4");
    CHECK(Clip::openVideo(report.output)->frameCount() == 24);
    REQUIRE(report.later.size() == 1);
    CHECK(report.later[0].find("out-2.mp4") != std::string::npos);
    CHECK(folder.names().size() == 3);
}

TEST_CASE("a clip that is written anew while it is rendered: what is made of it says so, and so does what fails") {
    const TempFolder folder;
    const std::string file = folder / "in.mp4";
    test::writeClip(file, {});
    const ClipPtr opened = Clip::openVideo(file);
    CHECK_FALSE(opened->wasRewritten());
    const auto renderWhile = [&](const std::string& out, const std::function<void()>& change) {
        bool made = false;
        return exportClip({file, folder / out, Ticket{}}, {}, [&](const ExportProgress& p) {
            if (p.phase == "rendering" && !std::exchange(made, true)) change();
        });
    };
    CHECK(renderWhile("still.mp4", [] {}).later.empty());
    const ExportReport report = renderWhile("put-in-place.mp4", [&] {
        test::writeClip(folder / "new.mp4", {.frames = 12});
        fs::rename(folder / "new.mp4", file); // what is open is still the old one
    });
    CHECK(opened->wasRewritten());
    REQUIRE(report.later.size() == 1);
    CHECK(report.later[0].find("written anew") != std::string::npos);
    CHECK(toJson(report)["remarks"].back() == report.later[0]);
    CHECK(Clip::openVideo(file)->frameCount() == 12);
    fs::remove(file); // gone is not rewritten: there is nothing else to read
    CHECK_FALSE(opened->wasRewritten());
    // One that cannot be rendered to its end, for it is another one from there on.
    test::writeClip(file, {.frames = 24});
    CHECK_THROWS_WITH(exportClip({file, folder / "out.mp4", Ticket{}}, {}, {},
                                 [&](const Delivery&) {
                                     std::ofstream(file) << "overwritten";
                                     throw Error(Fault::Input, file, "it cannot be decoded", "");
                                 }),
                      Catch::Contains("written anew while it was rendered") && Catch::Contains("once more"));
}

TEST_CASE("parts of living processes are let alone, those of killed ones are cleared away, and nothing else is") {
    TempFolder folder;
    std::ofstream(folder / ".ulmwood-notes.part") << "not ours to judge";
    std::ofstream(folder / "clip.part") << "nor this";
    Other other([&] {
        static PartFile mine(folder.path(), "x");
        mine.write("half");
    });
    CHECK(folder.names().size() == 3);
    removeLeftovers(folder.path());
    CHECK(folder.names().size() == 3);
    other.kill();
    CHECK(folder.names().size() == 3); // it could not clear away itself
    removeLeftovers(folder.path());
    CHECK(folder.names().size() == 2);
    {
        PartFile part(folder.path(), "y");
        part.write("whole");
        CHECK(folder.names().size() == 3);
        CHECK_FALSE(part.place(folder / "clip.part", false));
        CHECK(readTextFile(folder / "clip.part") == "nor this");
        CHECK(part.place(folder / "new.txt", false));
    }
    CHECK(readTextFile(folder / "new.txt") == "whole");
    CHECK(folder.names().size() == 3);
    { const PartFile dropped(folder.path(), "z"); }
    CHECK(folder.names().size() == 3);
}

TEST_CASE("working folders of killed processes go when the next is made") {
    TempFolder folder;
    const char* was = std::getenv("TMPDIR");
    const std::string old = was ? was : "";
    ::setenv("TMPDIR", folder.path().c_str(), 1);
    Other other([&] {
        static WorkFolder mine;
        std::ofstream(mine.path() + "/statistics") << "pass one";
    });
    {
        const WorkFolder here;
        CHECK(folder.names().size() == 2);
        other.kill();
        const WorkFolder next;
        CHECK(folder.names().size() == 2);
    }
    CHECK(folder.names().empty());
    old.empty() ? ::unsetenv("TMPDIR") : ::setenv("TMPDIR", old.c_str(), 1);
}

TEST_CASE("times are read as people write them, and near words are found") {
    CHECK(parseTime("2.5") == 2.5);
    CHECK(parseTime("0:02.5") == 2.5);
    CHECK(parseTime("1:00:01") == 3601);
    for (const char* wrong : {"", ":", "1:", "1:60", "-1", "1.5:3", "1:2:3:4", "two", "2.5s", "inf", "nan", "1e9"})
        CHECK_FALSE(parseTime(wrong));
    const std::vector<std::string> words = {"render", "frame", "probe"};
    CHECK(nearWord("rendr", words) == "render");
    CHECK(nearWord("framem", words) == "frame");
    CHECK(nearWord("porbe", words) == "probe");
    CHECK(nearWord("polish", words).empty());
    CHECK(nearWord(std::string(5000, 'r'), words).empty());
}
