// A destination on the table: what is seen there is what is delivered, and the person learns it before the render.
#include "app/reel/result_reel.h"
#include "app/spots/spots_column.h"
#include "app/table/shapes_strip.h"
#include "app/targets/target_chips.h"
#include "app/tasks/image.h"
#include "app/ticket/crop_map.h"
#include "app/widgets/quantity_slider.h"
#include "cli/commands.h"
#include "core/base/files.h"
#include "tests/window/fixture.h"

#include <QCheckBox>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <sstream>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

// Destinations of three shapes, small enough for tests; the folder lives while the window does.
class Cards {
public:
    Cards() {
        write("tall", R"("title":"Tall","size":"270x480","max_mb":20)");
        write("square", R"("title":"Square","aspects":["1:1"],"max_fps":12)");
        write("wide", R"("title":"Wide","max_mb":3)");
        write("brief", R"("title":"Brief","max_seconds":1)");
        setenv("ULMWOOD_TARGETS", folder_.path().c_str(), 1);
    }
    ~Cards() { unsetenv("ULMWOOD_TARGETS"); }

private:
    void write(const std::string& name, const std::string& rest) {
        writeFileWhole(folder_ / (name + ".json"), "{\"name\":\"" + name + "\"," + rest + "}");
    }
    TempFolder folder_;
};

// Clicks a chip: its box, or what it says.
void clickBox(Bench& b, const char* name) {
    QTest::mouseClick(b.find((std::string("target.") + name).c_str()), Qt::LeftButton, {}, {14, 16});
}
void clickChip(Bench& b, const char* name) {
    QTest::mouseClick(b.find((std::string("target.") + name).c_str()), Qt::LeftButton, {}, {70, 16});
}

QString words(Bench& b, const char* label) { return b.find<QLabel>(label)->text(); }

void openStep(Bench& b, const char* key) { b.window.bench().ticket().step(key)->setOpen(true); }

QSize sizeOnTable(Bench& b) { return b.live().table().after().size(); }

} // namespace

namespace {

// As by a hand: what is pressed on keeps the mouse until it is let go, wherever it has moved to by then.
void clickLink(Bench& b, QLabel* label) {
    QWidget* up = label;
    while (up && !qobject_cast<QScrollArea*>(up)) up = up->parentWidget();
    REQUIRE(up);
    qobject_cast<QScrollArea*>(up)->ensureWidgetVisible(label);
    QPoint at(-1, -1);
    QString under;
    QObject watch;
    QObject::connect(label, &QLabel::linkHovered, &watch, [&](const QString& to) { under = to; });
    for (int y = label->height() - 4; y > 0 && at.x() < 0; y -= 6)
        for (int x = 30; x < label->width() && at.x() < 0; x += 8) {
            QTest::mouseMove(label, QPoint(x, y));
            if (!under.isEmpty()) at = QPoint(x, y);
        }
    REQUIRE(at.x() >= 0);
    const QPoint there = label->mapTo(&b.window, at);
    QTest::mousePress(b.window.windowHandle(), Qt::LeftButton, {}, there);
    QApplication::processEvents();
    QTest::mouseRelease(b.window.windowHandle(), Qt::LeftButton, {}, there);
}

} // namespace

TEST_CASE("a destination is put on the table: shape, spots, sheet and gauge show its delivery before any render") {
    const Cards cards;
    Bench b;
    Q_EMIT b.find<QLabel>("ticketAdvice")->linkActivated("apply");
    b.set({"enlarge.on=false", "frame.on=false"});
    REQUIRE(b.settle());
    CHECK(sizeOnTable(b) == QSize(320, 180));
    CHECK(words(b, "sentence.frame") == "Shape kept.");
    // Ticking delivers to it, and shows what will be delivered; without its tick the table is as it was.
    clickBox(b, "tall");
    CHECK(b.project().chosen().contains("tall"));
    CHECK(b.project().onTable() == "tall");
    clickBox(b, "tall");
    CHECK_FALSE(b.project().chosen().contains("tall"));
    CHECK(b.project().onTable().empty());
    clickBox(b, "tall");
    clickChip(b, "tall"); // a look at the ticket alone
    CHECK(b.project().onTable().empty());
    clickChip(b, "tall");
    CHECK(b.project().onTable() == "tall");
    CHECK(b.project().chosen().contains("tall"));
    REQUIRE(b.settle());
    CHECK(sizeOnTable(b) == QSize(270, 480));
    for (const SpotPicture& s : b.live().spots().pictures()) CHECK(Rect{0, 0, 270, 480}.contains(s.region));
    CHECK(words(b, "sentence.frame") == "9:16 by cropping; 32\u00a0% of the picture stays.");
    CHECK(words(b, "additions.frame").contains("Tall asks 270×480: crop, 32 % stays."));
    CHECK(b.find<QLabel>("additions.frame")->isVisible());
    CHECK_FALSE(b.find<QLabel>("additions.motion")->isVisible());
    CHECK(words(b, "additions.deliver").contains("Tall takes at most 20 MB"));
    CHECK_FALSE(b.ticket().frame.on); // the ticket is the person's; the destination only adds to it
    // Enlarge is off and more pixels are needed: said, and the network is one click away.
    CHECK(words(b, "additions.enlarge").contains("Lanczos makes up the ×2.67"));
    const QImage byLanczos = b.live().table().after();
    // Another step is open, and stays so: a link does what it says, and is not moved away under the pointer.
    openStep(b, "clean");
    clickLink(b, b.find<QLabel>("additions.enlarge"));
    CHECK(b.find<QWidget>("clean.blocks")->isVisible());
    CHECK(b.ticket().enlarge.on);
    CHECK(b.ticket().enlarge.method == "learned");
    REQUIRE(b.settle());
    CHECK(sizeOnTable(b) == QSize(270, 480));
    CHECK_FALSE(b.live().table().after() == byLanczos);
    CHECK_FALSE(words(b, "additions.enlarge").contains("Lanczos"));
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(b.ticket().enlarge.on);
    // Off the table again.
    clickChip(b, "tall");
    CHECK(b.project().onTable().empty());
    REQUIRE(b.settle());
    CHECK(sizeOnTable(b) == QSize(320, 180));
    CHECK_FALSE(b.find<QLabel>("additions.frame")->isVisible());
}

TEST_CASE("the table's pixels are those of the command line's frame, and the render is that delivery") {
    const Cards cards;
    Bench b;
    b.set({"clean.blocks=measured", "enlarge.on=false", "frame.x@tall=0.1"});
    clickChip(b, "tall");
    REQUIRE(b.settle());
    const ClipEntry& c = *b.project().currentClip();
    const std::string ticket = b.folder / "shown.ticket.json", png = b.folder / "frame.png";
    saveTicket(b.ticket(), ticket);
    std::ostringstream out, err;
    cli::Surroundings s{out, err, {}};
    REQUIRE(cli::run({"frame", c.path.toStdString(), "--at", std::to_string(c.clip->secondsAt(c.playhead) + 1e-4), "-o",
                      png, "--ticket", ticket, "--target", "tall"},
                     s) == 0);
    CHECK(err.str().find("Tall asks 270×480") != std::string::npos);
    CHECK(QImage(QString::fromStdString(png)).convertToFormat(QImage::Format_RGB32) == b.live().table().after());
    CHECK(b.plan().srcX < 30);
    clickBox(b, "tall");
    b.window.addToRunList();
    REQUIRE(waitFor([&] { return b.window.runs().items()[0].state == RunItem::State::Done; }));
    const auto made = Clip::openVideo(b.window.runs().items()[0].output.toStdString());
    CHECK(made->facts().video.width == 270);
    CHECK(made->frameCount() == b.live().delivery()->frames());
}

TEST_CASE("what a clip loses or keeps against its good is told on the ticket before it is rendered, with the remedy") {
    const Cards cards;
    Bench b;
    CHECK_FALSE(b.find<QLabel>("additions.motion")->isVisible());
    b.find([](Inspection& i) { i.fieldOrder = "top"; });
    b.set({"stretch.without=0.2-0.5"});
    REQUIRE(b.settle());
    auto* motion = b.find<QLabel>("additions.motion");
    CHECK(motion->isVisible());
    CHECK(words(b, "additions.motion").contains("It is interlaced: both fields stay woven into one picture"));
    CHECK(words(b, "additions.deliver").contains("One part is left out, 0.3 s of it."));
    CHECK(words(b, "additions.sound") == "Its sound is joined as the pictures are, and encoded as AAC.");
    openStep(b, "finish");
    clickLink(b, motion);
    CHECK(b.ticket().motion.on);
    CHECK(b.ticket().motion.deinterlace == "auto");
    REQUIRE(b.settle());
    CHECK_FALSE(motion->isVisible());
    CHECK(words(b, "sentence.motion").startsWith("Deinterlaced"));
}

TEST_CASE("a clip too long for a destination is cut to what it takes by one click, and so it is taken") {
    const Cards cards;
    Bench b;
    clickBox(b, "brief");
    REQUIRE(b.gauges());
    CHECK(b.find<TargetChip>("target.brief")->state().words == "0.9 s too long");
    b.find<QPushButton>("addToRunList")->click();
    REQUIRE(waitFor([&] { return words(b, "errorText").contains("Brief takes at most 1 s; this would be 1.92 s"); }));
    auto* told = b.find<QLabel>("additions.deliver");
    CHECK(told->text().contains("Brief takes at most 1 s; this lasts 1.9 s"));
    clickLink(b, told);
    CHECK(b.ticket().stretch.on);
    REQUIRE(b.settle());
    REQUIRE(b.gauges());
    CHECK(b.live().delivery()->seconds() == Approx(1));
    CHECK(b.find<TargetChip>("target.brief")->state().words.startsWith("about"));
    CHECK_FALSE(told->text().contains("takes at most 1 s"));
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(b.ticket().stretch.on);
}

TEST_CASE("a step can hold values for the destination on the table alone, and give them back") {
    const Cards cards;
    Bench b;
    b.set({"enlarge.on=false", "frame.on=false"});
    openStep(b, "frame");
    auto* only = b.find<QCheckBox>("only.frame");
    CHECK_FALSE(only->isVisible()); // no destination, nothing to hold apart
    clickChip(b, "tall");
    REQUIRE(only->isVisible());
    CHECK(only->text() == "Only for Tall");
    only->click();
    CHECK(hasOwn(b.ticket(), "tall", "frame"));
    auto* x = b.find<QuantitySlider>("frame.x");
    QTest::mousePress(x, Qt::LeftButton, {}, {x->xOf(0.5), x->height() / 2});
    QTest::mouseMove(x, {x->xOf(0.1), x->height() / 2});
    QTest::mouseRelease(x, Qt::LeftButton, {}, {x->xOf(0.1), x->height() / 2});
    CHECK(b.ticket().frame.x == 0.5); // shared: untouched
    CHECK(ticketFor(b.ticket(), "tall").frame.x == Approx(0.1).margin(0.03));
    const double left = b.plan().srcX;
    CHECK(left < 30);
    // What is shared is still shared.
    b.window.bench().ticket().step("clean")->setOpen(true);
    b.find<QCheckBox>("clean.faces")->click();
    CHECK_FALSE(b.ticket().clean.gentleFaces);
    // Another destination does not see it.
    clickChip(b, "square");
    CHECK(b.plan().srcX == Approx((320 - 180) / 2));
    CHECK_FALSE(b.find<QCheckBox>("only.frame")->isChecked());
    clickChip(b, "tall");
    CHECK(b.find<QCheckBox>("only.frame")->isVisible()); // set, it is seen although its step is shut
    CHECK(b.plan().srcX == Approx(left));
    b.find<QCheckBox>("only.frame")->click();
    CHECK(b.ticket().only.empty());
    CHECK(b.plan().srcX > 30);
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.plan().srcX == Approx(left));
}

TEST_CASE("the crop of a shape that a destination asks is dragged on its map and on the picture") {
    const Cards cards;
    Bench b;
    b.set({"enlarge.on=false", "frame.on=false"});
    clickChip(b, "tall");
    openStep(b, "frame");
    auto* map = b.find<CropMap>("frame.crop");
    REQUIRE(map->isVisible());
    const QPoint from = map->window().center().toPoint();
    drag(map, from, from - QPoint(400, 0));
    CHECK(b.plan().srcX == 0);
    CHECK(b.ticket().frame.x == 0);
    REQUIRE(b.settle());
    const QPoint a = b.table().pictureRect().center().toPoint();
    drag(&b.table(), a, a - QPoint(20, 0), Qt::LeftButton, Qt::ShiftModifier);
    CHECK(b.plan().srcX > 0);
}

TEST_CASE("all ticked shapes stand side by side; a click there, or G, or a chip changes between them") {
    const Cards cards;
    Bench b;
    b.set({"enlarge.on=false", "frame.on=false"});
    ShapesStrip& strip = b.window.bench().table().shapes();
    CHECK_FALSE(strip.isVisible());
    clickBox(b, "tall");
    CHECK_FALSE(strip.isVisible()); // one shape needs no comparing
    clickBox(b, "square");
    REQUIRE(strip.isVisible());
    REQUIRE(waitFor([&] { return !strip.pictureOf("square").isNull() && !strip.pictureOf("tall").isNull(); }));
    CHECK(strip.pictureOf("square").width() == strip.pictureOf("square").height());
    CHECK(strip.pictureOf("tall").width() < strip.pictureOf("tall").height());
    CHECK(strip.pictureOf("").width() > strip.pictureOf("").height());
    QTest::mouseClick(&strip, Qt::LeftButton, {}, strip.boxOf("square").center());
    CHECK(b.project().onTable() == "square");
    REQUIRE(b.settle());
    CHECK(sizeOnTable(b) == QSize(180, 180));
    CHECK(words(b, "additions.motion").contains("at most 12 frames a second"));
    QTest::mouseClick(&strip, Qt::LeftButton, {}, strip.boxOf("").center());
    CHECK(b.project().onTable().empty());
    QTest::keyClick(&b.window.bench(), Qt::Key_G);
    CHECK_FALSE(strip.isVisible());
    chooseFromMenu("All ticked shapes (G)", [&] { b.find<QToolButton>("look")->click(); });
    CHECK(strip.isVisible());
}

TEST_CASE("playhead, spots and reel keep to the delivery's clock where a destination takes fewer frames") {
    const Cards cards;
    Bench b;
    clickChip(b, "square");
    REQUIRE(b.settle());
    const Delivery& d = *b.live().delivery();
    CHECK(d.fps() == Approx(12).margin(0.3));
    for (const std::int64_t n : {3, 4, 20}) {
        b.project().setPlayhead(n);
        REQUIRE(b.settle());
        const std::int64_t stage = b.live().deliveries().stage();
        CHECK(std::abs(d.clock.sourceOf(stage) - n) <= 1);
        Engine engine(0);
        CHECK(b.live().table().after() ==
              toImage(engine.pull(*asRgb(d.result), stage, d.result->format().frame(), {})));
    }
}

TEST_CASE("a switch of clips shows nothing of the one before, on the table, in the spots and on the reel") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    REQUIRE(b.settle());
    const QImage old = b.live().table().after();
    REQUIRE_FALSE(old.isNull());
    ReelStrip& reel = b.window.bench().reel();
    const QRect thumbs(0, 0, reel.width(), reel.traceTop() - 6);
    REQUIRE(waitFor([&] { return reel.grab(thumbs).toImage().pixelColor(20, 20).saturation() > 5; }));
    // Every event until the new clip is there: what is shown is either nothing or the new one's.
    int looked = 0;
    const auto look = [&] {
        ++looked;
        CHECK_FALSE(b.live().table().after() == old);
        CHECK_FALSE(b.live().table().before().size() == QSize(1, 1));
        for (const SpotPicture& s : b.live().spots().pictures()) CHECK((s.after.isNull() || s.fresh));
    };
    b.project().setCurrent(1);
    CHECK(b.live().table().after().isNull());
    CHECK(b.live().table().before().isNull());
    // The surround, and nothing else, where the picture was.
    const QPoint middle = b.table().rect().center();
    CHECK(qRed(b.pixel(&b.table(), middle)) == qBlue(b.pixel(&b.table(), middle)));
    look();
    REQUIRE(waitFor([&] {
        look();
        return b.live().table().fresh() >= 1 && !b.live().table().after().isNull() && b.live().spots().fresh();
    }));
    CHECK(looked > 3);
}

TEST_CASE("what is on the table, ticked and held apart comes back with the session") {
    const Cards cards;
    TempFolder session;
    const QString folder = QString::fromStdString(session.path());
    {
        Bench b({"wheel"}, folder);
        clickBox(b, "square");
        clickChip(b, "tall");
        b.set({"frame.x@tall=0.3"});
        b.project().keepNow();
        REQUIRE(waitFor([&] { return QFile::exists(folder + "/session.json"); }));
        REQUIRE(waitFor([&] {
            return readTextFile(session / "session.json").find("\"on_table\": \"tall\"") != std::string::npos;
        }));
        const SessionCopy left(session);
        MainWindow again(left.path());
        again.restore();
        CHECK(again.project().onTable() == "tall");
        CHECK(again.project().chosen().contains("square"));
        REQUIRE(again.project().count() == 1);
        CHECK(ticketFor(again.project().at(0).ticket, "tall").frame.x == 0.3);
    }
}
