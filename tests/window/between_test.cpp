// Pictures in between, seen and steered: where they are doubtful, how they are made in a stretch, where movement leads.
#include "app/ticket/judder_gauge.h"
#include "core/ticket/between_places.h"
#include "tests/window/fixture.h"

#include <QLabel>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

TEST_CASE("doubt is looked for beside the work, shown on the reel, and a link goes to the worst") {
    Bench b({"hands"});
    b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "finish.on=false", "frame.on=false"});
    REQUIRE(b.settle());
    CHECK(b.live().doubts().doubts().empty());
    CHECK(b.live().doubts().done() == 1);
    const QImage before = b.window.bench().reel().grab().toImage();
    b.window.bench().ticket().step("motion")->setOpen(true);
    b.set({"motion.speed=50", "stretch.from=1", "stretch.to=2"});
    REQUIRE(waitFor([&] { return b.live().doubts().done() == 1 && !b.live().doubts().doubts().empty(); }));
    const auto& all = b.live().doubts().doubts();
    const Clip& clip = *b.project().currentClip()->clip;
    for (const BetweenDoubt& d : all) {
        CHECK(d.frame >= clip.frameAt(1));
        CHECK(d.frame <= clip.frameAt(2));
    }
    CHECK(differing(before, b.window.bench().reel().grab().toImage()) > 50);

    // Told in the step, with a link that goes there: to the picture made in between.
    auto* line = b.find<QLabel>("motion.doubt");
    REQUIRE(waitFor([&] { return line->isVisible() && line->text().contains("href=\"worst\""); }, 20000));
    const auto worst = b.live().doubts().worst();
    REQUIRE(worst);
    CHECK(std::ranges::all_of(all, [&](const BetweenDoubt& d) { return d.steps <= worst->steps; }));
    CHECK(std::ranges::any_of(all, [&](const BetweenDoubt& d) { return d.steps < worst->steps; }));
    const DeliveryModel& shown = b.live().deliveries();
    for (int click = 0; click < 2; ++click) { // again it is still there, not one further
        Q_EMIT line->linkActivated("worst");
        const double instant = shown.onTable()->clock.instantOf(shown.stage());
        CHECK(instant > double(worst->frame));
        CHECK(instant < double(worst->frame) + 1);
    }
    CHECK(shown.between() > 0);

    // Sliders of other steps do not ask for it anew; what it depends on does.
    b.set({"finish.light.exposure=0.2"});
    CHECK(b.live().doubts().done() == 1);
    b.set({"motion.method=fast"});
    CHECK(b.live().doubts().doubts().empty());
    CHECK(b.live().doubts().done() == 0);
}

TEST_CASE(
    "the marked stretch is held, blended or rebuilt from the reel's menu, told in the step, and undone by a link") {
    Bench b({"wheel"});
    b.set({"clean.on=false", "enlarge.on=false", "finish.on=false", "frame.on=false", "motion.speed=50"});
    REQUIRE(b.settle());
    ReelStrip& reel = b.window.bench().reel();
    b.window.bench().ticket().step("motion")->setOpen(true);
    const int y = 80;
    const auto x = [&](std::int64_t frame) { return reel.xOfFrame(frame); };
    drag(&reel, {x(10) + 1, y}, {x(19) + 1, y});
    REQUIRE(b.ticket().stretch.on);
    chooseAt(&reel, {x(15), y}, "Hold");
    auto places = betweenPlacesFrom(b.ticket().motion.places);
    REQUIRE(places.size() == 1);
    CHECK(places[0].way == BetweenWay::Hold);
    CHECK(places[0].from == Approx(b.ticket().stretch.from).margin(0.001));
    // What is shown between two of its frames is one of them.
    REQUIRE(b.settle());
    b.project().setPlayhead(14);
    b.live().deliveries().stepDelivered(1);
    CHECK(b.live().deliveries().between() == 0);
    chooseAt(&reel, {x(15), y}, "Blend");
    places = betweenPlacesFrom(b.ticket().motion.places);
    REQUIRE(places.size() == 1);
    CHECK(places[0].way == BetweenWay::Blend);
    REQUIRE(b.settle());
    b.project().setPlayhead(14);
    b.live().deliveries().stepDelivered(1);
    CHECK(b.live().deliveries().between() == Approx(0.5).margin(0.01));
    auto* line = b.find<QLabel>("motion.doubt");
    REQUIRE(waitFor([&] { return line->isVisible() && line->text().contains("blended"); }, 20000));
    Q_EMIT line->linkActivated("0");
    CHECK(b.ticket().motion.places.empty());
    b.project().undo();
    CHECK(betweenPlacesFrom(b.ticket().motion.places).size() == 1);
    chooseAt(&reel, {x(15), y}, "As elsewhere");
    CHECK(b.ticket().motion.places.empty());
}

TEST_CASE("arrows over the picture show where movement leads, with a key; judder is shown before and after") {
    Bench b({"wheel"});
    b.set({"clean.on=false", "enlarge.on=false", "finish.on=false", "frame.on=false", "motion.on=false"});
    REQUIRE(b.settle());
    b.project().setPlayhead(12);
    REQUIRE(b.settle());
    const QImage bare = b.table().grab().toImage();
    chooseFromMenu("Movement", [&] { b.find<QToolButton>("faults")->click(); });
    REQUIRE(waitFor([&] { return b.live().faults().view().fresh && b.live().faults().view().paths; }, 60000));
    CHECK(differing(bare, b.table().grab().toImage()) > 2000);
    CHECK(b.find<QToolButton>("faults")->text().contains("Movement"));
    // From the last frame nothing leads on, which is said instead.
    b.project().setPlayhead(b.project().currentClip()->clip->frameCount() - 1);
    REQUIRE(waitFor([&] { return b.live().faults().view().fresh; }, 60000));
    CHECK_FALSE(b.live().faults().view().paths);

    b.window.bench().ticket().step("motion")->setOpen(true);
    auto* gauge = b.find<JudderGauge>("motion.judder");
    b.set({"motion.fps=60", "motion.method=hold"});
    REQUIRE(waitFor([&] { return gauge->isVisible() && gauge->judder().after > 5; }, 20000));
    CHECK(gauge->judder().before < 0.5);
    CHECK(gauge->accessibleName().contains("ms as delivered"));
    const QImage held = gauge->grab().toImage();
    b.set({"motion.method=careful"});
    REQUIRE(waitFor([&] { return gauge->judder().after < 0.5; }, 20000));
    CHECK(differing(held, gauge->grab().toImage()) > 50);
}
