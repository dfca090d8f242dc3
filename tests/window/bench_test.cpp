#include "tests/window/fixture.h"

#include "app/spots/spots_column.h"
#include "app/targets/target_chips.h"
#include "app/tasks/image.h"
#include "core/deliver/movie_writer.h"
#include "core/media/frame_convert.h"
#include "core/picture/opencv_view.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using test::Bench;
using test::waitFor;

namespace {

void dragSlider(QuantitySlider* s, double to) {
    const QPoint a(s->xOf(s->value()), s->height() / 2), b(s->xOf(to), s->height() / 2);
    QTest::mousePress(s, Qt::LeftButton, {}, a);
    for (int i = 1; i <= 4; ++i) QTest::mouseMove(s, a + (b - a) * i / 4);
    QTest::mouseRelease(s, Qt::LeftButton, {}, b);
}

QPushButton* choice(QWidget* row, const QString& text) {
    for (auto* b : row->findChildren<QPushButton*>())
        if (b->text() == text) return b;
    return nullptr;
}

} // namespace

TEST_CASE("an empty Bench teaches what to do; a dropped clip shows its facts, its faults and three exact spots") {
    Bench empty(QStringList{});
    CHECK(empty.find<QLabel>("ticketFacts")->text().contains("Ctrl+O"));
    CHECK_FALSE(empty.find<QPushButton>("addToRunList")->isEnabled());
    Bench b;
    CHECK(b.find<QLabel>("ticketTitle")->text() == "wheel");
    CHECK(b.find<QLabel>("ticketFacts")->text().contains("320×180"));
    CHECK(b.find<QLabel>("ticketAdvice")->text().contains("compression blocks"));
    REQUIRE(b.live().spots().pictures().size() == 3);
    // Each spot is what the engine computes for the same place, to the code.
    const Delivery& p = *b.live().delivery();
    Engine engine(0);
    for (std::size_t i = 0; i < 3; ++i) {
        const SpotPicture& s = b.live().spots().pictures()[i];
        CHECK(s.after ==
              toImage(engine.pull(*asRgb(p.result), b.project().currentClip()->spots[i].frame, s.region, {})));
        b.find(QString("spot.%1").arg(QChar('A' + int(i))).toUtf8());
    }
}

TEST_CASE("advice is done when its values are on the ticket, or a person's own in their place") {
    Bench b({"hands"}); // whose repeats are Motion's business
    auto* advice = b.find<QLabel>("ticketAdvice");
    const QString repeats = "take the repeated frames out", done = "All that was advised is on the ticket";
    REQUIRE(advice->text().contains(repeats));
    Q_EMIT advice->linkActivated("apply");
    CHECK(b.ticket().motion.duplicates == "remove");
    CHECK(advice->text().contains(done));
    b.set({"motion.duplicates=replace"});
    CHECK(advice->text().contains(done));
    b.set({"motion.duplicates=keep"});
    CHECK(advice->text().contains(repeats));
    b.set({"motion.duplicates=remove", "motion.on=false"});
    CHECK(advice->text().contains(repeats));
}

TEST_CASE("advice goes on the ticket by one click, and undo takes it off again") {
    Bench b;
    const Ticket before = b.ticket();
    Q_EMIT b.find<QLabel>("ticketAdvice")->linkActivated("apply");
    CHECK(b.ticket().clean.on);
    CHECK(b.ticket().clean.blocks.from == From::Measured);
    CHECK(b.ticket().enlarge.on);
    CHECK(b.find<QLabel>("ticketAdvice")->text().contains("on the ticket"));
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == before);
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(b.ticket().clean.on);
}

TEST_CASE(
    "a slider starts measured, is nudged by dragging, fixed by its word, docked by Home; spots follow every move") {
    Bench b;
    auto* blocks = b.find<QuantitySlider>("clean.blocks");
    REQUIRE(blocks->isVisible());
    const double reading = b.project().currentClip()->readings().blocking;
    CHECK(blocks->value() == Approx(reading));
    CHECK(blocks->quantity().from == From::Measured);
    const QImage before = b.live().spots().pictures()[0].after;
    dragSlider(blocks, 60);
    CHECK(b.ticket().clean.on);
    CHECK(b.ticket().clean.blocks.from == From::Nudged);
    CHECK(b.ticket().clean.blocks.nudge == Approx(60 - reading).margin(3));
    CHECK(b.find<QLabel>("sentence.clean")->text().contains("nudged +"));
    REQUIRE(b.settle());
    CHECK(b.live().spots().pictures()[0].after != before);
    CHECK(b.live().spots().pictures()[0].readingAfter < b.live().spots().pictures()[0].readingBefore);
    // One drag is one step to undo.
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(b.ticket().clean.on);
    REQUIRE(b.settle());
    CHECK(b.live().spots().pictures()[0].after == before);
    dragSlider(blocks, 60);
    QTest::mouseClick(blocks, Qt::LeftButton, {}, QPoint(blocks->width() - 10, blocks->height() / 2));
    CHECK(b.ticket().clean.blocks.from == From::Fixed);
    QTest::keyClick(blocks, Qt::Key_Right);
    CHECK(b.ticket().clean.blocks.from == From::Fixed);
    QTest::keyClick(blocks, Qt::Key_Home);
    CHECK(b.ticket().clean.blocks.from == From::Measured);
    // Typing a number.
    QTest::mouseDClick(blocks, Qt::LeftButton, {}, QPoint(blocks->width() - 90, blocks->height() / 2));
    auto* typed = b.find<QLineEdit>("typedValue");
    QTest::keyClicks(typed, "25");
    QTest::keyClick(typed, Qt::Key_Return);
    CHECK(blocks->value() == Approx(25));
}

TEST_CASE("the newest value always wins, and stale spots are marked until then") {
    Bench b;
    auto* blocks = b.find<QuantitySlider>("clean.blocks");
    for (const double v : {10.0, 80.0, 30.0, 70.0, 20.0, 45.0}) dragSlider(blocks, v);
    CHECK_FALSE(b.live().spots().pictures()[0].fresh);
    REQUIRE(b.settle());
    Engine engine(0);
    const SpotPicture& s = b.live().spots().pictures()[0];
    CHECK(s.after == toImage(engine.pull(*asRgb(b.live().delivery()->result), b.project().currentClip()->spots[0].frame,
                                         s.region, {})));
}

TEST_CASE("steps open in place one at a time, switch by mouse and keys, and say in a sentence what they do") {
    Bench b;
    TicketSheet& sheet = b.window.bench().ticket();
    CHECK(sheet.step("clean")->isOpen());
    QTest::mouseClick(sheet.step("frame"), Qt::LeftButton, {}, QPoint(60, 14));
    CHECK(sheet.step("frame")->isOpen());
    CHECK_FALSE(sheet.step("clean")->isOpen());
    auto* shape = b.find("frame.aspect");
    QTest::mouseClick(choice(shape, "9:16"), Qt::LeftButton);
    CHECK(b.ticket().frame.on);
    CHECK(b.find<QLabel>("sentence.frame")->text().contains("% of the picture stays"));
    CHECK(b.plan().height > b.plan().width);
    CHECK(b.table().compare() == ViewingTable::Compare::Pair); // upright pictures open side by side
    QTest::mouseClick(b.find("switch.frame"), Qt::LeftButton);
    CHECK_FALSE(b.ticket().frame.on);
    QTest::keyClick(sheet.step("finish"), Qt::Key_Space);
    CHECK(b.ticket().finish.on);
    QTest::keyClick(sheet.step("enlarge"), Qt::Key_Return);
    CHECK(sheet.step("enlarge")->isOpen());
    auto* width = b.find<QLineEdit>("enlarge.width");
    width->selectAll();
    QTest::keyClicks(width, "640");
    QTest::keyClick(width, Qt::Key_Return);
    CHECK(b.ticket().enlarge.size == Size{640, 360}); // the aspect is locked
    CHECK(b.find<QLabel>("sentence.enlarge")->text().contains("640×360"));
    QTest::mouseClick(choice(b.find("enlarge.scale"), "×3"), Qt::LeftButton);
    CHECK_FALSE(b.ticket().enlarge.size);
    CHECK(b.ticket().enlarge.scale == 3);
    // Delivery is always done: nothing there pretends that it could be switched off.
    StepBlock* deliver = b.window.bench().ticket().step("deliver");
    CHECK_FALSE(b.find("switch.deliver")->isVisible());
    const Ticket before = b.ticket();
    QTest::keyClick(deliver, Qt::Key_Space);
    CHECK(b.ticket() == before);
}

TEST_CASE("wipe, pair and flip show before and after where they say, to the pixel") {
    Bench b;
    dragSlider(b.find<QuantitySlider>("clean.blocks"), 90);
    QTest::mouseClick(b.find("zoom.100"), Qt::LeftButton);
    QTest::mouseClick(b.find("compare.wipe"), Qt::LeftButton);
    b.project().setSpots({}); // their outlines would lie over the pixels
    REQUIRE(waitFor([&] { return b.live().table().fresh() >= 1 && !b.live().table().after().isNull(); }));
    ViewingTable& t = b.table();
    const auto agree = [&](const QPoint& at, const QImage& image) {
        const QPointF d = t.deliveredAt(at);
        return b.pixel(&t, at) == image.pixel(int(d.x()), int(d.y()));
    };
    const QRect pic = t.pictureRect().toRect();
    const auto differing = [&](double from, double to) { // a place where cleaning made a visible change
        for (int y = pic.top() + 20; y < pic.bottom() - 40; y += 3)
            for (int x = pic.left() + int(from * pic.width()); x < pic.left() + int(to * pic.width()); x += 3) {
                const QPointF d = t.deliveredAt(QPointF(x, y));
                if (b.live().table().before().pixel(int(d.x()), int(d.y())) !=
                    b.live().table().after().pixel(int(d.x()), int(d.y())))
                    return QPoint(x, y);
            }
        return QPoint();
    };
    const QPoint left = differing(0.05, 0.4), right = differing(0.6, 0.95);
    REQUIRE_FALSE(left.isNull());
    REQUIRE_FALSE(right.isNull());
    CHECK(agree(left, b.live().table().before()));
    CHECK(agree(right, b.live().table().after()));
    // Drag the divider to the far left: everything is after.
    const int x = pic.left() + pic.width() / 2;
    QTest::mousePress(&t, Qt::LeftButton, {}, {x, pic.center().y()});
    QTest::mouseMove(&t, {pic.left() + 2, pic.center().y()});
    QTest::mouseRelease(&t, Qt::LeftButton, {}, {pic.left() + 2, pic.center().y()});
    CHECK(t.divider() < 0.05);
    CHECK(agree(left, b.live().table().after()));
    // Flip: the original while F is held.
    QTest::keyClick(&b.window.bench(), Qt::Key_R);
    CHECK(t.compare() == ViewingTable::Compare::Flip);
    CHECK(agree(right, b.live().table().after()));
    QTest::keyPress(&b.window.bench(), Qt::Key_F);
    CHECK(agree(right, b.live().table().before()));
    QTest::keyRelease(&b.window.bench(), Qt::Key_F);
    CHECK(agree(right, b.live().table().after()));
    // 200 %: every delivered pixel is two wide and two high.
    QTest::keyClick(&b.window.bench(), Qt::Key_2);
    CHECK(t.zoom() == 2);
    const QImage shot = t.grab().toImage();
    const QPoint mid = t.pictureRect().toRect().topLeft() + QPoint(200, 120);
    CHECK(shot.pixel(mid) == shot.pixel(mid + QPoint(1, 0)));
    CHECK(shot.pixel(mid) == shot.pixel(mid + QPoint(0, 1)));
    QTest::keyClick(&b.window.bench(), Qt::Key_0);
    CHECK(t.zoom() == 0);
    QTest::keyClick(&b.window.bench(), Qt::Key_E);
    CHECK(t.compare() == ViewingTable::Compare::Pair);
}

TEST_CASE("a double-click adds a spot there, a drag moves it, and the place is kept") {
    Bench b;
    ViewingTable& t = b.table();
    const QPoint at = t.pictureRect().center().toPoint() + QPoint(40, -30);
    const QPointF wanted = b.live().toSource(t.deliveredAt(at));
    QTest::mouseDClick(&t, Qt::LeftButton, {}, at);
    REQUIRE(b.project().currentClip()->spots.size() == 4);
    const Spot added = b.project().currentClip()->spots.back();
    CHECK(added.x == Approx(wanted.x()).margin(1));
    CHECK(added.y == Approx(wanted.y()).margin(1));
    CHECK(added.frame == b.project().currentClip()->playhead);
    REQUIRE(b.settle());
    auto* view = b.find<SpotView>("spot.D");
    QTest::mousePress(view, Qt::LeftButton, {}, {30, 60});
    QTest::mouseMove(view, {10, 40});
    QTest::mouseRelease(view, Qt::LeftButton, {}, {10, 40});
    const Spot moved = b.project().currentClip()->spots.back();
    CHECK(moved.x == Approx(added.x + 20).margin(2)); // same size: delivered pixels are source pixels
    CHECK(moved.y == Approx(added.y + 20).margin(2));
}

TEST_CASE("a clip opens on a frame near its middle that is soon decoded: a key frame, where one lies there") {
    Bench b;
    const Clip& plain = *b.project().currentClip()->clip;
    CHECK(b.project().currentClip()->playhead == plain.frameCount() / 2); // its one key frame is its first
    VideoEncoding e;
    e.width = 64, e.height = 64, e.timeBase = {1, 25}, e.fps = 1.4; // a key frame every seven
    const std::string file = b.folder / "keyed.mp4";
    MovieWriter w(file, "mp4", e, std::nullopt);
    const Picture grey = Picture::make({64, 64, 1, 1}, {0, 0, 64, 64});
    for (const Plane& p : grey.planes) viewOf(p) = 0.25f;
    for (int n = 0; n < 20; ++n) w.write(*toFrame(grey, AV_PIX_FMT_YUV420P), n, 1);
    w.finish();
    b.drop({QString::fromStdString(file)});
    REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
    REQUIRE(b.project().at(1).clip->frames()[7].key);
    CHECK(b.project().at(1).playhead == 7);
}

TEST_CASE("the reel strip moves the playhead, marks a stretch by drag and keys, and steps by frames") {
    Bench b;
    ReelStrip& reel = b.window.bench().reel();
    const auto playhead = [&] { return b.project().currentClip()->playhead; };
    QTest::mouseClick(&reel, Qt::LeftButton, {}, {reel.xOfFrame(10) + 1, 20});
    CHECK(playhead() == 10);
    QTest::keyClick(&b.window.bench(), Qt::Key_Right);
    CHECK(playhead() == 11);
    QTest::keyClick(&b.window.bench(), Qt::Key_Left, Qt::ShiftModifier);
    CHECK(playhead() == 1);
    QTest::keyClick(&b.window.bench(), Qt::Key_End);
    CHECK(playhead() == 47);
    QTest::keyClick(&b.window.bench(), Qt::Key_Home);
    CHECK(playhead() == 0);
    const int y = reel.traceTop() + 14;
    QTest::mousePress(&reel, Qt::LeftButton, {}, {reel.xOfFrame(12) + 1, y});
    QTest::mouseMove(&reel, {reel.xOfFrame(20) + 1, y});
    QTest::mouseMove(&reel, {reel.xOfFrame(30) + 1, y});
    QTest::mouseRelease(&reel, Qt::LeftButton, {}, {reel.xOfFrame(30) + 1, y});
    REQUIRE(b.ticket().stretch.on);
    CHECK(b.live().delivery()->frames() == 19);
    CHECK(b.live().delivery()->at(0).instants.front().frame == 12);
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(b.ticket().stretch.on);
    QTest::mouseClick(&reel, Qt::LeftButton, {}, {reel.xOfFrame(5) + 1, 20});
    QTest::keyClick(&b.window.bench(), Qt::Key_I);
    QTest::mouseClick(&reel, Qt::LeftButton, {}, {reel.xOfFrame(9) + 1, 20});
    QTest::keyClick(&b.window.bench(), Qt::Key_O);
    CHECK(b.live().delivery()->frames() == 5);
    QTest::keyClick(&b.window.bench(), Qt::Key_X);
    CHECK_FALSE(b.ticket().stretch.on);
    // The table shows the playhead's frame.
    REQUIRE(b.settle());
    Engine engine(0);
    const Delivery& p = *b.live().delivery();
    CHECK(b.live().table().after() ==
          toImage(engine.pull(*asRgb(p.result), playhead(), p.result->format().frame(), {})));
}

TEST_CASE("the crop follows a shift-drag of the picture") {
    Bench b;
    b.set({"frame.aspect=9:16"});
    REQUIRE(b.settle());
    const QPoint a = b.table().pictureRect().center().toPoint();
    QTest::mousePress(&b.table(), Qt::LeftButton, Qt::ShiftModifier, a);
    QTest::mouseMove(&b.table(), a - QPoint(15, 0));
    QTest::mouseRelease(&b.table(), Qt::LeftButton, Qt::ShiftModifier, a - QPoint(15, 0));
    CHECK(b.ticket().frame.x > 0.52);
    CHECK(b.plan().srcX > 0);
}

TEST_CASE("playing runs through the clip's original at its own rate and stops where it is told") {
    Bench b;
    b.project().setPlayhead(0);
    QImage shown;
    int pictures = 0;
    QObject::connect(&b.window.bench().player(), &Player::picture, &b.window,
                     [&](const QImage& p, bool, const QString&) {
                         if (!p.isNull()) shown = p, ++pictures;
                     });
    QElapsedTimer clock;
    clock.start();
    QTest::mouseClick(b.find("play"), Qt::LeftButton);
    CHECK(b.window.bench().player().playing());
    REQUIRE(waitFor([&] { return b.project().currentClip()->playhead >= 20; }));
    CHECK(clock.elapsed() >= 700); // 20 frames at 25 a second last 800 ms: it must not race
    QTest::keyClick(&b.window.bench(), Qt::Key_Space);
    CHECK_FALSE(b.window.bench().player().playing());
    CHECK(pictures >= 2); // a busy machine leaves frames out rather than falling behind
    CHECK(shown.width() == 320);
    const auto here = b.project().currentClip()->playhead;
    QTest::qWait(150);
    CHECK(b.project().currentClip()->playhead == here);
    REQUIRE(b.settle()); // the result of that frame comes back
    b.project().setPlayhead(46);
    b.window.bench().player().play();
    CHECK(waitFor([&] { return !b.window.bench().player().playing(); })); // ends by itself
}

TEST_CASE("Motion makes frames in between: stepped to on the table, told on the reel, left again by the plain keys") {
    Bench b;
    const auto shown = [&] {
        REQUIRE(b.settle());
        return b.table().grab(b.table().pictureRect().toAlignedRect()).toImage();
    };
    b.project().setPlayhead(10);
    b.table().setCompare(ViewingTable::Compare::Flip); // the result alone, full size
    b.table().setFlipped(false);
    const QImage at10 = shown();
    b.set({"motion.speed=50"});
    CHECK(b.find<QLabel>("sentence.motion")->text().contains("in-betweens careful"));
    DeliveryModel& deliveries = b.live().deliveries();
    CHECK(deliveries.between() == 0);
    QTest::keyClick(&b.window.bench(), Qt::Key_Right, Qt::AltModifier);
    CHECK(deliveries.between() == Approx(0.5));
    const QImage between = shown();
    QTest::keyClick(&b.window.bench(), Qt::Key_Right, Qt::AltModifier);
    CHECK(b.project().currentClip()->playhead == 11);
    CHECK(deliveries.between() == 0);
    const QImage at11 = shown();
    CHECK(between != at10);
    CHECK(between != at11);
    // What is shown is what is delivered there.
    const DeliveryPtr d = deliveries.onTable();
    QTest::keyClick(&b.window.bench(), Qt::Key_Left, Qt::AltModifier);
    CHECK(d->clock.instantOf(deliveries.stage()) == Approx(10.5));
    QTest::keyClick(&b.window.bench(), Qt::Key_Left);
    CHECK(deliveries.between() == 0);
    // A candidate with a clock of its own is judged on the same frame of the clip.
    b.set({"motion.method=hold", "motion.fps=5"});
    QTest::keyClick(&b.window.bench(), Qt::Key_End);
    REQUIRE(b.settle());
    CHECK(b.live().delivery()->frames() > 0);
}
