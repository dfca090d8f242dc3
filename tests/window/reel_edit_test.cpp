// The reel strip as a place to edit: parts left out and brought back, stretches joined, speeds set along the clip.
#include "app/ticket/crop_map.h"
#include "core/ticket/motion_step.h"
#include "core/ticket/stretch_step.h"
#include "tests/window/fixture.h"

#include <QLabel>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

TEST_CASE("parts of a clip are left out on the reel, brought back and undone, and stretches joined") {
    Bench b({"wheel"});
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.on=false"});
    REQUIRE(b.settle());
    ReelStrip& reel = b.window.bench().reel();
    const Clip& clip = *b.project().currentClip()->clip;
    const std::int64_t all = b.live().delivery()->frames();
    const int y = 80;
    const auto x = [&](std::int64_t frame) { return reel.xOfFrame(frame); };
    const QImage before = reel.grab().toImage();

    drag(&reel, {x(5) + 1, y}, {x(14) + 1, y}, Qt::LeftButton, Qt::AltModifier);
    const auto parts = leftOutFrom(b.ticket().stretch.without);
    REQUIRE(parts.size() == 1);
    CHECK(std::abs(clip.frameAt(parts[0].from + 1e-6) - 5) <= 1);
    CHECK_FALSE(b.ticket().stretch.on);
    REQUIRE(b.settle());
    const std::int64_t gone = std::llround((parts[0].to - parts[0].from) * clip.facts().video.fps);
    CHECK(b.live().delivery()->frames() == all - gone);
    // It is veiled over its whole height.
    CHECK(differing(before, reel.grab().toImage(), QRect(x(6), 2, std::max(2, x(13) - x(6)), 30)) > 100);

    // The whole drag is one step to undo; what was left out comes back from the menu too.
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket().stretch.without.empty());
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    chooseAt(&reel, {x(9), y}, "Bring this part back");
    CHECK(b.ticket().stretch.without.empty());

    // A marked stretch, left out by a key.
    drag(&reel, {x(20) + 1, y}, {x(25) + 1, y});
    REQUIRE(b.ticket().stretch.on);
    QTest::keyClick(&b.window, Qt::Key_Delete);
    CHECK_FALSE(b.ticket().stretch.on);
    CHECK(leftOutFrom(b.ticket().stretch.without).size() == 1);
    // Of two parts the one that is pointed at comes back; stretches that are joined leave out what was left out before.
    drag(&reel, {x(5) + 1, y}, {x(7) + 1, y}, Qt::LeftButton, Qt::AltModifier);
    REQUIRE(leftOutFrom(b.ticket().stretch.without).size() == 2);
    chooseAt(&reel, {x(22), y}, "Bring this part back");
    const auto left = leftOutFrom(b.ticket().stretch.without);
    REQUIRE(left.size() == 1);
    CHECK(std::abs(clip.frameAt(left[0].from + 1e-6) - 5) <= 1);
    drag(&reel, {x(3) + 1, y}, {x(12) + 1, y});
    drag(&reel, {x(18) + 1, y}, {x(22) + 1, y}, Qt::LeftButton, Qt::ControlModifier);
    QTest::keyClick(&b.window, Qt::Key_U);
    CHECK(leftOutFrom(b.ticket().stretch.without).size() == 2);
    QTest::keyClick(&b.window, Qt::Key_X, Qt::ShiftModifier);
    chooseAt(&reel, {x(2), y}, "Bring all parts back");

    // What there is nothing to do with is told, not passed over.
    for (const auto& [key, words] :
         {std::pair{Qt::Key_U, "Nothing to join"}, {Qt::Key_Delete, "Mark a stretch first"}}) {
        const QImage before = b.table().grab().toImage();
        QTest::keyClick(&b.window, key);
        CHECK(b.table().told().contains(words));
        CHECK(differing(before, b.table().grab().toImage()) > 100);
    }
    // By keys alone: one stretch, and a further one beside it.
    const auto mark = [&](int at, Qt::Key key, Qt::KeyboardModifiers with = {}) {
        b.project().setPlayhead(at);
        QTest::keyClick(&b.window, key, with);
    };
    mark(3, Qt::Key_I), mark(8, Qt::Key_O);
    mark(18, Qt::Key_I, Qt::ShiftModifier), mark(22, Qt::Key_O);
    REQUIRE(b.project().currentClip()->stretches.size() == 1);
    CHECK(clip.frameAt(b.project().currentClip()->stretches[0].first + 1e-6) == 3);
    CHECK(clip.frameAt(b.ticket().stretch.from + 1e-6) == 18);
    CHECK(clip.frameAt(b.ticket().stretch.to - 1e-4) == 22);
    for (int i = 0; i < 2; ++i) QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(clip.frameAt(b.ticket().stretch.from + 1e-6) == 3); // the first again, and not twice
    CHECK(b.project().currentClip()->stretches.empty());
    for (int i = 0; i < 2; ++i) QTest::keyClick(&b.window, Qt::Key_Y, Qt::ControlModifier);
    CHECK(b.project().currentClip()->stretches.size() == 1);
    QTest::keyClick(&b.window, Qt::Key_X, Qt::ShiftModifier);

    // Two stretches become one delivery, what lies between them left out.
    drag(&reel, {x(3) + 1, y}, {x(8) + 1, y});
    drag(&reel, {x(18) + 1, y}, {x(22) + 1, y}, Qt::LeftButton, Qt::ControlModifier);
    REQUIRE(b.project().currentClip()->stretches.size() == 1);
    const double first = b.project().currentClip()->stretches[0].second - b.project().currentClip()->stretches[0].first,
                 second = b.ticket().stretch.to - b.ticket().stretch.from;
    QTest::keyClick(&b.window, Qt::Key_U);
    CHECK(b.project().currentClip()->stretches.empty());
    REQUIRE(b.settle());
    CHECK(b.live().delivery()->seconds() == Approx(first + second).margin(0.01));
    // Undone, both stretches are there again.
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket().stretch.without.empty());
    REQUIRE(b.project().currentClip()->stretches.size() == 1);
    CHECK(b.project().currentClip()->stretches[0].second - b.project().currentClip()->stretches[0].first ==
          Approx(first));
}

TEST_CASE("a speed is set on the reel, dragged up and along, and taken away") {
    Bench b({"wheel"});
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.on=false"});
    REQUIRE(b.settle());
    ReelStrip& reel = b.window.bench().reel();
    const double whole = b.live().delivery()->seconds();
    const QPoint at(reel.width() / 2, 80);
    chooseAt(&reel, at, "Set the speed here");
    CHECK(b.ticket().motion.on);
    auto all = rampsFrom(b.ticket().motion.ramps);
    REQUIRE(all.size() == 1);
    CHECK(all[0].speed == 1);
    // Dragged down to half: the movie takes twice as long.
    const QPoint mark(reel.width() / 2, int(reel.yOfSpeed(1)));
    drag(&reel, mark, {mark.x(), int(std::lround(reel.yOfSpeed(0.5)))});
    all = rampsFrom(b.ticket().motion.ramps);
    REQUIRE(all.size() == 1);
    CHECK(all[0].speed == Approx(0.5).margin(0.051));
    REQUIRE(b.settle());
    CHECK(b.live().delivery()->seconds() == Approx(whole / all[0].speed).margin(0.1));
    CHECK_FALSE(b.ticket().stretch.on); // it was no stretch that was dragged
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(rampsFrom(b.ticket().motion.ramps)[0].speed == 1);
    chooseAt(&reel, mark, "Take this speed away");
    CHECK(b.ticket().motion.ramps.empty());
}

TEST_CASE("a split has two borders to drag, each moves its own place, and the wheel comes closer there") {
    Bench b({"hands"});
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.aspect=9:16",
           "frame.fill=split", "frame.x=0", "frame.lower_x=1"});
    REQUIRE(b.settle());
    QTest::keyClick(b.window.bench().ticket().step("frame"), Qt::Key_Return);
    auto* map = b.find<CropMap>("frame.crop");
    REQUIRE(waitFor([&] { return map->isVisible() && map->height() > 60; }, 20000));
    CHECK(b.find("frame.lower_x")->isVisible());
    CHECK(b.find("frame.follow")->isVisible());
    const QPoint low = map->window(true).center().toPoint();
    REQUIRE(map->window(true).center().x() > map->window().center().x());
    turnWheel(map, low, 4);
    CHECK(b.ticket().frame.lower.zoom == 1); // scrolling over it changes nothing until it was clicked on
    map->setFocus();
    turnWheel(map, low, 4);
    CHECK(b.ticket().frame.lower.zoom == Approx(1.46));
    CHECK(b.ticket().frame.zoom == 1);
    REQUIRE(b.settle());
    const QPoint small = map->window(true).center().toPoint();
    drag(map, small, small - QPoint(30, 0));
    CHECK(b.ticket().frame.lower.x < 0.95);
    CHECK(b.ticket().frame.x == 0);
    REQUIRE(b.settle());
    // The original, playing, lies in both halves: the clip's left above, its right below.
    QImage two(64, 36, QImage::Format_RGB32);
    two.fill(Qt::red);
    for (int y = 0; y < 36; ++y)
        for (int x = 32; x < 64; ++x) two.setPixelColor(x, y, Qt::blue);
    b.table().showPlaying(two, false, "original");
    const QRectF shown = b.table().pictureRect();
    CHECK(QColor(b.pixel(&b.table(), QPointF(shown.x() + 8, shown.y() + shown.height() * 0.3).toPoint())).red() > 200);
    CHECK(QColor(b.pixel(&b.table(), QPointF(shown.right() - 8, shown.y() + shown.height() * 0.8).toPoint())).blue() >
          200);
    b.table().showPlaying({}, false, {});
    // Shift and drag on the table moves the place that is dragged.
    const QRectF picture = b.table().pictureRect();
    const QPoint upper(int(picture.center().x()), int(picture.top() + picture.height() / 4));
    const double x = b.ticket().frame.lower.x;
    drag(&b.table(), upper, upper - QPoint(20, 0), Qt::LeftButton, Qt::ShiftModifier);
    CHECK(b.ticket().frame.x > 0);
    CHECK(b.ticket().frame.lower.x == x);
    CHECK(b.find<QLabel>("sentence.frame")->text().contains("two places"));
}
