#include "app/spots/spots_column.h"
#include "app/tasks/image.h"
#include "tests/support/contract.h"
#include "tests/window/fixture.h"

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

TEST_CASE("the wheel zooms through its steps, and what is under the pointer stays there") {
    Bench b;
    b.set({"enlarge.scale=4"});
    REQUIRE(b.settle());
    ViewingTable& v = b.table();
    const QPoint at = v.pictureRect().center().toPoint() + QPoint(31, -17);
    const QPointF under = v.deliveredAt(at);
    for (const double wanted : {0.5, 1.0, 2.0, 4.0, 4.0}) {
        turnWheel(&v, at, 1);
        CHECK(v.zoom() == wanted);
        const QPointF now = v.deliveredAt(at);
        if (wanted > 1) { // below that, the picture has little room to move
            CHECK(now.x() == Approx(under.x()).margin(1.5));
            CHECK(now.y() == Approx(under.y()).margin(1.5));
        }
    }
    for (int i = 0; i < 5; ++i) turnWheel(&v, at, -1);
    CHECK(v.zoom() == 0);
    CHECK(v.pictureRect().center().x() == Approx(v.rect().center().x()).margin(2));
}

TEST_CASE("a drag pans by what it moves, and the picture cannot be lost out of sight") {
    Bench b;
    b.set({"enlarge.scale=4"});
    REQUIRE(b.settle());
    ViewingTable& v = b.table();
    v.setCompare(ViewingTable::Compare::Flip);
    QTest::keyClick(&b.window.bench(), Qt::Key_2);
    const QPoint mid = v.rect().center();
    const QPointF before = v.deliveredAt(mid);
    drag(&v, mid, mid + QPoint(60, 40));
    CHECK(v.deliveredAt(mid + QPoint(60, 40)).x() == Approx(before.x()).margin(1));
    CHECK(v.deliveredAt(mid + QPoint(60, 40)).y() == Approx(before.y()).margin(1));
    for (int i = 0; i < 12; ++i) drag(&v, mid, mid + QPoint(280, 200), Qt::MiddleButton);
    CHECK(v.pictureRect().left() <= 7);
    CHECK(v.pictureRect().top() <= 7);
    CHECK(v.deliveredAt(QPointF(7, 7)).x() == Approx(0).margin(1));
    CHECK(v.pictureRect().right() >= v.width() - 7);
    // A smaller picture stays in the middle, however it is dragged.
    b.set({"enlarge.on=false"});
    REQUIRE(b.settle());
    QTest::keyClick(&b.window.bench(), Qt::Key_1);
    drag(&v, mid, mid + QPoint(100, 0), Qt::MiddleButton);
    CHECK(v.pictureRect().center().x() == Approx(v.rect().center().x()).margin(2));
}

TEST_CASE("in Pair both pictures show the same place at every zoom, and the right one is the result") {
    Bench b;
    b.set({"clean.blocks=90"});
    b.project().setSpots({});
    REQUIRE(waitFor([&] { return b.live().table().fresh() >= 1 && !b.live().table().after().isNull(); }));
    ViewingTable& v = b.table();
    v.setCompare(ViewingTable::Compare::Pair);
    for (const double zoom : {1.0, 2.0}) {
        v.setZoom(zoom);
        const QRect right = v.pictureRect().toRect().intersected(v.rect());
        const QImage shot = v.grab().toImage();
        const double apart = (v.width() - 12 - 8) / 2.0 + 8;
        int looked = 0, differ = 0;
        for (int y = 60; y < v.height() - 60; y += 17)
            for (int x = v.width() / 2 + 30; x < v.width() - 30; x += 13) {
                if (!right.contains(x, y) || y > right.bottom() - 34) continue; // the words lie there
                const QPoint other(static_cast<int>(std::lround(x - apart)), y);
                const QPointF here = v.deliveredAt(QPointF(x, y)), there = v.deliveredAt(QPointF(other));
                CHECK(std::abs(here.x() - there.x()) <= 1);
                CHECK(here.y() == there.y());
                const auto at = [](const QPointF& p) { return QPoint(int(p.x()), int(p.y())); };
                CHECK(shot.pixel(x, y) == b.live().table().after().pixel(at(here)));
                CHECK(shot.pixel(other) == b.live().table().before().pixel(at(there)));
                differ += shot.pixel(x, y) != shot.pixel(other);
                ++looked;
            }
        CHECK(looked > 150);
        CHECK(differ > looked / 10);
    }
}

TEST_CASE("in Flip the mouse held shows the original, at fit") {
    Bench b;
    ViewingTable& v = b.table();
    v.setCompare(ViewingTable::Compare::Flip);
    QTest::mousePress(&v, Qt::LeftButton, {}, v.rect().center());
    CHECK(v.flipped());
    QTest::mouseRelease(&v, Qt::LeftButton, {}, v.rect().center());
    CHECK_FALSE(v.flipped());
}

TEST_CASE("the choice of comparison stays when the shape changes; until then upright pictures open in Pair") {
    Bench b;
    CHECK(b.table().compare() == ViewingTable::Compare::Wipe);
    b.set({"frame.aspect=9:16"});
    CHECK(b.table().compare() == ViewingTable::Compare::Pair);
    QTest::mouseClick(b.find("compare.wipe"), Qt::LeftButton);
    b.set({"frame.aspect=4:5"});
    CHECK(b.table().compare() == ViewingTable::Compare::Wipe);
}

TEST_CASE("a spot keeps its frame and says when that is; its menu goes there, pins it here, or removes it") {
    Bench b;
    const auto spots = [&] { return b.project().currentClip()->spots; };
    REQUIRE(spots().size() == 3);
    auto* view = b.find<SpotView>("spot.B");
    chooseAt(view, {20, 20}, "Go to its frame");
    CHECK(b.project().currentClip()->playhead == spots()[1].frame);
    const QImage here = view->grab().toImage();
    const std::int64_t elsewhere = spots()[1].frame == 20 ? 30 : 20;
    b.project().setPlayhead(elsewhere);
    CHECK(view->grab().toImage() != here);       // the caption now tells its time
    CHECK(b.live().spots().pictures()[1].fresh); // but nothing in it is computed anew
    chooseAt(view, {20, 20}, "Pin to the frame on the table");
    CHECK(spots()[1].frame == elsewhere);
    CHECK_FALSE(spots()[1].automatic);
    REQUIRE(b.settle());
    Engine engine(0);
    CHECK(b.live().spots().pictures()[1].after == toImage(engine.pull(*asRgb(b.live().delivery()->result), elsewhere,
                                                                      b.live().spots().pictures()[1].region, {})));
    const Spot first = spots()[0], third = spots()[2];
    chooseAt(view, {20, 20}, "Remove this spot");
    REQUIRE(spots().size() == 2);
    CHECK(spots()[0].x == first.x);
    CHECK(spots()[1].x == third.x);
    CHECK(waitFor([&] { return !b.window.findChild<SpotView*>("spot.C"); }));
    // None is chosen anew behind the user's back.
    b.set({"frame.aspect=1:1"});
    CHECK(spots().size() == 2);
}

TEST_CASE("spots chosen by the readings move into the crop; those a person placed stay where they are") {
    Bench b;
    const auto inside = [&](const Spot& s) {
        const QPointF d = b.live().toDelivered(s.x, s.y);
        const FramingPlan p = b.plan();
        return QRectF(0, 0, p.width, p.height).contains(d);
    };
    b.set({"frame.aspect=9:16", "frame.x=0"});
    for (const Spot& s : b.project().currentClip()->spots) CHECK(inside(s));
    auto placed = b.project().currentClip()->spots;
    for (Spot& s : placed) s.automatic = false;
    b.project().setSpots(placed);
    b.set({"frame.x=1"});
    CHECK(b.project().currentClip()->spots == placed);
}

TEST_CASE("a magnified spot shows the delivered pixels, before left of its line and after right of it") {
    Bench b;
    b.set({"clean.blocks=90", "enlarge.scale=2"});
    REQUIRE(b.settle());
    auto* view = b.find<SpotView>("spot.A");
    const SpotPicture& s = b.live().spots().pictures()[0];
    const auto shown = [&] { return view->grab().toImage(); };
    const int line = view->width() / 2, high = view->height() - 24;
    const auto compare = [&](int from, int to, const QImage& image) {
        const QImage shot = shown();
        int wrong = 0, looked = 0;
        for (int y = 24; y < high - 4; y += 9)
            for (int x = from; x < to; x += 7, ++looked) {
                const int ix = x - (view->width() - s.after.width()) / 2, iy = y - (high - s.after.height()) / 2;
                if (!image.valid(ix, iy)) continue;
                wrong += shot.pixel(x, y) != image.pixel(ix, iy);
            }
        CHECK(looked > 50);
        return wrong;
    };
    CHECK(compare(20, line - 4, s.before) == 0);
    CHECK(compare(line + 4, view->width() - 4, s.after) == 0);
    drag(view, {line, 80}, {4, 80});
    CHECK(compare(20, view->width() - 4, s.after) == 0);
}

TEST_CASE("a large frame drawn band by band is the frame drawn whole") {
    PictureFormat f{2500, 2101, 0, 0};
    f.colour = {1, 1, 1, false, 0};
    const StagePtr rgb = asRgb(std::make_shared<test::PatternStage>(f, 2));
    Engine engine(0);
    const QImage whole = toImage(engine.pull(*rgb, 1, f.frame(), {}));
    CHECK(whole.size() == QSize(2500, 2101));
    CHECK(wholeImage(engine, *rgb, 1, {}) == whole);
    const CancelToken cancel;
    cancel.cancel();
    CHECK_THROWS_AS(wholeImage(engine, *rgb, 1, cancel), Cancelled);
}
