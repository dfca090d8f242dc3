#include "app/ticket/crop_map.h"
#include "app/widgets/quantity_slider.h"
#include "core/model/shipped_networks.h"
#include "core/ticket/networks.h"
#include "tests/window/fixture.h"

#include <QCheckBox>
#include <QLabel>
#include <catch2/catch.hpp>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

void open(Bench& b, const char* step) {
    StepBlock* s = b.window.bench().ticket().step(step);
    if (!s->isOpen()) QTest::keyClick(s, Qt::Key_Return);
    REQUIRE(s->isOpen());
}

QString words(Bench& b, const char* label) { return b.find<QLabel>(label)->text(); }

} // namespace

TEST_CASE("the crop's border shows where a size cuts the clip, and is dragged, nudged by keys and undone") {
    Bench b;
    b.set({"frame.on=false", "enlarge.size=400x400"});
    open(b, "enlarge");
    auto* map = b.find<CropMap>("enlarge.crop");
    REQUIRE(map->isVisible());
    const QRectF kept = map->window();
    CHECK(kept.width() == Approx(kept.height()).margin(1));
    const double x = b.ticket().enlarge.x, y = b.ticket().enlarge.y;
    CHECK(x == 0.5);
    const FramingPlan before = b.plan();
    // Dragged towards the end of the longer side, it stops there.
    const VideoFacts& v = b.project().currentClip()->clip->facts().video;
    const bool tall = v.height > v.width;
    const QPoint from = kept.center().toPoint(), to = from + (tall ? QPoint(0, 500) : QPoint(500, 0));
    drag(map, from, to);
    CHECK((tall ? b.ticket().enlarge.y : b.ticket().enlarge.x) == 1);
    const FramingPlan after = b.plan();
    CHECK(after.srcX + after.srcY > before.srcX + before.srcY);
    CHECK((tall ? map->window().bottom() : map->window().right()) > (tall ? kept.bottom() : kept.right()));
    // The whole drag is one step to undo.
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket().enlarge.x == x);
    CHECK(b.ticket().enlarge.y == y);
    map->setFocus();
    QTest::keyClick(map, tall ? Qt::Key_Up : Qt::Key_Left, Qt::ShiftModifier);
    CHECK((tall ? b.ticket().enlarge.y : b.ticket().enlarge.x) == Approx(0.4));
    // A click beside the border brings it there.
    const QPoint start = tall ? QPoint(int(kept.center().x()), 4) : QPoint(1, int(kept.center().y()));
    drag(map, start, start);
    CHECK((tall ? b.ticket().enlarge.y : b.ticket().enlarge.x) == 0);
    b.set({"enlarge.scale=2"});
    CHECK_FALSE(map->isVisible()); // nothing is cut off
}

TEST_CASE("Frame's crop is moved by its map, and that is the place Frame uses") {
    Bench b;
    b.set({"enlarge.on=false", "frame.aspect=1:1", "frame.fill=crop"});
    open(b, "frame");
    auto* map = b.find<CropMap>("frame.crop");
    REQUIRE(map->isVisible());
    const QPoint from = map->window().center().toPoint();
    drag(map, from, from - QPoint(500, 500));
    const FramingPlan p = b.plan();
    CHECK(p.srcX == 0);
    CHECK(p.srcY == 0);
    CHECK(b.ticket().enlarge.x == 0.5);
    b.set({"frame.fill=blur"});
    CHECK_FALSE(map->isVisible());
}

TEST_CASE("Enlarge tells what it gains on this clip, and what working above adds") {
    Bench b;
    b.set({"clean.on=false", "frame.on=false", "finish.on=false", "enlarge.scale=2", "enlarge.method=learned-quick"});
    open(b, "enlarge");
    REQUIRE(waitFor([&] { return words(b, "enlarge.gain").contains("dB over Lanczos"); }));
    CHECK_FALSE(words(b, "enlarge.gain").contains("working above"));
    b.set({"enlarge.above=1.5"});
    CHECK(words(b, "enlarge.gain").isEmpty()); // what was measured no longer holds
    REQUIRE(waitFor([&] { return words(b, "enlarge.gain").contains("from working above"); }));
    b.set({"enlarge.method=lanczos", "enlarge.above=1"});
    REQUIRE(waitFor([&] { return words(b, "enlarge.gain").contains("+0.00 dB over Lanczos"); }));
}

TEST_CASE("the network's strength follows the clip's yield until it is moved, and shows only beside networks") {
    Bench b;
    b.set({"clean.on=false", "frame.on=false", "enlarge.scale=2", "enlarge.method=learned-quick",
           "enlarge.kind=general"});
    open(b, "enlarge");
    auto* strength = b.find<QuantitySlider>("enlarge.strength");
    REQUIRE(strength->isVisible());
    const ClipEntry& c = *b.project().currentClip();
    CHECK(strength->value() == Approx(measuredStrength(b.ticket(), c.known())));
    const auto said = [&] { return words(b, "sentence.enlarge"); };
    CHECK(said().contains("measured"));
    REQUIRE(b.settle());
    const QImage before = b.live().table().after();
    drag(strength, strength->rect().center(), strength->rect().center() - QPoint(400, 0)); // to the very left
    CHECK(enlargeStrength(b.ticket(), c.known()) == 0);
    CHECK(said().contains("nudged −"));
    REQUIRE(b.settle());
    const QImage filtered = b.live().table().after();
    CHECK_FALSE(filtered == before);
    b.set({"enlarge.method=lanczos"});
    CHECK_FALSE(strength->isVisible());
    REQUIRE(b.settle());
    CHECK(b.live().table().after() == filtered); // nothing of the network is left at strength 0
}

TEST_CASE("Finish tells how much grain an encode leaves") {
    Bench b;
    b.set({"clean.on=false", "frame.on=false", "enlarge.on=false", "finish.sharpen.amount=0", "deliver.quality=best"});
    open(b, "finish");
    CHECK(words(b, "finish.grain.left").isEmpty());
    b.set({"finish.grain.amount=5"});
    REQUIRE(waitFor([&] { return words(b, "finish.grain.left").contains("% of the grain"); }));
    const auto left = [&] { return words(b, "finish.grain.left").section("About ", 1).section(" ", 0, 0).toInt(); };
    const int best = left();
    CHECK(best > 0);
    CHECK(best <= 100);
    b.set({"deliver.quality=small"});
    REQUIRE(waitFor([&] { return words(b, "finish.grain.left").contains("% of the grain"); }));
    CHECK(left() < best);
}

TEST_CASE("faces are outlined while Clean is open and gentle on them, and only then") {
    Bench b;
    b.set({"frame.on=false", "enlarge.on=false", "finish.on=false", "clean.on=true"});
    ClipEntry& c = *b.project().currentClip();
    REQUIRE(c.inspection);
    const VideoFacts& v = c.clip->facts().video;
    const Rect face{v.width / 4, v.height / 4, v.width / 3, v.width / 3};
    b.find([&](Inspection& i) { i.faces = {{c.playhead, face, 1}}; });
    b.set({"clean.faces=true", "clean.keep_original=1"});
    open(b, "clean");
    REQUIRE(b.settle());
    QTest::keyClick(&b.window, Qt::Key_W);
    // How many pixels differ between two looks at the table.
    const auto look = [&] { return b.table().grab().toImage(); };
    const auto unlike = [](const QImage& p, const QImage& q) {
        int n = 0;
        for (int y = 0; y < p.height(); ++y)
            for (int x = 0; x < p.width(); ++x) n += p.pixel(x, y) != q.pixel(x, y);
        return n;
    };
    const QImage outlined = look();
    open(b, "sound"); // another step: the outline goes
    const QImage plain = look();
    CHECK(unlike(outlined, plain) > 100);
    open(b, "clean");
    CHECK(unlike(look(), outlined) == 0);
    QTest::mouseClick(b.find<QCheckBox>("clean.faces"), Qt::LeftButton, {}, {8, 8});
    CHECK_FALSE(b.ticket().clean.gentleFaces);
    REQUIRE(b.settle());
    const QImage off = look();
    open(b, "sound");
    CHECK(unlike(look(), off) == 0);
}

TEST_CASE("looking along movement is Clean's to switch where filters do the work") {
    Bench b;
    open(b, "clean");
    auto* along = b.find<QCheckBox>("clean.temporal");
    b.set({"clean.method=classic"});
    REQUIRE(along->isVisible());
    CHECK(along->isChecked());
    along->click();
    CHECK_FALSE(b.ticket().clean.temporal);
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket().clean.temporal);
    CHECK(along->isChecked());
    b.set({"clean.method=learned"});
    CHECK(along->isVisible()); // filters still take the colour noise away
    b.set({"clean.noise_chroma=0"});
    CHECK_FALSE(along->isVisible());
}

TEST_CASE("missing networks are told on the ticket") {
    const WithoutShippedNetworks none;
    Bench b;
    b.set({"enlarge.scale=2", "enlarge.method=learned"});
    CHECK(words(b, "sentence.enlarge").contains("the network for enlarging is missing; Lanczos stands in"));
    REQUIRE(b.settle()); // and the pictures still come
    CHECK(b.live().table().fresh() == 1);
}
