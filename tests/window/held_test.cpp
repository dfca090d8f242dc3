// Turned, straightened, timed, marked: through the rows of the sheet, seen on the table.
#include "app/spots/scopes_view.h"
#include "app/ticket/crop_map.h"
#include "app/widgets/quantity_slider.h"
#include "core/ticket/motion_step.h"
#include "core/ticket/together.h"
#include "tests/window/fixture.h"

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <fstream>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

bool soon(const std::function<bool()>& done) { return waitFor(done, 20000); }

void unfold(Bench& b, const char* step, const char* heading) {
    b.window.bench().ticket().step(step)->setOpen(true);
    auto* fold = b.find<QToolButton>((std::string("fold.") + heading).c_str());
    REQUIRE(soon([&] { return fold->isVisible() && fold->height() > 5; }));
    fold->click();
}

void type(Bench& b, const char* name, const QString& text) {
    auto* line = b.find<QLineEdit>(name);
    INFO(name << " visible " << line->isVisible() << " high " << line->height());
    REQUIRE(soon([&] { return line->isVisible() && line->height() > 10; }));
    line->setFocus();
    line->selectAll();
    text.isEmpty() ? QTest::keyClick(line, Qt::Key_Delete) : QTest::keyClicks(line, text);
    QTest::keyClick(line, Qt::Key_Return);
}

QImage seen(Bench& b) {
    REQUIRE(b.settle());
    return b.live().table().after().convertToFormat(QImage::Format_RGB32);
}

double unlike(const QImage& a, const QImage& b) {
    REQUIRE(a.size() == b.size());
    double sum = 0;
    for (int y = 0; y < a.height(); y += 2)
        for (int x = 0; x < a.width(); x += 2) sum += std::abs(qGray(a.pixel(x, y)) - qGray(b.pixel(x, y)));
    return 4 * sum / (double(a.width()) * a.height());
}

void plainly(Bench& b) {
    b.table().setCompare(ViewingTable::Compare::Flip);
    b.set({"clean.on=false", "enlarge.on=false", "finish.on=false", "frame.aspect=clip"});
}

} // namespace

TEST_CASE("Turn and Mirror turn and mirror the picture on the table, and undo brings it back") {
    Bench b;
    plainly(b);
    const QImage upright = seen(b);
    unfold(b, "frame", "frame.turn");
    auto* turn = b.find("frame.turn");
    REQUIRE(soon([&] { return turn->isVisible() && turn->height() > 10; }));
    auto* right = turn->findChildren<QAbstractButton*>().at(1);
    QTest::mouseClick(right, Qt::LeftButton);
    CHECK(b.ticket().frame.turn == "90");
    const QImage lying = seen(b);
    CHECK(lying.size() == upright.size().transposed());
    CHECK(unlike(lying, upright.transformed(QTransform().rotate(90))) < 2.5);
    b.find<QCheckBox>("frame.mirror")->click();
    CHECK(unlike(seen(b), upright.mirrored(true, false).transformed(QTransform().rotate(90))) < 2.5);
    b.project().undo();
    b.project().undo();
    CHECK(unlike(seen(b), upright) < 0.1);
}

TEST_CASE("a straightened crop is dragged where the hand goes, and its map shows the clip as it is held") {
    Bench b;
    plainly(b);
    b.set({"frame.aspect=9:16", "frame.turn=180", "frame.straighten=5"});
    REQUIRE(b.settle());
    const double before = b.plan().srcX;
    const QPoint middle = b.table().pictureRect().center().toPoint();
    drag(&b.table(), middle, middle + QPoint(30, 0), Qt::LeftButton, Qt::ShiftModifier);
    REQUIRE(b.settle());
    CHECK(b.plan().srcX < before - 2); // the picture went right, its window left
    // What lies under a point of the picture is the same place of the clip, both ways.
    const Delivery& d = *b.live().delivery();
    const std::int64_t stage = b.live().deliveries().stage();
    const Point there = d.toSource(stage, {20, 30});
    CHECK(d.toDelivered(stage, there).x == Approx(20));
    CHECK(!b.find<CropMap>("frame.crop")->isHidden());
}

TEST_CASE("words and times are written in their rows; what cannot be is said there, and the ticket stays") {
    Bench b;
    plainly(b);
    const QImage plain = seen(b);
    b.set({"finish.sharpen.amount=0"});
    unfold(b, "finish", "finish.mark.text");
    type(b, "finish.mark.text", "Tern Street");
    CHECK(b.ticket().finish.mark.text == "Tern Street");
    CHECK(unlike(seen(b), plain) > 0.2);
    const auto* until = b.find<QuantitySlider>("finish.mark.to");
    CHECK(until->told() == "the end");
    b.set({"finish.mark.to=1.5"});
    CHECK(until->told() == "1.5 s");
    CHECK(b.find<QuantitySlider>("finish.mark.from")->told() == "0.0 s");
    type(b, "finish.mark.text", "");
    CHECK(b.ticket().finish.mark.text.empty());

    // A picture that is none is told, and leaves what is shown as it was.
    const std::string file = b.folder / "own.png";
    std::ofstream(file) << "no picture";
    b.set({("finish.mark.file=" + file).c_str()});
    REQUIRE(soon(
        [&] { return b.live().deliveries().problem().contains("PNG") || b.window.errors().text().contains("PNG"); }));
    b.project().undo();

    unfold(b, "motion", "motion.seconds");
    CHECK(b.find<QLabel>("motion.cadences")->text().contains("% made up, or 10 ms of judder"));
    b.project().setPlayhead(20);
    auto* slow = b.find<QToolButton>("motion.ramps.here");
    REQUIRE(soon([&] { return slow->isVisible() && slow->height() > 10; }));
    slow->click();
    const std::vector<SpeedAt> ramps = rampsFrom(b.ticket().motion.ramps);
    REQUIRE(ramps.size() == 3);
    CHECK(ramps[1].seconds == Approx(b.project().currentClip()->clip->secondsAt(20)).margin(0.011));
    CHECK(ramps[1].speed == 0.5);
    CHECK(b.find<QLineEdit>("motion.ramps")->text().toStdString() == b.ticket().motion.ramps);
    const std::string was = b.ticket().motion.ramps;
    type(b, "motion.ramps", "2:50 1:50");
    CHECK(b.ticket().motion.ramps == was);
    CHECK(b.find<QLabel>("motion.ramps.wrong")->text().contains("in order of time"));
    type(b, "motion.ramps", "0:50");
    CHECK(b.find<QLabel>("motion.ramps.wrong")->isHidden());
    REQUIRE(soon([&] {
        return b.live().delivery() &&
               b.live().delivery()->seconds() >
                   1.9 * b.project().currentClip()->clip->secondsAt(b.project().currentClip()->clip->frameCount());
    }));
    QTest::mouseClick(b.find<QToolButton>("motion.freezes.here"), Qt::LeftButton);
    CHECK(freezesFrom(b.ticket().motion.freezes).size() == 1);
}

TEST_CASE("black bars that were found come off by one click; without any there is nothing to click") {
    Bench b;
    plainly(b);
    unfold(b, "frame", "frame.turn");
    auto* off = b.find<QToolButton>("frame.part.here");
    REQUIRE(soon([&] { return off->isVisible() && off->height() > 10; }));
    b.find([](Inspection& i) { i.complete = true, i.inside = {}; });
    b.set({"frame.fill=blur"});
    REQUIRE(soon([&] { return !off->isEnabled(); }));
    b.find([](Inspection& i) { i.inside = {0, 20, 320, 140}; });
    b.set({"frame.aspect=clip", "frame.fill=crop"});
    REQUIRE(soon([&] { return off->isEnabled(); }));
    off->click();
    CHECK(b.ticket().frame.part == "0,20,320x140");
    REQUIRE(b.settle());
    CHECK(b.live().delivery()->size() == Size{320, 140});
}

TEST_CASE("one slider moves light, colour and sharpening together; a part that is moved alone stays where it was put") {
    Bench b;
    plainly(b);
    const QImage plain = seen(b);
    b.window.bench().ticket().step("finish")->setOpen(true);
    auto* all = b.find<QuantitySlider>("finish.together");
    REQUIRE(soon([&] { return all->isVisible() && all->height() > 10; }));
    drag(all, {all->xOf(all->value()), all->height() / 2}, {all->xOf(70), all->height() / 2});
    CHECK(all->value() == Approx(70).margin(2));
    const Ticket::Finish f = b.ticket().finish;
    CHECK(f.on);
    CHECK(f.colour.contrast > 5);
    CHECK(f.colour.vibrance > 20);
    CHECK(unlike(seen(b), plain) > 1);
    for (const auto& [key, value] : togetherAt(all->value() / 100, b.project().currentClip()->known())) {
        Ticket same = b.ticket();
        setByKey(same, key, value);
        CHECK(same == b.ticket());
    }
    b.set({"finish.colour.vibrance=3"});
    CHECK(b.ticket().finish.colour.contrast == f.colour.contrast);
    CHECK(!togetherOf(b.ticket(), b.project().currentClip()->known()));
    b.project().undo();
    b.project().undo();
    CHECK(unlike(seen(b), plain) < 0.1);
}

TEST_CASE("scopes stand beside the picture on demand and follow what is set") {
    Bench b;
    plainly(b);
    REQUIRE(b.settle());
    auto* scopes = b.find<ScopesView>("scopes");
    CHECK(scopes->isHidden());
    QTest::keyClick(&b.window.bench(), Qt::Key_C);
    REQUIRE(soon([&] { return scopes->isVisible(); }));
    CHECK(!scopes->geometry().intersects(b.table().geometry()));
    const auto middle = [&] {
        double sum = 0, at = 0;
        for (std::size_t i = 0; i < 256; ++i)
            sum += double(scopes->after().levels[1][i]), at += double(i) * double(scopes->after().levels[1][i]);
        return sum > 0 ? at / sum : 0;
    };
    REQUIRE(soon([&] { return middle() > 1; }));
    const double before = middle();
    b.set({"finish.light.exposure=1", "finish.sharpen.amount=0"});
    REQUIRE(b.settle());
    REQUIRE(soon([&] { return middle() > before + 10; }));
    // Ink where something is, and none where nothing is.
    const QImage drawn = scopes->grab().toImage();
    int inked = 0;
    for (int y = 16; y < 110; ++y)
        for (int x = drawn.width() / 2 + 6; x < drawn.width(); ++x) inked += qGray(drawn.pixel(x, y)) < 120;
    CHECK(inked > 100);
    chooseFromMenu("Scopes (C)", [&] { QTest::mouseClick(b.find<QToolButton>("look"), Qt::LeftButton); });
    CHECK(scopes->isHidden());
}
