#include "app/shelf/clip_shelf.h"
#include "app/spots/spots_column.h"
#include "app/trials/trials_page.h"
#include "app/words/sentences.h"
#include "core/base/files.h"
#include "tests/window/fixture.h"

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
    j["ulmwood_inspection"] = 1; // from before the yield meant what it does now
    writeFileWhole(file, j.dump());
    CHECK(look() == Approx(first));
    writeFileWhole(file, "{\"ulmwood_inspection\": 3");
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
    CHECK(b.live().table().leftView() == View::Result);
    CHECK(b.find<QToolButton>("side.left")->text().startsWith("Result"));
    choose("side.left", "Original");
    CHECK(b.live().table().leftView() == View::Original);
    choose("faults", "No overlay");
    CHECK(b.live().faults().key().isEmpty());
    CHECK_FALSE(b.find<QToolButton>("faults")->isChecked());
    b.live().faults().show("text");
    REQUIRE(waitFor([&] { return b.live().faults().view().fresh; }));
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
    REQUIRE(waitFor(
        [&] { return std::ranges::all_of(items, [](const RunItem& r) { return r.state == RunItem::State::Done; }); },
        60000));
    for (const RunItem& r : items) CHECK(QFileInfo::exists(r.output));
}

TEST_CASE("a card tells the worst that was found, and calls nothing clean that is not") {
    Bench b({"wheel"});
    auto* card = b.find<ClipCard>("clip.wheel");
    b.find([](Inspection& i) { i = {}; });
    CHECK(card->told().toStdString() == "2 s · clean");
    b.find([](Inspection& i) { i.fieldOrder = "top"; });
    CHECK(card->told().toStdString() == "2 s · interlaced");
    b.find([](Inspection& i) { i.readings.blocking = 9, i.timing.missing = 2, i.timing.gaps = {3}; });
    CHECK(card->told().startsWith("2 s · "));
    CHECK(card->told().endsWith(" +2"));
    b.find([](Inspection& i) { i = {}, i.readings.blocking = 9; });
    CHECK(card->told().toStdString() == "2 s · blocky 9");
    for (const auto& [key, said] :
         {std::pair("crushed", "crushed"), {"banding", "banding"}, {"stairs", "stair-steps"}}) {
        b.find([k = findReading(key)](Inspection& i) { i = {}, i.readings.*k->member = 3 * k->notable; });
        CHECK(card->told().toStdString() == std::string("2 s · ") + said);
    }
}

TEST_CASE("a clip is called what its file is called, whatever that is, and told from others of its name") {
    Bench b({"wheel"});
    const QString was = b.project().at(0).path, folder = QFileInfo(was).path();
    const QString odd = folder + "/Q&A <b>best<i> %1 %2.mp4", again = folder + "/other/wheel.mp4";
    REQUIRE(QFile::copy(was, odd));
    REQUIRE(QDir(folder).mkdir("other"));
    REQUIRE(QFile::copy(was, again));
    b.project().addFiles({odd, again});
    REQUIRE(b.project().count() == 3);
    b.project().setCurrent(1);
    REQUIRE(b.settle());
    auto* title = b.find<QLabel>("ticketTitle");
    CHECK(title->text() == "Q&A <b>best<i> %1 %2");
    CHECK(title->textFormat() == Qt::PlainText);
    b.project().setCurrent(2);
    CHECK(title->text() == "other/wheel.mp4");
    CHECK(b.project().nameOf(0).endsWith("/wheel.mp4"));
    b.project().takeOff({2});
    CHECK(b.project().nameOf(0) == "wheel");
}

TEST_CASE("the right-click of a card copies one step to the marked clips, and takes a clip off the shelf") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    b.set({"finish.sharpen.amount=1.25", "clean.blocks=40"});
    auto* card = b.find<ClipCard>("clip.hands");
    chooseAt(card, {20, 20}, "Only Finish");
    CHECK(b.project().at(1).ticket.finish.amount == 1.25);
    CHECK_FALSE(b.project().at(1).ticket.clean.on);
    chooseAt(card, {20, 20}, "Take this clip off the shelf");
    CHECK(b.project().count() == 1);
    CHECK(b.project().at(0).name() == "wheel");
}

TEST_CASE("several clips at once take each its own advice, go to the run list, and are taken off the shelf") {
    Bench b({"wheel", "hands"});
    const QString third = QString::fromStdString(b.folder / "third.mp4");
    REQUIRE(QFile::copy(b.project().at(1).path, third));
    b.project().addFiles({third});
    REQUIRE(waitFor(
        [&] {
            for (int i = 0; i < 3; ++i)
                if (!b.project().at(i).inspection) return false;
            return true;
        },
        20000));
    const auto open = [&](int i) { return openAdvice(b.project().at(i)).size(); };
    REQUIRE(open(0) > 0);
    REQUIRE(open(1) > 0);
    b.project().setChosen(std::set<std::string>{});
    auto* const card = b.find<ClipCard>("clip.wheel");
    for (const char* name : {"clip.wheel", "clip.hands"})
        QTest::mouseClick(b.find(name), Qt::LeftButton, Qt::ControlModifier);
    const Ticket untouched = b.project().at(2).ticket;
    chooseAt(card, {20, 20}, "Put advice on the tickets of 2 clips");
    CHECK(open(0) == 0);
    CHECK(open(1) == 0);
    CHECK(b.project().at(2).ticket == untouched);
    CHECK_FALSE(b.project().at(0).ticket == b.project().at(1).ticket);

    auto* const menu = b.find<QToolButton>("shelfMenu");
    const auto choose = [&](const char* words) { chooseFromMenu(words, [&] { menu->click(); }); };
    choose("Add 2 clips to run list"); // those that are marked
    REQUIRE(b.window.runs().items().size() == 2);
    CHECK(b.window.runs().items()[0].clip == b.project().at(0).path);
    CHECK(b.window.runs().items()[1].ticket == b.project().at(1).ticket);
    choose("Mark none");
    CHECK_FALSE(card->marked());
    choose("Mark all");
    CHECK(b.find<ClipCard>("clip.third")->marked());
    choose("Mark none");
    choose("Add 3 clips to run list"); // all that are shown; two of them are on it
    CHECK(b.window.runs().items().size() == 3);
    b.window.showPage(MainWindow::kRunList);
    b.find<QPushButton>("cancelAll")->click();
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
    for (const RunItem& r : b.window.runs().items())
        CHECK(r.state == RunItem::State::Cancelled); // none began meanwhile
    CHECK_FALSE(b.find("cancelAll")->isVisible());
    b.find<QPushButton>("allAgain")->click();
    CHECK_FALSE(b.find("allAgain")->isVisible());
    for (const RunItem& r : b.window.runs().items()) CHECK(isOpen(r));
    b.find<QPushButton>("cancelAll")->click();
    REQUIRE(waitFor([&] { return !b.window.runs().running(); }));
    b.find<QPushButton>("clearFinished")->click();
    CHECK(b.window.runs().items().empty());
    b.window.showPage(MainWindow::kBench);
    choose("Mark all");
    const Ticket first = b.project().at(0).ticket;
    choose("Take 3 clips off the shelf");
    CHECK(b.project().count() == 0);
    REQUIRE(menu->isVisible()); // there is still something to choose
    choose("Bring 3 clips back");
    REQUIRE(b.project().count() == 3);
    CHECK(b.project().at(0).ticket == first);
    CHECK(b.find<ClipCard>("clip.third")->index() == 2);
    REQUIRE(b.settle());
}

TEST_CASE("clips taken off the shelf come back as they were, once, and not beside themselves") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(1);
    b.set({"finish.sharpen.amount=1.25"});
    const QString path = b.project().at(1).path;
    const auto undo = [&] { QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier); };
    b.project().takeOff({1});
    CHECK(b.project().current() == 0);
    undo();
    REQUIRE(b.project().count() == 2);
    CHECK(b.project().current() == 1);
    CHECK(b.project().at(1).path == path);
    CHECK(b.project().at(1).ticket.finish.amount == 1.25);
    const auto redo = [&] { QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier); };
    redo();
    REQUIRE(b.project().count() == 1);
    CHECK(b.project().at(0).path != path);
    undo();
    REQUIRE(b.project().count() == 2);
    CHECK(b.project().current() == 1);
    undo(); // what was done before that
    CHECK(b.project().at(1).ticket.finish.amount == Ticket().finish.amount);
    redo(); // of the ticket, which was undone last
    CHECK(b.project().count() == 2);
    CHECK(b.project().at(1).ticket.finish.amount == 1.25);
    undo();
    CHECK(b.project().at(1).ticket.finish.amount == Ticket().finish.amount);
    REQUIRE(b.settle());

    b.project().takeOff({1});
    b.set({"finish.sharpen.amount=0.75"}); // of the clip that is left: this is what is undone now
    undo();
    CHECK(b.project().count() == 1);
    CHECK(b.project().at(0).ticket.finish.amount == Ticket().finish.amount);
    b.project().addFiles({path});
    REQUIRE(b.project().count() == 2);
    b.project().bringClipsBack();
    CHECK(b.project().count() == 2);
    CHECK(b.project().takenOff().isEmpty());
    REQUIRE(b.settle());

    // Before it was opened or looked over: that goes on when it is back.
    const QString third = QString::fromStdString(b.folder / "third.mp4");
    REQUIRE(QFile::copy(path, third));
    b.project().addFiles({third});
    b.project().takeOff({2});
    QTest::qWait(300);
    b.project().bringClipsBack();
    REQUIRE(b.project().count() == 3);
    CHECK(waitFor([&] { return b.project().at(2).clip && b.project().at(2).inspection; }, 20000));
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
    REQUIRE(waitFor([&] { return m.share() >= 1; }));
    QImage whole;
    QObject::connect(&m, &TrialsModel::wholeFrame, &b.window,
                     [&](std::size_t, const QImage& picture) { whole = picture; });
    QTest::mouseClick(&b.window.trials().grid(), Qt::LeftButton, {}, b.window.trials().grid().headRect(2).center());
    REQUIRE(waitFor([&] { return !whole.isNull(); }));
    CHECK(whole.width() == b.plan().width);
    b.project().setCurrent(1);
    CHECK(m.candidates().empty());
}

TEST_CASE("a spot that watches movement loops a few frames, before and after, until it is moved to something else") {
    Bench b({"hands"});
    ClipEntry& c = *b.project().currentClip();
    b.project().setSpots({{"motion", 12, 160, 90, false}});
    REQUIRE(b.settle());
    const SpotPicture& s = b.live().spots().pictures()[0];
    REQUIRE(s.loopAfter.size() == 7);
    CHECK(s.loopBefore.size() == 7);
    CHECK(s.loopAfter[3] == s.after); // the middle one is the spot's own frame
    CHECK(s.loopAfter[0] != s.loopAfter[6]);
    auto* view = b.find<SpotView>("spot.A");
    const QRect picture = view->square();
    const QImage first = view->grab(picture).toImage();
    CHECK(waitFor([&] { return view->grab(picture).toImage() != first; }));
    auto spots = c.spots;
    spots[0].what = "blocking";
    b.project().setSpots(spots);
    REQUIRE(b.settle());
    CHECK(b.live().spots().pictures()[0].loopAfter.empty());
    const QImage still = view->grab(picture).toImage();
    QTest::qWait(400);
    CHECK(view->grab(picture).toImage() == still);
}

TEST_CASE("the ticket's menu keeps a ticket to compare, swaps and forgets it, and copies one step to every clip") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    const auto choose = [&](const QString& words) {
        chooseFromMenu(words, [&] { b.find<QToolButton>("ticketMenu")->click(); });
    };
    b.set({"clean.blocks=10"});
    choose("Keep this ticket to compare");
    REQUIRE(b.project().currentClip()->kept);
    b.set({"clean.blocks=60"});
    choose("Swap with the kept ticket");
    CHECK(b.ticket().clean.blocks.value == 10);
    CHECK(b.project().currentClip()->kept->clean.blocks.value == 60);
    b.project().undo();
    CHECK(b.ticket().clean.blocks.value == 60);
    choose("Forget the kept ticket");
    CHECK_FALSE(b.project().currentClip()->kept);
    choose("Copy this ticket to every clip");
    CHECK(b.project().at(1).ticket.clean.blocks.value == 60);
}

TEST_CASE(
    "what a kept session says of spots, stretches and the kept ticket is bounded, and a broken one is set aside") {
    TempFolder session;
    const std::string file = session / "session.json";
    {
        Bench b({"wheel"}, QString::fromStdString(session.path()));
        b.project().setStretches({{0.1, 0.3}});
        b.set({"clean.blocks=12"});
        b.project().keepTicket();
        b.project().keepNow();
        REQUIRE(waitFor([&] {
            return QFileInfo::exists(QString::fromStdString(file)) &&
                   readTextFile(file).find("kept") != std::string::npos;
        }));
    }
    auto j = nlohmann::json::parse(readTextFile(file));
    CHECK(j["clips"][0]["stretches"][0][1] == 0.3);
    j["phone_height"] = 1e9;
    j["clips"][0]["spots"] = {
        {{"what", "blocking"}, {"frame", -50}, {"x", -9e9}, {"y", 1e12}, {"magnification", 99}, {"height", 123456}}};
    writeFileWhole(file, j.dump());
    {
        MainWindow again(QString::fromStdString(session.path()));
        again.restore();
        CHECK(again.project().phoneHeight() <= 8000);
        const ClipEntry& c = again.project().at(0);
        REQUIRE(c.kept);
        CHECK(c.kept->clean.blocks.value == 12);
        CHECK(c.stretches.size() == 1);
        REQUIRE(c.spots.size() == 1);
        CHECK(c.spots[0].magnification == 2);
        CHECK(c.spots[0].height <= 2000);
    }
    j["clips"][0]["stretches"] = "none";
    writeFileWhole(file, j.dump());
    MainWindow broken(QString::fromStdString(session.path()));
    broken.restore();
    CHECK(broken.project().count() == 0);
    CHECK(QFileInfo::exists(QString::fromStdString(file) + ".unreadable"));
}
