#include "app/widgets/fitted_text.h"
#include "tests/window/fixture.h"

#include "app/targets/chip_scroll.h"
#include "app/targets/target_chips.h"
#include "core/base/files.h"

#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QProcess>
#include <QPushButton>
#include <QScrollBar>
#include <QToolButton>
#include <filesystem>
#include <fstream>

using namespace ulm;
using namespace ulm::app;
using test::Bench;
using test::waitFor;

TEST_CASE("several clips and a folder are taken at once; the shelf and Ctrl+Tab choose among them") {
    Bench b({"wheel", "hands"});
    CHECK(b.project().count() == 2);
    QTest::mouseClick(b.find("clip.hands"), Qt::LeftButton);
    CHECK(b.find<QLabel>("ticketTitle")->text() == "hands");
    REQUIRE(b.settle());
    QTest::keyClick(&b.window, Qt::Key_Tab, Qt::ControlModifier);
    CHECK(b.find<QLabel>("ticketTitle")->text() == "wheel");
    b.drop({QString::fromStdString(b.folder.path())}); // a folder: both clips are here already
    CHECK(b.project().count() == 2);
    test::TempFolder other;
    b.drop({QString::fromStdString(other.path())});
    CHECK(b.window.errors().text().contains("no clip in this folder"));
}

TEST_CASE("the first that opens of what is brought in comes on the table, unless another clip is chosen meanwhile") {
    Bench b({"wheel"});
    test::TempFolder other;
    const auto copy = [&](const char* from, const char* to) {
        std::filesystem::copy_file(test::demoClips() / (std::string(from) + ".mp4"), other / to);
        return QString::fromStdString(other / to);
    };
    const auto shown = [&] { return b.find<QLabel>("ticketTitle")->text(); };
    std::ofstream(other / "broken.mp4") << "no clip";
    b.drop({QString::fromStdString(other / "broken.mp4"), copy("hands", "hands.mp4")});
    REQUIRE(waitFor([&] { return shown() == "hands"; }));
    CHECK(b.project().count() == 2);
    b.drop({copy("wheel", "late.mp4")});
    QTest::mouseClick(b.find("clip.wheel"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return b.project().count() == 3 && b.project().at(2).clip; }));
    CHECK(shown() == "wheel");
}

TEST_CASE("what cannot be opened is told with file, reason and remedy, and does no harm") {
    Bench b;
    std::ofstream(b.folder / "notes.mp4") << "Monday: fire the bowls";
    std::ofstream(b.folder / "empty.mp4");
    b.drop({QString::fromStdString(b.folder / "notes.mp4"), QString::fromStdString(b.folder / "empty.mp4")});
    REQUIRE(waitFor([&] { return b.project().count() == 1; }));
    auto* note = b.find("errorNote");
    CHECK(note->isVisible());
    const auto words = [&] { return b.find<QLabel>("errorText")->text().split('\n'); };
    REQUIRE(waitFor([&] { return words().join(" ").contains("empty.mp4"); }));
    CHECK(words().size() == 2); // a line each
    CHECK(words().join(" ").contains("notes.mp4"));
    QTest::mouseClick(b.find("closeError"), Qt::LeftButton);
    CHECK_FALSE(note->isVisible());

    QStringList many;
    for (int i = 0; i < 7; ++i) many << QString("/nowhere/take %1.mp4").arg(i);
    b.drop(many);
    REQUIRE(waitFor([&] { return b.find<QPushButton>("closeError")->text() == "Next (2 more)"; }));
    CHECK(words().size() == 5);
    QTest::mouseClick(b.find("closeError"), Qt::LeftButton);
    CHECK(words().size() == 2);
    QTest::mouseClick(b.find("closeError"), Qt::LeftButton);
    CHECK_FALSE(note->isVisible());
    b.drop({"/nowhere/alone.mp4"});
    REQUIRE(waitFor([&] { return note->isVisible(); }));
    CHECK(words().size() == 2); // reason, then what to do
    QTest::mouseClick(b.find("closeError"), Qt::LeftButton);
    CHECK(b.find<QLabel>("ticketTitle")->text() == "wheel");
}

TEST_CASE("target chips tell what the file will be, and the run list makes it so") {
    Bench b;
    auto* chip = b.window.findChild<TargetChip*>();
    REQUIRE(chip);
    REQUIRE(b.gauges());
    for (auto* c : b.window.findChildren<TargetChip*>()) CHECK(c->state().verdict == FitState::Verdict::Fits);
    b.project().setWatched(std::set<std::string>{"email-20", "webpage-5"});
    REQUIRE(b.gauges());
    QTest::mouseClick(b.find("target.email-20"), Qt::LeftButton, {}, {14, 16}); // their boxes
    QTest::mouseClick(b.find("target.webpage-5"), Qt::LeftButton, {}, {14, 16});
    auto* add = b.find<QPushButton>("addToRunList");
    CHECK(add->text().contains("2"));
    const double forecast = b.find<TargetChip>("target.email-20")->state().share * 20e6;
    QTest::mouseClick(add, Qt::LeftButton);
    REQUIRE(b.window.runs().items().size() == 2);
    REQUIRE(waitFor(
        [&] {
            return std::ranges::all_of(b.window.runs().items(),
                                       [](const RunItem& r) { return r.state == RunItem::State::Done; });
        },
        60000));
    for (const RunItem& r : b.window.runs().items()) {
        INFO(r.output.toStdString());
        const ClipPtr made = Clip::openVideo(r.output.toStdString());
        CHECK(made->frameCount() == 48);
        CHECK(double(made->facts().bytes) == Approx(forecast).epsilon(0.35)); // two seconds and its sound
        CHECK(r.words.contains("48 frames"));
    }
    CHECK(QFile::exists(QString::fromStdString(b.folder / "wheel-email-20.mp4")));
    QTest::keyClick(&b.window, Qt::Key_3, Qt::ControlModifier);
    CHECK(b.find("runListPage")->isVisible());
    CHECK(b.find<QLabel>("runSummary")->text().contains("2 done"));
    QTest::mouseClick(b.find("removeRun.0"), Qt::LeftButton);
    CHECK(b.window.runs().items().size() == 1);
    CHECK(QFile::exists(QString::fromStdString(b.folder / "wheel-email-20.mp4"))); // the file stays
    // The same again takes another name.
    b.window.addToRunList();
    CHECK(b.window.runs().items().back().output.endsWith("-2.mp4"));
    for (int i = 0; i < static_cast<int>(b.window.runs().items().size()); ++i) b.window.runs().cancel(i);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
}

TEST_CASE("a running delivery shows its progress, is cancelled at once, and can be tried again") {
    Bench b({"hands"});
    Ticket t = b.ticket();
    setByAssignment(t, "enlarge.scale=4");
    setByAssignment(t, "clean.noise=6");
    b.project().change(t);
    b.project().setChosen(std::set<std::string>{});
    QTest::keyClick(&b.window, Qt::Key_Return, Qt::ControlModifier);
    b.window.showPage(MainWindow::kRunList);
    REQUIRE(waitFor([&] { return b.window.runs().items()[0].progress.done >= 2; }));
    CHECK(b.window.runs().items()[0].progress.total == 48);
    CHECK(b.find<QToolButton>("rail.runlist")->text().contains("1"));
    QTest::mouseClick(b.find("cancelRun.0"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return b.window.runs().items()[0].state == RunItem::State::Cancelled; }));
    for (const auto& name : b.folder.names()) CHECK((name == "hands.mp4"));
    Ticket quick;
    b.project().change(quick);
    QTest::mouseClick(b.find("againRun.0"), Qt::LeftButton);
    CHECK(waitFor([&] { return b.window.runs().running(); }));
    b.window.runs().cancel(0);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
}

TEST_CASE("in a narrow window the table's buttons stand on more lines, and chips that find no room are scrolled to") {
    Bench b;
    REQUIRE(b.settle());
    auto* const bar = b.find("tableBar");
    const auto wholly = [&](const char* name) {
        const auto* w = b.find(name);
        const QRect there(w->mapTo(bar, QPoint()), w->size());
        return bar->rect().contains(there) && w->width() >= w->sizeHint().width();
    };
    const int line = bar->height();
    for (const QSize size : {QSize(1280, 800), QSize(1000, 700), QSize(1280, 800)}) {
        b.window.resize(size);
        REQUIRE(waitFor([&] { return b.window.size() == size; })); // no page needs more
        INFO(size.width());
        CHECK(waitFor([&] { return bar->height() == (size.width() < 1280 ? 3 : 1) * line; }));
        for (const char* name : {"compare.wipe", "compare.difference", "side.left", "faults", "zoom.fit", "look"})
            CHECK(wholly(name));
    }

    std::set<std::string> all;
    for (const Target& t : b.project().targets()) all.insert(t.name);
    REQUIRE(all.size() >= 6);
    b.project().setWatched(all);
    b.window.resize(1000, 700);
    REQUIRE(waitFor([&] { return b.window.width() == 1000; }));
    auto* const chips = b.find<ChipScroll>("chipScroll");
    REQUIRE(waitFor([&] { return chips->horizontalScrollBar()->maximum() > 0; }));
    const auto seen = [&] {
        int n = 0;
        for (auto* c : b.window.findChildren<TargetChip*>())
            n += chips->viewport()->rect().contains(QRect(c->mapTo(chips->viewport(), QPoint()), c->size()));
        return n;
    };
    CHECK(seen() < int(all.size()));
    const auto last = b.window.findChildren<TargetChip*>().last();
    test::turnWheel(chips->viewport(), {20, 10}, -20);
    CHECK(chips->viewport()->rect().contains(last->mapTo(chips->viewport(), last->rect().center())));
}

TEST_CASE("closing asks while something is rendered, and the window comes back where it was") {
    const test::TempFolder session;
    const auto answer = [](const char* button) {
        QTimer::singleShot(50, [button] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            REQUIRE(box);
            for (QAbstractButton* b : box->buttons())
                if (b->text() == button) return b->click();
            box->reject();
        });
    };
    {
        Bench b({"hands"}, QString::fromStdString(session.path()));
        b.set({"enlarge.scale=4", "clean.noise=6"});
        b.project().setChosen(std::set<std::string>{});
        b.window.resize(1111, 777);
        b.window.addToRunList();
        REQUIRE(waitFor([&] { return b.window.runs().running(); }));
        answer("Go on rendering");
        CHECK_FALSE(b.window.close());
        CHECK(b.window.isVisible());
        CHECK(b.window.runs().running());
        answer("Close");
        CHECK(b.window.close());
    }
    Bench b(QStringList{}, QString::fromStdString(session.path()));
    b.window.restore();
    CHECK(b.window.size() == QSize(1111, 777));
    REQUIRE(b.window.runs().items().size() == 1); // and starts again
    b.window.runs().cancel(0);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
    CHECK(b.window.close()); // nothing to ask about
}

TEST_CASE("where results go is chosen on the run list, for those that wait too, and is kept with the session") {
    const test::TempFolder session, away;
    const QString folder = QString::fromStdString(away.path());
    {
        Bench b({"hands"}, QString::fromStdString(session.path()));
        b.project().change(Ticket{});
        b.set({"enlarge.scale=4", "clean.noise=6"});
        b.project().setChosen(std::set<std::string>{});
        b.window.addToRunList(); // runs at once, and long enough for what follows
        b.project().change(Ticket{});
        b.set({"stretch.to=0.3"});
        b.window.addToRunList(); // waits
        b.window.showPage(MainWindow::kRunList);
        CHECK(b.find<QLabel>("runPlace")->text().contains("beside their clips"));
        CHECK_FALSE(b.find("runBeside")->isVisible());
        test::chooseFile(folder, [&] { b.find<QPushButton>("runFolder")->click(); });
        CHECK(b.find<QLabel>("runPlace")->text().contains(folder));
        const auto& items = b.window.runs().items();
        CHECK(QFileInfo(items[0].output).path() == QString::fromStdString(b.folder.path()));
        CHECK(items[1].output == folder + "/hands-ready.mp4");
        b.window.runs().cancel(0);
        REQUIRE(waitFor([&] { return items[1].state == RunItem::State::Done; }, 20000));
        CHECK(QFile::exists(folder + "/hands-ready.mp4"));
        b.window.addToRunList();
        CHECK(items[2].output == folder + "/hands-ready-2.mp4");
        b.window.runs().cancel(2);
        REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
        b.project().keepNow();
        REQUIRE(waitFor([&] { return QFile::exists(QString::fromStdString(session / "session.json")); }));
    }
    Bench b(QStringList{}, QString::fromStdString(session.path()));
    b.window.restore();
    b.window.showPage(MainWindow::kRunList);
    CHECK(b.window.runs().folder() == folder);
    b.find<QPushButton>("runBeside")->click();
    CHECK(b.window.runs().folder().isEmpty());
    CHECK(b.find<QLabel>("runPlace")->text().contains("beside their clips"));
    // What failed or was cancelled goes to where results go now.
    b.window.runs().again(2);
    CHECK(QFileInfo(b.window.runs().items()[2].output).path() != folder);
    b.window.runs().cancel(2);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
}

TEST_CASE("a result gets the name that is typed, before it is made and after; none is taken from another file") {
    const test::TempFolder session;
    QStringList told;
    {
        Bench b({"hands"}, QString::fromStdString(session.path()));
        QObject::connect(&b.window.runs(), &RunQueue::failed,
                         [&](const QString&, const QString& reason) { told << reason; });
        const auto press = [&](const QString& name) { b.find<QToolButton>(name.toUtf8().constData())->click(); };
        const auto type = [&](const QString& name, int row) {
            press(QString("nameRun.%1").arg(row));
            auto* line = b.find<QLineEdit>(QString("runName.%1").arg(row).toUtf8().constData());
            CHECK(line->hasSelectedText()); // what is typed takes its place
            QTest::keyClicks(line, name);
            return line;
        };
        const auto& items = b.window.runs().items();
        b.set({"enlarge.scale=4", "clean.noise=6"});
        b.project().setChosen(std::set<std::string>{});
        b.window.addToRunList(); // runs while others are named
        for (const char* to : {"stretch.to=0.2", "stretch.to=0.3"}) {
            b.project().change(Ticket{});
            b.set({to});
            b.window.addToRunList();
        }
        b.window.showPage(MainWindow::kRunList);
        const QString folder = QString::fromStdString(b.folder.path());
        QTest::keyClick(type("Sunday cups.mp4", 1), Qt::Key_Return);
        CHECK(items[1].output == folder + "/Sunday cups.mp4");
        // Escape leaves it as it is, and the page too.
        const QString was = items[2].output;
        QTest::keyClick(type("other", 2), Qt::Key_Escape);
        CHECK(items[2].output == was);
        CHECK(b.find("runListPage")->isVisible());
        // What cannot be is said, and may be typed once more.
        for (const QString& no : QStringList{"Sunday cups", "hands", "a/b", ".hidden", "   ", QString(201, 'x')}) {
            told.clear();
            QTest::keyClick(type(no, 2), Qt::Key_Return);
            INFO(no.toStdString());
            CHECK(told.size() == 1);
            CHECK(items[2].output == was);
            auto* line = b.find<QLineEdit>("runName.2");
            CHECK(line->text() == no);
            QTest::keyClick(line, Qt::Key_Escape);
        }
        // A name that is being typed outlives the end of another run.
        type("half a na", 2);
        b.window.runs().cancel(0);
        REQUIRE(waitFor([&] { return items[1].state == RunItem::State::Running; }));
        CHECK_FALSE(isOpen(items[0]));
        QTest::keyClicks(b.find<QLineEdit>("runName.2"), "me");
        CHECK(b.find<QLineEdit>("runName.2")->text() == "half a name");
        QTest::keyClick(b.find<QLineEdit>("runName.2"), Qt::Key_Return);
        REQUIRE(waitFor([&] { return !b.window.runs().running(); }, 30000));
        CHECK(QFile::exists(folder + "/Sunday cups.mp4"));
        CHECK(QFile::exists(folder + "/half a name.mp4"));
        // And afterwards: the file itself.
        QTest::keyClick(type("Monday", 1), Qt::Key_Return);
        CHECK(items[1].output == folder + "/Monday.mp4");
        CHECK(QFile::exists(folder + "/Monday.mp4"));
        CHECK_FALSE(QFile::exists(folder + "/Sunday cups.mp4"));
        QTest::keyClick(type("kept", 0), Qt::Key_Return); // cancelled: for when it is tried again
        b.project().keepNow();
        b.window.runs().again(1); // the first stays
        CHECK(items[1].output == folder + "/Monday-2.mp4");
        // What runs gets its name in the end.
        REQUIRE(items[1].state == RunItem::State::Running);
        QTest::keyClick(type("Tuesday", 1), Qt::Key_Return);
        REQUIRE(waitFor([&] { return !b.window.runs().running(); }, 30000));
        CHECK(QFile::exists(folder + "/Monday.mp4"));
        CHECK(items[1].output == folder + "/Tuesday.mp4");
        CHECK(QFile::exists(items[1].output));
        CHECK_FALSE(QFile::exists(folder + "/Monday-2.mp4"));
    }
    Bench b(QStringList{}, QString::fromStdString(session.path()));
    b.window.restore();
    b.window.runs().again(0);
    CHECK(QFileInfo(b.window.runs().items()[0].output).fileName() == "kept.mp4");
    b.window.runs().cancel(0);
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
}

TEST_CASE("runs of one clip get names of their own, are tried again beside what they made, and move up the list") {
    Bench b({"hands"});
    b.project().change(Ticket{});
    b.set({"stretch.to=0.2"});
    b.project().setChosen(std::set<std::string>{});
    b.window.addToRunList();
    const auto& items = b.window.runs().items();
    b.window.addToRunList(); // a second click: that work is on the list, and it is said
    CHECK(items.size() == 1);
    CHECK(b.table().told().contains("on the run list already"));
    b.set({"stretch.to=0.3"});
    b.window.addToRunList(); // before any of them is there
    REQUIRE(items.size() == 2);
    CHECK(items[0].output != items[1].output);
    const auto done = [&] {
        return std::ranges::all_of(items, [](const RunItem& r) { return r.state == RunItem::State::Done; });
    };
    REQUIRE(waitFor(done, 30000));
    const QString first = items[0].output;
    const auto made = QFileInfo(first).lastModified();
    b.window.addToRunList(); // and after
    REQUIRE(items.size() == 3);
    CHECK(items[2].output != first);
    CHECK(items[2].output != items[1].output);
    b.window.runs().again(0);
    CHECK(items[0].output != first);
    REQUIRE(waitFor(done, 30000));
    CHECK(QFileInfo(first).lastModified() == made);
    CHECK(QFile::exists(items[0].output));

    // What is taken off above it leaves the one that runs what it is.
    b.set({"enlarge.scale=4", "clean.noise=6", "stretch.on=false"});
    b.window.addToRunList();
    REQUIRE(waitFor([&] { return items[3].progress.done >= 1; }));
    b.window.runs().remove(0);
    REQUIRE(items.size() == 3);
    CHECK(items[2].state == RunItem::State::Running);
    const auto before = items[2].progress.done;
    REQUIRE(waitFor([&] { return items[2].progress.done > before; }, 60000));
    b.window.runs().cancel(2);
    REQUIRE(waitFor([&] { return items[2].state == RunItem::State::Cancelled; }, 60000));
    CHECK(items[0].state == RunItem::State::Done);
    CHECK(items[1].state == RunItem::State::Done);
}

TEST_CASE("a name that another file takes, before a run or under way, is left to it, and the run tells where it went") {
    Bench b({"hands"});
    b.project().change(Ticket{});
    b.set({"stretch.to=0.6", "enlarge.scale=4", "clean.noise=6"});
    b.project().setChosen(std::set<std::string>{});
    b.window.addToRunList();
    b.set({"enlarge.scale=2"});
    b.window.addToRunList(); // waits for the first
    const auto& runs = b.window.runs().items();
    const QString first = runs[0].output, second = runs[1].output;
    REQUIRE(waitFor([&] { return runs[0].progress.done >= 1; }, 30000));
    for (const QString& taken : {first, second}) {
        QFile other(taken);
        REQUIRE(other.open(QIODevice::NewOnly));
        other.write("not a movie");
    }
    REQUIRE(waitFor([&] { return runs[1].state == RunItem::State::Done; }, 60000));
    CHECK(runs[0].state == RunItem::State::Done);
    for (const QString& taken : {first, second}) CHECK(QFileInfo(taken).size() == 11);
    for (const RunItem& r : runs) {
        CHECK(r.output != first);
        CHECK(r.output != second);
        CHECK(Clip::openVideo(r.output.toStdString())->frameCount() > 5);
    }
}

TEST_CASE("a run comes back with the session as it was: done, and for its destination") {
    const test::TempFolder session;
    QString output;
    {
        Bench b({"hands"}, QString::fromStdString(session.path()));
        b.project().change(Ticket{});
        b.set({"stretch.to=0.2"});
        b.project().setWatched(std::set<std::string>{"email-20"});
        b.project().setChosen(std::set<std::string>{"email-20"});
        b.window.addToRunList();
        REQUIRE(waitFor([&] { return b.window.runs().items()[0].state == RunItem::State::Done; }, 30000));
        output = b.window.runs().items()[0].output;
    }
    MainWindow again(QString::fromStdString(session.path()));
    again.restore();
    REQUIRE(again.runs().items().size() == 1);
    const RunItem& run = again.runs().items()[0];
    CHECK(run.state == RunItem::State::Done);
    CHECK_FALSE(again.runs().running());
    CHECK(run.output == output);
    REQUIRE(run.target);
    CHECK(run.target->name == "email-20");
}

TEST_CASE("a failed delivery tells why in the list and across the top") {
    Bench b({"hands"});
    b.project().setChosen(std::set<std::string>{});
    QFile::remove(b.project().currentClip()->path);
    b.window.addToRunList();
    REQUIRE(waitFor([&] { return b.window.runs().items()[0].state == RunItem::State::Failed; }));
    CHECK(b.window.runs().items()[0].words.contains("there is no such file"));
    CHECK(b.window.errors().text().contains("hands.mp4"));
}

TEST_CASE("closing and reopening loses nothing") {
    test::TempFolder session;
    Ticket wanted;
    {
        Bench b({"wheel"}, QString::fromStdString(session.path()));
        Ticket t = b.ticket();
        setByAssignment(t, "clean.noise=nudge:+2");
        setByAssignment(t, "frame.aspect=4:5");
        b.project().change(t);
        b.project().setPlayhead(7);
        b.window.setNight(true);
        wanted = b.ticket();
        QFile::copy(QString::fromStdString(b.folder / "wheel.mp4"), QString::fromStdString(session / "wheel.mp4"));
        b.project().addFiles(
            {QString::fromStdString(session / "wheel.mp4")}); // a second clip that outlives this window
        REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
        b.project().setCurrent(1);
        b.project().change(wanted);
    }
    MainWindow again(QString::fromStdString(session.path()));
    again.restore();
    REQUIRE(waitFor([&] { return again.project().currentClip() && again.project().currentClip()->clip; }));
    CHECK(again.project().count() == 2);
    CHECK(again.project().current() == 1);
    CHECK(again.project().currentClip()->ticket == wanted);
    CHECK(again.project().at(0).playhead == 7);
    CHECK(again.project().night());
    CHECK_FALSE(again.project().at(0).problem.isEmpty()); // its folder is gone: it is told, and its ticket stays
    CHECK(again.project().at(0).ticket == wanted);
    again.setNight(false);
}

TEST_CASE("a ticket that lies beside a clip is taken when the clip comes, and never over what was changed since") {
    const test::TempFolder session, clips;
    const QString clip = QString::fromStdString(clips / "hands.mp4");
    {
        Bench b({"hands"}, QString::fromStdString(session.path()));
        QFile::copy(QString::fromStdString(b.folder / "hands.mp4"), clip);
        Ticket beside;
        setByAssignment(beside, "clean.noise=3");
        saveTicket(beside, clips / "hands.ticket.json");
        b.project().addFiles({clip});
        REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
        b.project().setCurrent(1);
        CHECK(b.ticket() == beside);
        b.set({"clean.noise=9"});
    }
    MainWindow again(QString::fromStdString(session.path()));
    again.restore();
    REQUIRE(waitFor([&] { return again.project().count() == 2 && again.project().at(1).clip; }));
    CHECK(again.project().at(1).ticket.clean.noise.value == 9);
}

TEST_CASE("a ticket kept aside comes back with the session; one copied to a clip leaves that clip's stretch alone") {
    const test::TempFolder session;
    Ticket aside;
    {
        Bench b({"wheel", "hands"}, QString::fromStdString(session.path()));
        REQUIRE(waitFor([&] { return b.project().at(0).clip && b.project().at(1).clip; }));
        b.project().setCurrent(0); // whichever was opened first is until then
        b.set({"clean.noise=4"});
        aside = b.ticket();
        b.project().keepTicket();
        b.set({"stretch.on=true", "stretch.from=0.2", "stretch.to=0.9", "clean.noise=6"});
        b.project().copyTicketTo({1}, "");
        const Ticket& other = b.project().at(1).ticket;
        CHECK(other.clean.noise.value == 6);
        CHECK_FALSE(other.stretch.on);
        // Undone, a clip's own stretch is not among its further ones.
        b.project().setStretches({{0.2, 0.9}, {1.1, 1.4}});
        b.set({"clean.noise=7"});
        b.project().undo();
        CHECK(b.ticket().clean.noise.value == 6);
        CHECK(b.project().currentClip()->stretches == std::vector<std::pair<double, double>>{{1.1, 1.4}});
    }
    MainWindow again(QString::fromStdString(session.path()));
    again.restore();
    REQUIRE(again.project().at(0).kept);
    CHECK(*again.project().at(0).kept == aside);
}

TEST_CASE("a destination that is watched no more is not delivered to when it comes back, until it is ticked again") {
    Bench b;
    b.project().setWatched(std::set<std::string>{"email-20", "webpage-5"});
    b.project().setChosen(std::set<std::string>{"email-20", "webpage-5"});
    REQUIRE(b.project().ticked().size() == 2);
    b.project().setWatched(std::set<std::string>{"webpage-5"});
    b.project().setWatched(std::set<std::string>{"email-20", "webpage-5"});
    REQUIRE(b.project().ticked().size() == 1);
    CHECK(b.project().ticked()[0].name == "webpage-5");
}

TEST_CASE("a crash loses nothing: the process is killed, and the next start has it all") {
    test::TempFolder home;
    test::demoClips();
    const QString program = QCoreApplication::applicationDirPath() + "/../app/ulmwood";
    REQUIRE(QFile::exists(program));
    const QString clip = QString::fromStdString(home / "wheel.mp4");
    QFile::copy(QString::fromStdString(test::demoClips() / "wheel.mp4"), clip);
    Ticket t;
    setByAssignment(t, "clean.blocks=33");
    saveTicket(t, home / "wheel.ticket.json"); // lies beside the clip: taken with it
    QProcess p;
    QProcessEnvironment e = QProcessEnvironment::systemEnvironment();
    e.insert("XDG_DATA_HOME", QString::fromStdString(home.path()));
    e.insert("QT_QPA_PLATFORM", "offscreen");
    p.setProcessEnvironment(e);
    p.start(program, {clip});
    const QString kept = QString::fromStdString(home / "ulmwood/session.json");
    REQUIRE(waitFor([&] {
        QFile f(kept);
        return f.open(QIODevice::ReadOnly) && f.readAll().contains("33.0");
    }));
    p.kill(); // SIGKILL
    p.waitForFinished();
    MainWindow again(QString::fromStdString(home / "ulmwood"));
    again.restore();
    REQUIRE(waitFor([&] { return again.project().currentClip() && again.project().currentClip()->clip; }));
    CHECK(again.project().currentClip()->path == clip);
    CHECK(again.project().currentClip()->ticket.clean.blocks == Quantity{From::Fixed, 33, 0});
}

TEST_CASE("a session file that makes no sense is set aside, and the window still starts") {
    test::TempFolder session;
    int count = 0;
    for (const char* text : {"nonsense", "[1,2]", R"({"clips":[{"path":5}]})",
                             R"({"clips":[{"path":"x","ticket":{"ulmwood":9}}],"runs":7})"}) {
        const std::string aside = count++ ? "-" + std::to_string(count) + ".unreadable" : ".unreadable";
        std::ofstream(session / "session.json") << text;
        {
            MainWindow w(QString::fromStdString(session.path()));
            w.restore();
            CHECK(w.project().count() == 0);
        }
        // As it was, and beside those set aside before.
        CHECK(readTextFile(session / ("session.json" + aside)) == text);
    }
}

TEST_CASE("night paper changes the sheet, and day brings it back; every step stays readable") {
    Bench b;
    auto* sheet = &b.window.bench().ticket();
    const auto lightness = [&] { return QColor(b.pixel(sheet, {170, sheet->height() - 30})).lightness(); };
    const int day = lightness();
    QTest::keyClick(&b.window, Qt::Key_N, Qt::ControlModifier);
    CHECK(lightness() < day - 100);
    const auto contrast = [](const QColor& a, const QColor& b2) {
        const auto l = [](const QColor& c) {
            const auto f = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
            return 0.2126 * f(c.redF()) + 0.7152 * f(c.greenF()) + 0.0722 * f(c.blueF());
        };
        const double x = l(a), y = l(b2);
        return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
    };
    for (int i = 0; i < 2; ++i) {
        const Theme& t = Theme::now();
        for (const QColor& word : {t.ink, t.faint, t.emberInk})
            for (const QColor& behind : {t.paper, t.paperOpen}) CHECK(contrast(word, behind) >= 4.5);
        CHECK(contrast(t.ink, t.chrome) >= 4.5);
        QTest::keyClick(&b.window, Qt::Key_N, Qt::ControlModifier);
    }
    QTest::keyClick(&b.window, Qt::Key_N, Qt::ControlModifier);
    QTest::keyClick(&b.window, Qt::Key_N, Qt::ControlModifier);
    b.window.setNight(false);
    CHECK(lightness() == day);
}

TEST_CASE("every control that can be reached by keys has a name for screen readers") {
    Bench b;
    for (QWidget* w : b.window.findChildren<QWidget*>()) {
        if (!(w->focusPolicy() & Qt::TabFocus) || !w->isVisible() || qobject_cast<QScrollArea*>(w)) continue;
        const auto* button = qobject_cast<QAbstractButton*>(w);
        if (const auto* label = qobject_cast<QLabel*>(w); label && !label->text().isEmpty()) continue; // which is read
        INFO(w->metaObject()->className() << " " << w->objectName().toStdString());
        CHECK((!w->accessibleName().isEmpty() || (button && !button->text().isEmpty()) || w->objectName() == ""));
    }
}

TEST_CASE("figures have digits of one width, and points and colons of their own") {
    const QFontMetricsF m(figures(9));
    for (const QChar c : QString("123456789")) CHECK(m.horizontalAdvance(c) == m.horizontalAdvance('0'));
    for (const QChar c : QString(".:,")) CHECK(m.horizontalAdvance(c) < 0.7 * m.horizontalAdvance('0'));
}

TEST_CASE("words that do not fit are broken into whole lines, the last of which says that they go on") {
    const QFont font = words(8);
    const QFontMetrics m(font);
    const QString text =
        "Blocks 19, noise 0.1, 30 % of the original kept; sharpen 0.5 at 1.4 px; enlarged by the network";
    const QStringList three = fittedLines(text, font, 120, 3 * m.lineSpacing() + 5);
    REQUIRE(three.size() == 3);
    for (const QString& line : three) CHECK(m.horizontalAdvance(line) <= 120);
    CHECK(three.last().endsWith(QChar(0x2026)));
    CHECK(text.startsWith(three[0] + " " + three[1]));
    const QStringList all = fittedLines(text, font, 120, 20 * m.lineSpacing());
    CHECK(all.join(' ') == text);
    CHECK(fittedLines(text, font, 120, 1).size() == 1);
    CHECK(fittedLines("", font, 120, 50).join("").isEmpty());
}
