// What keeps a person's work: sessions of two windows, runs that end the program, jobs that throw, errors to pass on.
#include "app/project/log.h"
#include "app/proof/proof_page.h"
#include "app/widgets/error_note.h"
#include "app/widgets/preferences.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/engine/work_plan.h"
#include "tests/window/fixture.h"

#include <QClipboard>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
#include <QToolButton>

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
        nlohmann::json run = {{"clip", session / "gone.mp4"}, {"output", session / "out.mp4"},
                              {"ticket", toJson(Ticket{})},   {"state", "running"},
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
