// The crop that follows, through the window: chosen, seen to move, bent by a drag, given something to follow by a
// click.
#include "app/tasks/background.h"
#include "app/ticket/crop_map.h"
#include "core/ticket/frame_step.h"
#include "tests/window/fixture.h"

#include <QLabel>
#include <QPushButton>
#include <QRegularExpression>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

void choose(Bench& b, const char* row, const QString& words) {
    for (QPushButton* p : b.find(row)->findChildren<QPushButton*>())
        if (p->text() == words) return QTest::mouseClick(p, Qt::LeftButton);
    FAIL("no choice " << words.toStdString());
}

double windowX(Bench& b) { return b.plan().srcX; }

} // namespace

TEST_CASE("a crop that follows says so, shows its path on the reel and moves with the playhead") {
    Bench b({"hands"});
    REQUIRE(waitFor([&] { return bool(b.project().currentClip()->inspection); }));
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.aspect=9:16"});
    REQUIRE(b.settle());
    QTest::keyClick(b.window.bench().ticket().step("frame"), Qt::Key_Return);
    REQUIRE(waitFor([&] { return b.find("frame.follow")->isVisible(); }));
    const QImage reelBefore = b.window.bench().reel().grab().toImage();
    CHECK(b.find("frame.x")->isVisible());
    choose(b, "frame.follow", "Follow");
    CHECK(b.ticket().frame.follow == "subject");
    REQUIRE(b.settle());
    CHECK_FALSE(b.find("frame.x")->isVisible());
    CHECK(b.find<QLabel>("sentence.frame")->text().contains("following the subject"));
    const QString why = b.find<QLabel>("frame.why")->text();
    CHECK(QRegularExpression("^In this shot: (a thing that moves|what (moves|stands out))\u00a0[0-9]+\u00a0%")
              .match(why)
              .hasMatch());
    // The little picture shows this frame, and outlines what the network sees on it.
    b.project().setPlayhead(40);
    auto* map = b.find<CropMap>("frame.crop");
    const auto pot = [](const Thing& t) { // in the middle, hands beside it
        const Rect& r = t.mark.box;
        return t.being == Being::Thing && r.w > 60 && std::abs(r.x + r.w / 2 - 160) < 30;
    };
    REQUIRE(waitFor([&] { return std::ranges::any_of(map->things(), pot); }, 20000));
    const QImage outlined = map->grab().toImage();
    QRectF inner = map->window(); // the pot stands in it
    choose(b, "frame.follow", "Fixed");
    REQUIRE(waitFor([&] { return map->things().empty(); }, 20000));
    REQUIRE(b.settle());
    const QImage bare = map->grab().toImage();
    int drawn = 0;
    inner = inner.intersected(map->window()).adjusted(4, 4, -4, -4);
    for (int x = int(inner.left()); x < int(inner.right()); ++x)
        for (int y = int(inner.top()); y < int(inner.bottom()); ++y)
            drawn += std::abs(qGray(bare.pixel(x, y)) - qGray(outlined.pixel(x, y))) > 20;
    CHECK(drawn > 60);
    choose(b, "frame.follow", "Follow");
    REQUIRE(b.settle());
    // The path lies over the thumbnails.
    const QImage reelAfter = b.window.bench().reel().grab().toImage();
    int changed = 0;
    for (int x = 0; x < reelAfter.width(); ++x)
        for (int y = 0; y < 44; ++y) changed += reelBefore.pixel(x, y) != reelAfter.pixel(x, y);
    CHECK(changed > reelAfter.width());

    b.set({"frame.pins=0.2:0.3,0.5 1.6:0.6,0.5"});
    const ClipPtr clip = b.project().currentClip()->clip;
    const auto windowAt = [&](double seconds) {
        b.project().setPlayhead(clip->frameAt(seconds));
        return windowX(b);
    };
    const double way = 0.3 * clip->facts().video.width; // source pixels
    CHECK(windowAt(1.6) - windowAt(0.2) == Approx(way).margin(1));
    b.set({"frame.pins=none"});

    // Dragging the picture with Shift pins it here, and it comes off again.
    b.project().setPlayhead(40);
    REQUIRE(b.settle());
    const double before = windowX(b);
    const QPoint middle = b.table().pictureRect().center().toPoint();
    drag(&b.table(), middle, middle + QPoint(before > 60 ? 40 : -40, 0), Qt::LeftButton, Qt::ShiftModifier);
    REQUIRE(pinsFrom(b.ticket().frame.pins).size() == 1);
    CHECK(std::abs(windowX(b) - before) > 3);
    auto* free = b.find<QToolButton>("frame.pins.none");
    REQUIRE(waitFor([&] { return free->isVisible() && free->height() > 5; }));
    CHECK(free->text() == "Free 1 place");
    QTest::mouseClick(free, Qt::LeftButton);
    CHECK(b.ticket().frame.pins.empty());
    CHECK(windowX(b) == Approx(before).margin(0.5));
    b.project().undo();
    CHECK(pinsFrom(b.ticket().frame.pins).size() == 1);
}

namespace {

// Chooses to follow, and clicks on the middle of the picture. Returns the ticket as it was before the click.
Ticket clickOnSubject(Bench& b) {
    REQUIRE(waitFor([&] { return bool(b.project().currentClip()->inspection); }));
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.aspect=9:16"});
    b.project().setPlayhead(20);
    REQUIRE(b.settle());
    QTest::keyClick(b.window.bench().ticket().step("frame"), Qt::Key_Return);
    auto* pick = b.find<QPushButton>("pickSubject");
    choose(b, "frame.follow", "Follow");
    REQUIRE(waitFor([&] { return pick->isVisible() && pick->height() > 10; }));
    const Ticket before = b.ticket();
    QTest::mouseClick(pick, Qt::LeftButton);
    REQUIRE(b.table().askingForPlace());
    QTest::mouseClick(&b.table(), Qt::LeftButton, {}, b.table().pictureRect().center().toPoint());
    return before;
}

} // namespace

TEST_CASE("what is clicked on is followed through its shot, in one step that can be undone") {
    Bench b({"hands"});
    const Ticket before = clickOnSubject(b);
    CHECK(b.table().isTelling());
    REQUIRE(waitFor([&] { return !b.ticket().frame.pins.empty(); }));
    CHECK_FALSE(b.table().isTelling());
    CHECK(pinsFrom(b.ticket().frame.pins).size() >= 1);
    // It is in sight on every pinned instant of its shot.
    for (const FramePin& p : pinsFrom(b.ticket().frame.pins)) {
        const auto& clip = *b.project().currentClip()->clip;
        b.project().setPlayhead(clip.frameAt(p.seconds + 1e-4));
        const double x = p.x * clip.facts().video.width;
        CHECK(x >= windowX(b) - 2);
        CHECK(x <= windowX(b) + b.plan().srcW + 2);
    }
    b.project().undo();
    CHECK(b.ticket() == before);
}

TEST_CASE("following what was clicked on is stopped by Esc, and leaves the ticket as it was") {
    Bench b({"hands"});
    const Ticket before = clickOnSubject(b);
    REQUIRE(b.table().isTelling());
    QTest::keyClick(&b.table(), Qt::Key_Escape);
    CHECK_FALSE(b.table().isTelling());
    finishBackground();
    QCoreApplication::processEvents();
    CHECK(b.ticket() == before);
    CHECK_FALSE(b.table().isTelling());
}

TEST_CASE("the crop's path is bent on the reel: a place is set, dragged along and up, and taken away") {
    Bench b({"hands"});
    REQUIRE(waitFor([&] { return bool(b.project().currentClip()->inspection); }));
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.aspect=9:16",
           "frame.follow=subject"});
    REQUIRE(b.settle());
    ReelStrip& reel = b.window.bench().reel();
    const Clip& clip = *b.project().currentClip()->clip;
    const int x = reel.xOfFrame(20);
    chooseAt(&reel, {x, 20}, "Set the crop's place here");
    auto pins = pinsFrom(b.ticket().frame.pins);
    REQUIRE(pins.size() == 1);
    CHECK(std::abs(clip.frameAt(pins[0].seconds + 1e-6) - 20) <= 2);
    REQUIRE(b.settle());
    const double was = b.live().delivery()->planAt(30).srcX;

    const std::int64_t playhead = b.project().currentClip()->playhead;
    // Down is right: to the right end of the room there is, and ten frames on.
    const QPoint pin = reel.pinPoints()[0].toPoint();
    drag(&reel, pin, {reel.xOfFrame(30), 43});
    pins = pinsFrom(b.ticket().frame.pins);
    REQUIRE(pins.size() == 1);
    CHECK(std::abs(clip.frameAt(pins[0].seconds + 1e-6) - 30) <= 2);
    CHECK(pins[0].x > 0.95);
    CHECK(pins[0].y == Approx(0.5).margin(0.01));
    CHECK(b.project().currentClip()->playhead == playhead); // the pin was dragged, not the playhead
    REQUIRE(b.settle());
    const FramingPlan there = b.live().delivery()->planAt(clip.frameAt(pins[0].seconds));
    CHECK(there.srcX > was + 20);
    CHECK(there.srcX + there.srcW == Approx(clip.facts().video.width).margin(20));
    // The whole drag is one step to undo.
    b.project().undo();
    CHECK(pinsFrom(b.ticket().frame.pins)[0].x < 0.95);
    b.project().redo();
    REQUIRE(b.settle());
    // Of two, neither is dragged past the other; the one that is pointed at goes.
    chooseAt(&reel, {reel.xOfFrame(40), 20}, "Set the crop's place here");
    REQUIRE(pinsFrom(b.ticket().frame.pins).size() == 2);
    REQUIRE(b.settle());
    const double second = pinsFrom(b.ticket().frame.pins)[1].seconds;
    drag(&reel, reel.pinPoints()[0].toPoint(), {reel.xOfFrame(46), 20});
    pins = pinsFrom(b.ticket().frame.pins);
    REQUIRE(pins.size() == 2);
    CHECK(pins[0].seconds == Approx(second - 0.06).margin(0.002)); // as far as it may
    CHECK(pins[1].seconds == Approx(second));
    REQUIRE(b.settle());
    const double first = pins[0].seconds;
    chooseAt(&reel, reel.pinPoints()[1].toPoint(), "Take this place away");
    pins = pinsFrom(b.ticket().frame.pins);
    REQUIRE(pins.size() == 1);
    CHECK(pins[0].seconds == Approx(first));
}
