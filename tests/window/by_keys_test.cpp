// What is elsewhere done by mouse, done by keys, menus and file dialogs.
#include "app/shelf/clip_shelf.h"
#include "app/shelf/facts_sheet.h"
#include "app/targets/target_chips.h"
#include "app/trials/trials_page.h"
#include "app/widgets/key_sheet.h"
#include "app/words/sentences.h"
#include "core/base/files.h"
#include "tests/window/fixture.h"

#include <QDir>
#include <QFile>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

QString inFolder(Bench& b, const char* name) { return QString::fromStdString(b.folder / name); }

} // namespace

TEST_CASE("clips on the shelf are reached by Tab, marked, chosen and taken off by keys") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    auto* hands = b.find<ClipCard>("clip.hands");
    b.find<ClipCard>("clip.wheel")->setFocus();
    QTest::keyClick(b.find<ClipCard>("clip.wheel"), Qt::Key_Tab);
    CHECK(hands->hasFocus());
    QTest::keyClick(hands, Qt::Key_Space, Qt::ControlModifier);
    CHECK(hands->marked());
    CHECK(b.project().current() == 0);
    QTest::keyClick(hands, Qt::Key_Space, Qt::ControlModifier);
    CHECK_FALSE(hands->marked());
    QTest::keyClick(hands, Qt::Key_Return);
    CHECK(b.project().current() == 1);
    REQUIRE(b.settle());
    QTest::keyClick(b.find<ClipCard>("clip.hands"), Qt::Key_Delete);
    CHECK(b.project().count() == 1);
    CHECK(b.project().at(0).name() == "wheel");
    CHECK(QFile::exists(inFolder(b, "hands.mp4"))); // off the shelf, not off the disk
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    REQUIRE(b.project().count() == 2);
    CHECK(b.project().currentClip()->name() == "hands");
}

TEST_CASE("the shelf's menu sorts and filters, ticks what is chosen, and opens the table of all clips") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    auto* shelf = b.find<ClipShelf>("clipShelf");
    const auto choose = [&](const char* words) {
        chooseFromMenu(words, [&] { b.find<QToolButton>("shelfMenu")->click(); });
    };
    const auto first = [&] { return b.project().at(shelf->shown()[0]).name(); };
    choose("By name");
    CHECK(first() == "hands");
    choose("As added");
    CHECK(first() == "wheel");
    choose("Largest file first");
    CHECK(QFileInfo(b.project().at(shelf->shown()[0]).path).size() >=
          QFileInfo(b.project().at(shelf->shown()[1]).path).size());
    choose("Noisy");
    CHECK(shelf->shown() == std::vector<int>{0});
    CHECK(b.find<QToolButton>("shelfMenu")->text().contains("1"));
    choose("All clips");
    CHECK(shelf->shown().size() == 2);
    const int shelfOnly = shelf->height();
    choose("All clips as a table");
    auto* facts = b.find<FactsSheet>("factsSheet");
    CHECK(waitFor([&] { return facts->isVisible() && shelf->height() > shelfOnly + 40; }));
    CHECK(facts->window() == &b.window); // part of the shelf, not a box above the window
    CHECK(b.find<QTableWidget>("factsTable")->rowCount() == 2);
    choose("All clips as a table");
    CHECK(waitFor([&] { return shelf->height() == shelfOnly; }));
    CHECK_FALSE(b.window.findChild<FactsSheet*>("factsSheet"));
}

TEST_CASE("? and the rail show every shortcut, and keys of the sheet do what it says") {
    Bench b;
    auto* sheet = b.find<KeySheet>("keySheet");
    for (const bool byKey : {true, false}) {
        const auto press = [&] {
            if (byKey)
                QTest::keyClick(&b.window, Qt::Key_Question);
            else
                b.find<QToolButton>("rail.keys")->click();
        };
        b.window.showPage(MainWindow::kTrials);
        CHECK_FALSE(sheet->isVisible());
        press();
        CHECK(sheet->isVisible());
        QStringList words;
        for (const QLabel* l : sheet->findChildren<QLabel*>()) words << l->text();
        CHECK(words.contains("Ctrl+Return"));
        CHECK(words.contains("add to run list"));
        CHECK(words.filter("worst frame").size() == 1);
        press(); // and back to where it was asked for
        CHECK_FALSE(sheet->isVisible());
        CHECK(b.window.trials().isVisible());
    }
    b.window.showPage(MainWindow::kBench);
    // "the worst frame": of the fault that is looked at.
    const Inspection& i = *b.project().currentClip()->inspection;
    REQUIRE(i.worst.contains("blocking"));
    b.live().faults().show("blocking");
    b.project().setPlayhead(i.worst.at("blocking").frame == 0 ? 1 : 0);
    QTest::keyClick(&b.window.bench(), Qt::Key_M);
    CHECK(b.project().currentClip()->playhead == i.worst.at("blocking").frame);
}

TEST_CASE("Trials by keys: arrows choose a column, space shows its whole frame, Return adopts it; a held cell shows "
          "the untreated spot") {
    Bench b;
    b.window.showPage(MainWindow::kTrials);
    TrialsModel& m = b.window.trials().model();
    chooseFromMenu("Sharpen", [&] { b.find<QPushButton>("trials.ramp")->click(); });
    REQUIRE(m.candidates().size() == 5);
    REQUIRE(waitFor([&] { return m.share() >= 1; }));
    // One spot at a time is as large as the window allows, and magnified: whole pixels, side by side.
    TrialsGrid& view = b.window.trials().grid();
    const QRect small = view.cellRect(0, 0);
    QTest::keyClick(&view, Qt::Key_2);
    CHECK(view.zoom() == 2);
    QTest::keyClick(&view, Qt::Key_Down);
    CHECK(view.spot() == 0);
    const QRect large = view.cellRect(0, 0);
    CHECK(large.width() > small.width() * 11 / 10);
    CHECK(view.cellRect(0, 1).isEmpty());
    const QImage magnified = view.grab(large).toImage().convertToFormat(QImage::Format_RGB32);
    int alike = 0;
    for (int k = 4; k < large.width() / 2 - 4; ++k)
        alike += magnified.pixel(2 * k, 40) == magnified.pixel(2 * k + 1, 40) ||
                 magnified.pixel(2 * k, 40) == magnified.pixel(2 * k - 1, 40);
    CHECK(alike > large.width() / 2 - 12);
    QTest::keyClick(&view, Qt::Key_Up);
    QTest::keyClick(&view, Qt::Key_1);
    CHECK(view.spot() == -1);
    CHECK(view.cellRect(0, 0) == small);
    chooseFromMenu("fewest faults left", [&] { b.find<QToolButton>("trials.rank")->click(); });
    CHECK(m.rankBy() == RankBy::Faults);
    TrialsGrid& grid = b.window.trials().grid();
    const QRect cell = grid.cellRect(4, 0);
    const QImage treated = grid.grab(cell).toImage();
    QTest::mousePress(&grid, Qt::LeftButton, {}, cell.center());
    const QRect inner(30, 30, 40, 40); // below the word in the corner
    const QImage held = grid.grab(cell).toImage().copy(inner);
    CHECK(held != treated.copy(inner));
    CHECK(held == grid.grab(grid.cellRect(-1, 0)).toImage().copy(inner));
    QTest::mouseRelease(&grid, Qt::LeftButton, {}, cell.center());
    CHECK(grid.grab(cell).toImage() == treated);

    std::size_t whole = 99;
    QObject::connect(&m, &TrialsModel::wholeFrame, &b.window, [&](std::size_t k, const QImage&) { whole = k; });
    QTest::keyClick(&grid, Qt::Key_Left); // there is none before the first
    QTest::keyClick(&grid, Qt::Key_Right);
    QTest::keyClick(&grid, Qt::Key_Right);
    QTest::keyClick(&grid, Qt::Key_Left);
    QTest::keyClick(&grid, Qt::Key_Space);
    REQUIRE(waitFor([&] { return whole != 99; }));
    CHECK(whole == m.order()[1]);
    const Ticket wanted = m.candidates()[m.order()[1]].ticket;
    QTest::keyClick(&grid, Qt::Key_Return);
    CHECK(b.ticket() == wanted);
    CHECK(b.window.bench().isVisible());
}

TEST_CASE("a grid of trials that cannot be written is told, with what to do") {
    Bench b;
    b.window.showPage(MainWindow::kTrials);
    TrialsModel& m = b.window.trials().model();
    m.tryRamp("clean.noise");
    REQUIRE(waitFor([&] { return m.share() >= 1; }));
    const QString good = inFolder(b, "grid.png");
    chooseFile(good, [&] { b.find<QPushButton>("trials.save")->click(); });
    INFO(QDir(QString::fromStdString(b.folder.path())).entryList().join(" ").toStdString());
    CHECK(QImage(good).width() > 500);
    b.window.trials().exportSheet(inFolder(b, "no such folder/grid.png"));
    CHECK(b.find<ErrorNote>("errorNote")->isVisible());
    CHECK(b.find<ErrorNote>("errorNote")->text().contains("Choose another folder"));
}

TEST_CASE("from a clip to the run list without the mouse: advice, destinations, and the ticket in a file") {
    Bench b;
    REQUIRE(b.settle());
    const auto press = [&](Qt::Key key, Qt::KeyboardModifiers with = {}) {
        QTest::keyClick(&b.window.bench(), key, with);
    };
    REQUIRE_FALSE(openAdvice(*b.project().currentClip()).empty());
    press(Qt::Key_A);
    CHECK(openAdvice(*b.project().currentClip()).empty());
    CHECK_FALSE(b.ticket() == Ticket());
    const Ticket advised = b.ticket();
    press(Qt::Key_A); // nothing is left: said, and nothing changed
    CHECK(b.ticket() == advised);
    CHECK(b.table().told().contains("All that was advised"));

    auto* chips = b.find<TargetBar>("targetBar");
    const auto first = chips->findChildren<TargetChip*>()[1]->accessibleName();
    press(Qt::Key_2, Qt::AltModifier);
    REQUIRE(b.project().ticked().size() == 1);
    CHECK(first.contains(QString::fromStdString(b.project().ticked()[0].title)));
    press(Qt::Key_2, Qt::AltModifier);
    CHECK(b.project().ticked().empty());
    press(Qt::Key_9, Qt::AltModifier);
    CHECK(b.project().ticked().empty());
    CHECK(b.table().told().contains("no such destination"));

    chooseFile(inFolder(b, "quick.ticket.json"), [&] { press(Qt::Key_S, Qt::ControlModifier); });
    CHECK(loadTicket(b.folder / "quick.ticket.json") == advised);
    CHECK_FALSE(b.table().safeAreas()); // which S alone shows
    press(Qt::Key_E);
    for (const Qt::Key key : {Qt::Key_C, Qt::Key_X, Qt::Key_W, Qt::Key_A}) press(key, Qt::ControlModifier);
    press(Qt::Key_C, Qt::AltModifier);
    CHECK_FALSE(b.find("scopes")->isVisible());
    CHECK(b.table().compare() == ViewingTable::Compare::Pair);

    // The advice's links are reached by Tab, and followed by Return.
    b.project().undo();
    REQUIRE(waitFor([&] { return b.find<QLabel>("ticketAdvice")->text().contains("apply"); }));
    auto* advice = b.find<QLabel>("ticketAdvice");
    advice->setFocus(Qt::TabFocusReason);
    CHECK(advice->hasFocus());
    QTest::keyClick(advice, Qt::Key_Tab);
    QTest::keyClick(advice, Qt::Key_Return);
    CHECK(b.ticket() == advised);

    b.project().takeOff({0}); // with no clip they say what is missing
    for (const bool save : {true, false}) {
        b.table().hint({});
        save ? press(Qt::Key_S, Qt::ControlModifier) : press(Qt::Key_A);
        CHECK(b.table().told().contains("Add a clip first"));
    }
}

TEST_CASE("a ticket is saved and loaded by the menu, and one that makes no sense is told and changes nothing") {
    Bench b;
    const auto choose = [&](const char* words, const QString& file) {
        chooseFile(file, [&] { chooseFromMenu(words, [&] { b.find<QToolButton>("ticketMenu")->click(); }); });
    };
    b.set({"clean.blocks=41", "finish.sharpen.amount=0.75"});
    const Ticket kept = b.ticket();
    choose("Save ticket as…", inFolder(b, "mine.ticket.json"));
    REQUIRE(QFile::exists(inFolder(b, "mine.ticket.json")));
    b.set({"clean.blocks=3"});
    choose("Load ticket…", inFolder(b, "mine.ticket.json"));
    CHECK(b.ticket() == kept);
    b.project().undo();
    CHECK(b.ticket().clean.blocks.value == 3);
    writeFileWhole(b.folder / "broken.ticket.json", "{\"clean\": {\"noise\": \"a lot\"}}");
    choose("Load ticket…", inFolder(b, "broken.ticket.json"));
    CHECK(b.ticket().clean.blocks.value == 3);
    CHECK(b.find<ErrorNote>("errorNote")->text().contains("broken.ticket.json"));

    choose("Save what was found…", inFolder(b, "found.json"));
    CHECK(nlohmann::json::parse(readTextFile(b.folder / "found.json")).contains("readings"));
    choose("Save what was found…", inFolder(b, "found.csv"));
    CHECK(readTextFile(b.folder / "found.csv").find("blocking") != std::string::npos);
}

TEST_CASE("targets are chosen by keys and watched by menu; a chip says what is too long, squeezed, or over") {
    TempFolder cards;
    const auto card = [&](const std::string& name, const std::string& limits) {
        writeFileWhole(cards / (name + ".json"),
                       "{\"name\":\"" + name + "\",\"title\":\"" + name + "\"," + limits + "}");
    };
    card("brief", "\"max_seconds\": 0.5");
    card("roomy", "\"max_mb\": 500");
    card("tight", "\"max_mb\": 0.06");
    card("tiny", "\"max_mb\": 0.004");
    card("open", "\"max_fps\": 60");
    setenv("ULMWOOD_TARGETS", cards.path().c_str(), 1);
    Bench b;
    unsetenv("ULMWOOD_TARGETS");
    for (const char* name : {"brief", "roomy", "tight", "tiny", "open"})
        if (!b.project().watched().contains(name))
            chooseFromMenu(name, [&] { b.find<QToolButton>("chooseTargets")->click(); });
    REQUIRE(b.gauges());
    const auto state = [&](const char* name) { return b.find<TargetChip>(name)->state(); };
    CHECK(state("target.brief").words.endsWith("s too long"));
    CHECK(state("target.brief").verdict == FitState::Verdict::Over);
    CHECK(state("target.roomy").verdict == FitState::Verdict::Fits);
    CHECK(state("target.roomy").words.endsWith("of 500 MB"));
    CHECK(state("target.open").words.startsWith("about"));
    CHECK(state("target.tiny").verdict == FitState::Verdict::Over);
    CHECK(state("target.tiny").words.endsWith("MB over"));
    CHECK(state("target.tight").share > state("target.roomy").share);

    auto* chip = b.find<TargetChip>("target.roomy");
    chip->setFocus();
    QTest::keyClick(chip, Qt::Key_Space);
    CHECK(b.project().chosen().contains("roomy"));
    CHECK(b.find<TargetChip>("target.roomy") == chip); // it keeps the focus
    QTest::keyClick(chip, Qt::Key_Space);
    CHECK_FALSE(b.project().chosen().contains("roomy"));
    QTest::keyClick(chip, Qt::Key_Return);
    CHECK(b.project().onTable() == "roomy");
    CHECK_FALSE(b.project().chosen().contains("roomy"));
    QTest::keyClick(chip, Qt::Key_Return);
    CHECK(b.project().onTable().empty());
    QTest::keyClick(chip, Qt::Key_Return);
    QTest::keyClick(chip, Qt::Key_Space);
    chooseFromMenu("roomy", [&] { b.find<QToolButton>("chooseTargets")->click(); });
    CHECK_FALSE(b.project().watched().contains("roomy"));
    CHECK(b.project().onTable().empty());
    CHECK_FALSE(b.project().chosen().contains("roomy")); // what is not watched is not delivered to either
}

TEST_CASE("a kept run list comes back with its outcomes; what was interrupted starts again, nonsense is left out") {
    TempFolder session;
    TempFolder clips;
    const QString clip = QString::fromStdString(clips / "hands.mp4");
    QFile::copy(QString::fromStdString(demoClips() / "hands.mp4"), clip);
    using nlohmann::json;
    const auto run = [&](const char* state, const char* name) {
        return json{{"clip", clip.toStdString()},
                    {"output", clips / name},
                    {"ticket", toJson(Ticket{})},
                    {"state", state},
                    {"words", "told then"}};
    };
    {
        MainWindow w(QString::fromStdString(session.path()));
        w.restore();
        w.project().addFiles({clip});
        REQUIRE(waitFor([&] { return w.project().at(0).inspection != nullptr; }));
        w.project().keepNow();
    }
    const std::string file = session / "session.json";
    REQUIRE(waitFor([&] { return QFile::exists(QString::fromStdString(file)); }));
    json kept = json::parse(readTextFile(file));
    json nonsense = run("done", "x.mp4");
    nonsense["ticket"] = 7;
    kept["runs"] = {run("done", "a.mp4"),      nonsense,          run("failed", "b.mp4"),
                    run("cancelled", "c.mp4"), json{{"clip", 3}}, run("running", "d.mp4")};
    writeFileWhole(file, kept.dump());
    MainWindow w(QString::fromStdString(session.path()));
    w.restore();
    const auto& items = w.runs().items();
    REQUIRE(items.size() == 4);
    using S = RunItem::State;
    CHECK(items[0].state == S::Done);
    CHECK(items[0].words == "told then");
    CHECK(items[1].state == S::Failed);
    CHECK(items[2].state == S::Cancelled);
    REQUIRE(waitFor([&] { return items[3].state == S::Done; }));
    CHECK(QFile::exists(QString::fromStdString(clips / "d.mp4")));
    CHECK_FALSE(QFile::exists(QString::fromStdString(clips / "a.mp4"))); // done is not done again
}
