// What keeps a person's work: sessions of two windows, runs that end the program, jobs that throw, errors to pass on.
#include "app/project/log.h"
#include "app/proof/proof_page.h"
#include "app/shelf/clip_shelf.h"
#include "app/widgets/error_note.h"
#include "app/widgets/preferences.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/engine/work_plan.h"
#include "core/model/arithmetic.h"
#include "tests/support/mutate.h"
#include "tests/support/skipped.h"
#include "tests/window/fixture.h"

#include <QClipboard>
#include <QDir>
#include <QLabel>
#include <QProcess>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
#include <QToolButton>
#include <random>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

TEST_CASE("a job that throws what nobody foresaw is told, and its thread goes on") {
    Bench b(QStringList{});
    LatestWorker worker;
    std::atomic<int> done = 0;
    worker.submit([](const CancelToken&) { throw std::runtime_error("a library's own trouble"); });
    REQUIRE(waitFor([&] { return b.window.errors().text().contains("a library's own trouble"); }));
    worker.submit([&](const CancelToken&) { ++done; });
    inBackground(Lane::Quick, [] { throw 7; });
    REQUIRE(waitFor([&] { return done == 1; }));
    b.find<QPushButton>("closeError")->click();
    REQUIRE(waitFor([&] { return b.window.errors().text().contains("should not"); }));
    inBackground(Lane::Quick, [&] { ++done; });
    REQUIRE(waitFor([&] { return done == 2; }));
}

TEST_CASE("an error's details can be copied: its words, version, system, and what came before") {
    const TempFolder session;
    Bench b({"wheel"}, QString::fromStdString(session.path()));
    b.drop({"/nowhere/clip.mp4"});
    REQUIRE(waitFor([&] { return b.window.errors().isVisible(); }));
    b.find<QPushButton>("copyError")->click();
    const QString details = QApplication::clipboard()->text();
    CHECK(details.contains("there is no such file", Qt::CaseInsensitive));
    CHECK(details.contains("Ulmwood"));
    CHECK(details.contains("Qt "));
    CHECK(details.contains("opened ")); // of the log
    CHECK(details.contains("wheel.mp4"));
}

TEST_CASE("the log stays small, however much is told") {
    const TempFolder folder;
    openLog(QString::fromStdString(folder.path()));
    for (int i = 0; i < 30000; ++i) logLine(QString("line %1 of a long night, told at some length").arg(i));
    openLog({});
    std::uintmax_t bytes = 0;
    for (const auto& e : std::filesystem::directory_iterator(folder.path())) bytes += e.file_size();
    CHECK(bytes > 200'000);
    CHECK(bytes < 1'200'000);
}

TEST_CASE("a second window on a session says so and keeps one of its own; neither loses anything") {
    const TempFolder session;
    const QString folder = QString::fromStdString(session.path());
    {
        Bench first({"wheel"}, folder);
        {
            Bench second({"hands"}, folder);
            CHECK(waitFor([&] { return second.window.errors().text().contains("nother window"); }));
            second.project().keepNow();
            first.project().keepNow();
        }
    }
    const auto clips = [&](const std::string& file) { return readJsonFile(file).at("clips"); };
    REQUIRE(waitFor([&] { return QFile::exists(folder + "/window-2/session.json"); }));
    REQUIRE(clips(session / "session.json").size() == 1);
    CHECK(clips(session / "session.json")[0]["path"].get<std::string>().find("wheel") != std::string::npos);
    REQUIRE(clips(session / "window-2/session.json").size() == 1);
    CHECK(clips(session / "window-2/session.json")[0]["path"].get<std::string>().find("hands") != std::string::npos);
}

TEST_CASE("a run that was interrupted starts again once; one that ended the program twice waits for a person") {
    const TempFolder session;
    const auto restoredWith = [&](int interrupted) {
        nlohmann::json run = {{"clip", session / "gone.mp4"},
                              {"output", session / "out.mp4"},
                              {"ticket", toJson(Ticket{})},
                              {"state", "running"},
                              {"interrupted", interrupted}};
        writeFileWhole(session / "session.json",
                       nlohmann::json{{"clips", nlohmann::json::array()}, {"runs", {run}}}.dump());
        Bench b(QStringList{}, QString::fromStdString(session.path()));
        b.window.restore();
        REQUIRE(b.window.runs().items().size() == 1);
        if (interrupted == 0) {
            CHECK(b.window.runs().running());
            REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
            CHECK(b.window.runs().items()[0].words.contains("there is no such file"));
        } else {
            CHECK_FALSE(b.window.runs().running());
            CHECK(b.window.runs().items()[0].state == RunItem::State::Failed);
            CHECK(b.window.runs().items()[0].words.contains("ended twice"));
            b.find<QToolButton>("againRun.0")->click(); // a person may
            CHECK(b.window.runs().running());
            REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
        }
    };
    restoredWith(0);
    restoredWith(1);
}

TEST_CASE("cores and memory are a person's to set, hold at once, and are kept") {
    const TempFolder session;
    const WorkPlan before = workPlan();
    {
        Bench b(QStringList{}, QString::fromStdString(session.path()));
        bool seen = false;
        QTimer::singleShot(50, [&] {
            auto* dialog = qobject_cast<Preferences*>(QApplication::activeModalWidget());
            if (!dialog) return;
            seen = true;
            dialog->findChild<QSpinBox*>("plan.cores")->setValue(1);
            dialog->findChild<QSpinBox*>("plan.memory")->setValue(1024);
            dialog->findChild<QPushButton*>("plan.close")->click();
        });
        b.find<QToolButton>("rail.preferences")->click();
        REQUIRE(seen);
        CHECK(workPlan() == WorkPlan{1, std::int64_t(1024) << 20});
        b.project().keepNow();
        REQUIRE(waitFor([&] { return QFile::exists(QString::fromStdString(session / "session.json")); }));
    }
    setWorkPlan(before);
    Bench again(QStringList{}, QString::fromStdString(session.path()));
    again.window.restore();
    CHECK(workPlan() == WorkPlan{1, std::int64_t(1024) << 20});
    setWorkPlan(before);
}

TEST_CASE(
    "clips whose folder was moved are found again by showing one of them, or by dropping it, with their tickets") {
    const TempFolder session, clips;
    const auto in = [&](const char* folder, const char* name) {
        return QString::fromStdString(clips / folder) + "/" + name + ".mp4";
    };
    for (const char* folder : {"was", "is", "dropped"}) REQUIRE(QDir().mkpath(QString::fromStdString(clips / folder)));
    const auto move = [&](const char* name, const char* from, const char* to) {
        REQUIRE(QFile::rename(in(from, name), in(to, name)));
    };
    for (const char* name : {"wheel", "hands", "third"}) {
        const char* from = name == std::string("third") ? "hands.mp4" : "wheel.mp4";
        REQUIRE(QFile::copy(QString::fromStdString(demoClips() / from), in("was", name)));
    }
    const QString kept = QString::fromStdString(session.path());
    {
        MainWindow w(kept);
        w.project().addFiles({in("was", "wheel"), in("was", "hands"), in("was", "third")});
        REQUIRE(waitFor([&] {
            for (int i = 0; i < 3; ++i)
                if (!w.project().at(i).clip) return false;
            return true;
        }));
        for (int i = 0; i < 3; ++i) w.project().setOn({i}, {{"clean.blocks", std::to_string(31 + i)}});
        w.project().setCurrent(0);
        w.project().keepNow();
        REQUIRE(waitFor([&] { return QFile::exists(kept + "/session.json"); }));
    }
    move("wheel", "was", "is"), move("hands", "was", "is"), move("third", "was", "dropped");
    Bench b(QStringList{}, kept);
    b.window.restore();
    const auto& p = b.project();
    REQUIRE(waitFor([&] { return p.isLost(0) && p.isLost(1) && p.isLost(2); }));
    b.window.runs().add(p.at(1), {});
    REQUIRE(waitFor([&] { return !b.window.runs().running(); })); // it is not there
    auto* const advice = b.find<QLabel>("ticketAdvice");
    REQUIRE(waitFor([&] { return advice->isVisible(); }));
    CHECK(advice->text().contains("Find it"));
    writeFileWhole(clips / "is/notes.mp4", "no clip"); // a wrong one may be chosen, and then the right one
    chooseFile(in("is", "notes"), [&] { Q_EMIT advice->linkActivated("find"); });
    REQUIRE(waitFor([&] { return !p.at(0).problem.isEmpty(); }));
    CHECK(advice->isVisible());
    chooseFile(in("is", "wheel"), [&] { Q_EMIT advice->linkActivated("find"); });
    REQUIRE(waitFor([&] { return p.at(0).clip && p.at(1).clip; }));
    CHECK(p.at(1).path == in("is", "hands"));
    CHECK(p.isLost(2));
    b.drop({in("dropped", "third")});
    REQUIRE(waitFor([&] { return p.at(2).clip != nullptr; }));
    CHECK(p.count() == 3);
    for (int i = 0; i < 3; ++i) CHECK(p.at(i).ticket.clean.blocks.value == 31 + i);
    CHECK(b.window.runs().items()[0].clip == in("is", "hands"));
    b.window.runs().cancel(0);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
}

TEST_CASE("a clip that vanishes before it was looked over is said to be so, and not waited for") {
    Bench b;
    const QString file = QString::fromStdString(b.folder / "brief.mp4");
    REQUIRE(QFile::copy(b.project().at(0).path, file));
    b.drop({file});
    REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
    REQUIRE(QFile::remove(file));
    REQUIRE(waitFor([&] { return !b.project().at(1).notInspected.isEmpty(); }));
    b.project().setCurrent(1);
    CHECK(b.find<QLabel>("ticketAdvice")->text().contains("could not be looked over"));
    CHECK(b.find<ClipCard>("clip.brief")->told().contains("not looked over"));
}

TEST_CASE("how networks compute is shown, what a graphics processor does with it, and measured again at a click") {
    const TempFolder kept;
    const std::string file = kept / "processor.json";
    keepArithmetic(file);
    ArithmeticPlan plan = arithmeticPlan();
    if (plan.chosen == NetPrecision::F32) return test::skipped("this processor offers nothing shorter than f32");
    auto j = nlohmann::json::parse(readTextFile(file));
    for (auto& way : j["tried"])
        if (way["way"] == j["chosen"]) way["speed"] = 77.0;
    writeFileWhole(file, j.dump());
    keepArithmetic(file);
    Preferences dialog(nullptr);
    dialog.show();
    const auto* words = dialog.findChild<QLabel*>("plan.arithmetic");
    const auto* graphics = dialog.findChild<QLabel*>("plan.graphics");
    auto* again = dialog.findChild<QPushButton*>("plan.again");
    CHECK(words->text() == "being measured…"); // the window waits for nothing
    REQUIRE(waitFor([&] { return again->isEnabled(); }, 20000));
    CHECK(words->text().contains("77.0 times"));
    for (const QLabel* l : {words, graphics}) CHECK(l->height() >= l->heightForWidth(l->width())); // nothing is cut off
    if (!plan.graphics) CHECK(graphics->text() == "Graphics processor: none that OpenCL offers");
    again->click();
    CHECK_FALSE(again->isEnabled());
    REQUIRE(waitFor([&] { return again->isEnabled(); }, 20000));
    CHECK_FALSE(words->text().contains("77.0 times"));
    CHECK(words->text().contains("times as fast"));
    keepArithmetic("");
}

TEST_CASE("what became of a graphics processor is told in words") {
    const auto told = [](double speed, double like, bool failed) {
        ArithmeticPlan p;
        p.graphics = ArithmeticPlan::Graphics{"One, 1.0", speed, like, failed};
        return graphicsWords(p);
    };
    CHECK(told(3.2, 99, false) == "runs the networks, 3.2 times as fast as the processor");
    CHECK(told(0.2, 99, false) == "0.2 times as fast as the processor: not used");
    CHECK(told(3.2, 20, false) == "computes wrongly here: not used");
    CHECK(told(3.2, 99, true) == "failed when it was used: networks run on the processor");
}

TEST_CASE("a finished run says its name and place, and shows itself before and after at a click") {
    Bench b;
    b.set({"stretch.on=true", "stretch.from=0.2", "stretch.to=0.5"});
    b.window.addToRunList();
    REQUIRE(waitFor([&] { return b.window.runs().items()[0].state == RunItem::State::Done; }));
    b.window.showPage(MainWindow::kRunList);
    b.find<QToolButton>("proofRun.0")->click();
    CHECK(b.window.proof().isVisible());
    REQUIRE(waitFor([&] { return !b.window.proof().busy() && !b.window.proof().made().isEmpty(); }));
    CHECK(QFileInfo::exists(b.window.proof().made()));
}

TEST_CASE("a damaged session never keeps the window from opening, and what it was is still there") {
    const TempFolder session;
    std::string whole;
    {
        Bench b({"wheel"}, QString::fromStdString(session.path()));
        b.set({"clean.noise=nudge:+3", "frame.aspect=9:16", "deliver.size_mb=3"});
        b.project().keepTicket();
        b.project().setStretches({{0.1, 0.4}});
    }
    whole = readTextFile(session / "session.json");
    const char* many = std::getenv("ULMWOOD_FUZZ");
    for (std::uint32_t seed = 1; seed <= (many ? std::stoul(many) : 40); ++seed) {
        INFO("seed " << seed);
        std::mt19937 random(seed);
        const std::string bad = mutated(whole, random);
        const TempFolder again;
        writeFileWhole(again / "session.json", bad);
        MainWindow w(QString::fromStdString(again.path()));
        w.restore();
        QTest::qWait(1);
        // Read as far as it makes sense, or set aside as it was: never thrown away.
        if (std::filesystem::exists(again / "session.json.unreadable"))
            CHECK(readTextFile(again / "session.json.unreadable") == bad);
        else
            CHECK(w.project().count() <= 1);
    }
}

TEST_CASE("killed at any instant of a batch, the window's next start has every run, ticket and finished file") {
    const TempFolder home;
    demoClips();
    const QString program = QCoreApplication::applicationDirPath() + "/../app/ulmwood";
    REQUIRE(QFile::exists(program));
    std::filesystem::create_directories(home / "ulmwood");
    std::filesystem::create_directories(home / "tmp");
    nlohmann::json runs = nlohmann::json::array(), clips = nlohmann::json::array();
    Ticket t;
    setByAssignment(t, "enlarge.scale=1.5");
    setByAssignment(t, "deliver.size_mb=0.2");
    for (const std::string name : {"wheel", "hands"}) {
        std::filesystem::copy_file(demoClips() / (name + ".mp4"), home / (name + ".mp4"));
        clips.push_back({{"path", home / (name + ".mp4")}, {"ticket", toJson(t)}});
        runs.push_back({{"clip", home / (name + ".mp4")},
                        {"output", home / (name + "-ready.mp4")},
                        {"ticket", toJson(t)},
                        {"state", "waiting"}});
    }
    const std::string file = home / "ulmwood/session.json";
    writeFileWhole(file, nlohmann::json{{"clips", clips}, {"current", 0}, {"runs", runs}}.dump());
    QProcessEnvironment e = QProcessEnvironment::systemEnvironment();
    e.insert("XDG_DATA_HOME", QString::fromStdString(home.path()));
    e.insert("TMPDIR", QString::fromStdString(home / "tmp"));
    e.insert("QT_QPA_PLATFORM", "offscreen");
    std::mt19937 random(4);
    const auto stateOf = [&] { return readJsonFile(file); };
    const auto allDone = [&] {
        return std::ranges::all_of(stateOf().at("runs"), [](const auto& r) { return r.at("state") == "done"; });
    };
    const auto wholeOrAbsent = [&](const std::string& path) {
        return !std::filesystem::exists(path) || Clip::openVideo(path)->frameCount() == 48;
    };
    for (int round = 0; round < 20; ++round) {
        QProcess p;
        p.setProcessEnvironment(e);
        p.start(program, QStringList{});
        QTest::qWait(300 + static_cast<int>(random() % 2500));
        p.kill();
        p.waitForFinished(-1);
        const auto now = stateOf(); // always whole
        REQUIRE(now.at("runs").size() == 2);
        REQUIRE(now.at("clips").size() == 2);
        for (const auto& c : now.at("clips")) CHECK(ticketFromJson(c.at("ticket"), "").deliver.sizeMb == 0.2);
        CHECK(wholeOrAbsent(home / "wheel-ready.mp4"));
        CHECK(wholeOrAbsent(home / "hands-ready.mp4"));
        // A person tries again what ended with the program too often.
        auto edited = now;
        for (auto& r : edited["runs"])
            if (r.at("state") == "failed" || r.at("state") == "running") r["state"] = "waiting", r["interrupted"] = 0;
        writeFileWhole(file, edited.dump());
    }
    QProcess p;
    p.setProcessEnvironment(e);
    p.start(program, QStringList{});
    CHECK(waitFor(allDone));
    p.kill();
    p.waitForFinished(-1);
    CHECK(Clip::openVideo(home / "wheel-ready.mp4")->frameCount() == 48);
    CHECK(Clip::openVideo(home / "hands-ready.mp4")->frameCount() == 48);
    for (const auto& f : std::filesystem::recursive_directory_iterator(home.path())) {
        INFO(f.path().string());
        CHECK(f.path().filename().string().find(".part") == std::string::npos);
        CHECK(f.path().filename().string().find("ulmwood-work") == std::string::npos);
    }
}
