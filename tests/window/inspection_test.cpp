#include "app/bench/clip_shelf.h"
#include "app/bench/spots_column.h"
#include "app/trials/trials_page.h"
#include "core/files.h"
#include "tests/window/fixture.h"

#include <QContextMenuEvent>
#include <QDir>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

TEST_CASE("a kept inspection is used again, and made anew when it cannot be read or its clip has changed") {
    TempFolder session;
    const QString folder = QString::fromStdString(session.path());
    const auto kept = [&] { return QDir(folder + "/inspections").entryInfoList({"*.json"}, QDir::Files); };
    TempFolder clips;
    const QString clip = QString::fromStdString(clips / "wheel.mp4");
    QFile::copy(QString::fromStdString(demoClips() / "wheel.mp4"), clip);
    const auto look = [&] {
        MainWindow w(folder);
        w.restore();
        if (w.project().count() == 0) w.project().addFiles({clip});
        REQUIRE(waitFor([&] { return w.project().count() == 1 && w.project().at(0).inspection; }));
        return w.project().at(0).inspection->readings.blocking;
    };
    const double first = look();
    REQUIRE(kept().size() == 1);
    // What is kept is what is shown: a changed figure comes back.
    const std::string file = kept()[0].filePath().toStdString();
    auto j = nlohmann::json::parse(readTextFile(file));
    j["readings"]["blocking"] = 77;
    writeFileWhole(file, j.dump());
    CHECK(look() == 77);
    writeFileWhole(file, "{\"ulmwood_inspection\": 1");
    CHECK(look() == Approx(first));
    // Another state of the file is another clip.
    QFile::remove(clip);
    QFile::copy(QString::fromStdString(demoClips() / "hands.mp4"), clip);
    CHECK(look() != Approx(first));
    CHECK(kept().size() == 2);
}

TEST_CASE("the menus of the table's bar choose sides, faults and ways to look") {
    Bench b;
    const auto choose = [&](const char* button, const QString& words) {
        chooseFromMenu(words, [&] { b.find<QToolButton>(button)->click(); });
    };
    choose("side.left", "Result");
    CHECK(b.live().leftView() == View::Result);
    CHECK(b.find<QToolButton>("side.left")->text().startsWith("Result"));
    choose("side.left", "Original");
    CHECK(b.live().leftView() == View::Original);
    choose("faults", "No overlay");
    CHECK(b.live().fault().isEmpty());
    CHECK_FALSE(b.find<QToolButton>("faults")->isChecked());
    b.live().setFault("text");
    REQUIRE(waitFor([&] { return b.live().faultView().fresh; }));
    CHECK(b.find<QToolButton>("faults")->isChecked());
    CHECK(b.find<QToolButton>("faults")->text().startsWith("Letters"));
    choose("faults", "No overlay");
    choose("look", "400 %");
    CHECK(b.table().zoom() == 4);
    choose("look", "50 %");
    CHECK(b.table().zoom() == 0.5);
    choose("look", "As on a phone");
    CHECK(b.table().zoom() == ViewingTable::kPhone);
    choose("look", "Safe areas (S)");
    CHECK(b.table().safeAreas());
    choose("look", "Difference ×16");
    CHECK(b.table().compare() == ViewingTable::Compare::Difference);
    CHECK(b.table().gain() == 16);
    b.table().setWipeAngle(40);
    choose("look", "Divider upright again");
    CHECK(b.table().wipeAngle() == 0);
    CHECK(b.find<QToolButton>("compare.difference")->isChecked());
}

TEST_CASE("shuttling runs faster at each press, back as well, and stops at the ends") {
    Bench b({"hands"});
    Player& p = b.window.bench().player();
    b.project().setPlayhead(0);
    QTest::keyClick(&b.window.bench(), Qt::Key_L);
    CHECK(p.speed() == 1);
    QTest::keyClick(&b.window.bench(), Qt::Key_L);
    CHECK(p.speed() == 2);
    QTest::keyClick(&b.window.bench(), Qt::Key_L);
    CHECK(p.speed() == 4);
    REQUIRE(waitFor([&] { return b.project().currentClip()->playhead > 10; }));
    QTest::keyClick(&b.window.bench(), Qt::Key_J);
    CHECK(p.speed() == -1);
    REQUIRE(waitFor([&] { return !p.playing() && b.project().currentClip()->playhead == 0; }));
    CHECK(p.speed() == 0);
}

TEST_CASE("a further stretch is a delivery of its own") {
    Bench b;
    b.set({"stretch.on=true", "stretch.from=0.2", "stretch.to=0.4"});
    b.project().setStretches({{0.5, 0.7}, {0.8, 0.9}});
    b.window.addToRunList();
    const auto& items = b.window.runs().items();
    REQUIRE(items.size() == 3);
    CHECK(items[0].ticket.stretch.from == 0.2);
    CHECK(items[1].ticket.stretch.from == 0.5);
    CHECK(items[2].ticket.stretch.to == 0.9);
    CHECK(items[0].output != items[1].output);
    CHECK(b.ticket().stretch.from == 0.2);
    REQUIRE(waitFor([&] { return std::ranges::all_of(items, [](const RunItem& r) { return r.state == RunItem::State::Done; }); }, 60000));
    for (const RunItem& r : items) CHECK(QFileInfo::exists(r.output));
}

TEST_CASE("the right-click of a card copies one step to the marked clips, and takes a clip off the shelf") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    b.set({"finish.sharpen.amount=1.25", "clean.blocks=40"});
    auto* card = b.find<ClipCard>("clip.hands");
    const auto menuOf = [&] {
        QContextMenuEvent e(QContextMenuEvent::Mouse, {20, 20}, card->mapToGlobal(QPoint(20, 20)));
        QApplication::sendEvent(card, &e);
    };
    // The entry stands in a submenu: its action is found there.
    bool copied = false;
    QTimer::singleShot(50, [&] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        if (!menu) return;
        for (QMenu* sub : menu->findChildren<QMenu*>())
            for (QAction* a : sub->actions())
                if (a->text() == "Only Finish") copied = true, a->trigger();
        menu->close();
    });
    menuOf();
    CHECK(copied);
    CHECK(b.project().at(1).ticket.finish.amount == 1.25);
    CHECK_FALSE(b.project().at(1).ticket.clean.on);
    chooseFromMenu("Take off the shelf", menuOf);
    CHECK(b.project().count() == 1);
    CHECK(b.project().at(0).name() == "wheel");
}

TEST_CASE("Trials say what is missing before they can be made, and forget a clip that is left") {
    Bench empty(QStringList{});
    empty.window.showPage(MainWindow::kTrials);
    CHECK_FALSE(empty.find<QPushButton>("trials.advice")->isEnabled());
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    b.window.showPage(MainWindow::kTrials);
    CHECK(b.find<QPushButton>("trials.advice")->isEnabled());
    CHECK_FALSE(b.find<QPushButton>("trials.save")->isVisible());
    TrialsModel& m = b.window.trials().model();
    m.tryRamp("clean.noise");
    REQUIRE(m.candidates().size() == 5);
    CHECK(b.find<QLabel>("trials.state")->text().contains("computed"));
    m.setBlind(true); // not before all is there
    CHECK_FALSE(m.blind());
    REQUIRE(waitFor([&] { return m.share() >= 1; }, 60000));
    QImage whole;
    QObject::connect(&m, &TrialsModel::wholeFrame, &b.window, [&](std::size_t, const QImage& picture) { whole = picture; });
    QTest::mouseClick(&b.window.trials().grid(), Qt::LeftButton, {}, b.window.trials().grid().headRect(2).center());
    REQUIRE(waitFor([&] { return !whole.isNull(); }));
    CHECK(whole.width() == b.live().pipeline()->plan.width);
    b.project().setCurrent(1);
    CHECK(m.candidates().empty());
}
