#include "app/widgets/fold_group.h"
#include "app/widgets/quantity_slider.h"
#include "core/base/files.h"
#include "tests/window/fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <fstream>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

// The button of a row of choices that bears these words.
QPushButton* choiceOf(Bench& b, const char* row, const QString& words) {
    for (QPushButton* p : b.find(row)->findChildren<QPushButton*>())
        if (p->text() == words) return p;
    FAIL("no choice " << words.toStdString() << " in " << row);
    return nullptr;
}

void choose(Bench& b, const char* row, const QString& words) {
    QTest::mouseClick(choiceOf(b, row, words), Qt::LeftButton);
    CHECK(choiceOf(b, row, words)->isChecked());
}

void open(Bench& b, const char* step) {
    StepBlock* s = b.window.bench().ticket().step(step);
    if (!s->isOpen()) QTest::keyClick(s, Qt::Key_Return);
    REQUIRE(s->isOpen());
}

QString sentence(Bench& b, const char* step) {
    return b.find<QLabel>((std::string("sentence.") + step).c_str())->text();
}

// A row of a group, its group unfolded by a click on the heading where it is not in sight.
QuantitySlider* inSight(Bench& b, const char* key) {
    auto* s = b.find<QuantitySlider>(key);
    for (QWidget* w = s; w && !s->isVisible(); w = w->parentWidget())
        if (auto* group = qobject_cast<FoldGroup*>(w); group && !group->isOpen()) {
            auto* heading = group->findChild<QToolButton*>(QString(), Qt::FindDirectChildrenOnly);
            REQUIRE(waitFor([&] { return heading->isVisible() && heading->height() > 5; }, 10000));
            QTest::mouseClick(heading, Qt::LeftButton);
        }
    CHECK(s->isVisible());
    return s;
}

// Types a number into a slider, as a double-click on its value lets one do.
void type(QuantitySlider* s, const char* text) {
    QTest::mouseDClick(s, Qt::LeftButton, {}, {s->width() - 80, s->height() / 2});
    auto* edit = s->findChild<QLineEdit*>("typedValue");
    REQUIRE(edit);
    INFO("typing over " << edit->text().toStdString());
    CHECK(edit->selectedText() == edit->text()); // typing replaces what was there
    QTest::keyClicks(edit, text);
    QTest::keyClick(edit, Qt::Key_Return);
    CHECK_FALSE(s->findChild<QLineEdit*>("typedValue"));
}

// Chooses an entry of the menu that the ticket's button opens.
void fromTicketMenu(Bench& b, const QString& words) {
    chooseFromMenu(words, [&] { QTest::mouseClick(b.find("ticketMenu"), Qt::LeftButton); });
}

} // namespace

TEST_CASE("a slider by itself: wheel only with focus, arrows by steps, ends, typing, and where the value comes from") {
    QuantitySlider s("Noise", 0, 50, 0.5, 1, "");
    s.resize(300, 26);
    s.setMeasurable(true);
    s.setReading(6);
    s.setQuantity({From::Measured, 6, 0});
    s.show();
    REQUIRE(QTest::qWaitForWindowExposed(&s));
    std::vector<std::pair<Quantity, bool>> heard;
    QObject::connect(&s, &QuantitySlider::changed, [&](const Quantity& q, bool done) { heard.push_back({q, done}); });

    s.clearFocus();
    turnWheel(&s, {150, 12}, 1);
    CHECK(heard.empty()); // scrolling the sheet must not change what lies under the pointer
    s.activateWindow();
    s.setFocus();
    REQUIRE(waitFor([&] { return s.hasFocus(); }));
    turnWheel(&s, {150, 12}, 1);
    CHECK(s.value() == Approx(6.5));
    CHECK(s.quantity().from == From::Nudged);
    CHECK(s.quantity().nudge == Approx(0.5));
    QTest::keyClick(&s, Qt::Key_Left);
    QTest::keyClick(&s, Qt::Key_Left);
    CHECK(s.value() == Approx(5.5));
    QTest::keyClick(&s, Qt::Key_Right, Qt::ShiftModifier);
    CHECK(s.value() == Approx(8));

    // A nudge follows the reading; a pinned value does not.
    s.setReading(10);
    CHECK(s.value() == Approx(12));
    QTest::keyClick(&s, Qt::Key_P);
    CHECK(s.quantity().from == From::Fixed);
    s.setReading(3);
    CHECK(s.value() == Approx(12));
    QTest::keyClick(&s, Qt::Key_Home);
    CHECK(s.quantity().from == From::Measured);
    CHECK(s.value() == Approx(3));

    type(&s, "7,5"); // a comma is a decimal point to many
    CHECK(s.value() == Approx(7.5));
    type(&s, "999");
    CHECK(s.value() == Approx(50));
    type(&s, "-4");
    CHECK(s.value() == Approx(0));
    const std::size_t before = heard.size();
    type(&s, "much");
    CHECK(heard.size() == before);
    QTest::mouseDClick(&s, Qt::LeftButton, {}, {s.width() - 80, s.height() / 2});
    auto* given = s.findChild<QLineEdit*>("typedValue");
    QTest::keyClicks(given, "31");
    QTest::keyClick(given, Qt::Key_Escape); // thought better of it
    CHECK_FALSE(s.findChild<QLineEdit*>("typedValue"));
    CHECK(heard.size() == before);
    for (const auto& [q, done] : heard) CHECK(done); // keys, wheel and typing are whole strokes

    // A drag tells every move, and its end once; let go on the tick it docks.
    heard.clear();
    const int y = s.height() / 2;
    QTest::mousePress(&s, Qt::LeftButton, {}, {s.xOf(20), y});
    QTest::mouseMove(&s, {s.xOf(30), y});
    QTest::mouseMove(&s, {s.xOf(3), y});
    QTest::mouseRelease(&s, Qt::LeftButton, {}, {s.xOf(3), y});
    REQUIRE(heard.size() == 4);
    CHECK(heard[0].first.from == From::Nudged);
    CHECK(heard[2].first.from == From::Measured);
    CHECK(std::ranges::count_if(heard, [](const auto& h) { return h.second; }) == 1);
    CHECK(heard.back().second);

    // The tick is drawn where the reading lies, beside the handle when that is elsewhere.
    s.setQuantity({From::Fixed, 45, 0});
    const QImage shot = s.grab().toImage();
    CHECK(QColor(shot.pixel(s.xOf(3), y - 7)) == Theme::now().slate);
    CHECK(QColor(shot.pixel(s.xOf(45), y + 4)) == Theme::now().elm);
}

TEST_CASE("every control of every step writes its own field, says so in the sentence, and can be undone") {
    Bench b;
    const Ticket fresh = b.ticket();
    int changes = 0;
    const auto expect = [&](const Ticket& wanted) {
        CHECK(toJson(b.ticket()).dump() == toJson(wanted).dump());
        ++changes;
    };
    Ticket w = fresh;

    open(b, "clean");
    type(b.find<QuantitySlider>("clean.keep_original"), "30");
    w.clean.on = true, w.clean.keepOriginal = 30;
    expect(w);
    CHECK(sentence(b, "clean").contains("30\u00a0%"));
    type(b.find<QuantitySlider>("clean.noise_chroma"), "4");
    w.clean.chroma = {From::Nudged, 4, 4}; // off a measured value it is a nudge
    expect(w);
    type(b.find<QuantitySlider>("clean.ringing"), "3");
    w.clean.ringing = {From::Fixed, 3, 0};
    expect(w);
    CHECK(sentence(b, "clean").contains("ringing 3 fixed"));
    type(b.find<QuantitySlider>("clean.stairs"), "40");
    w.clean.stairs = {From::Fixed, 40, 0};
    expect(w);
    type(b.find<QuantitySlider>("clean.banding"), "60");
    w.clean.banding = {From::Fixed, 60, 0};
    expect(w);
    type(b.find<QuantitySlider>("clean.texture"), "25");
    w.clean.texture = 25;
    expect(w);
    choose(b, "clean.method", "Quick net");
    w.clean.method = "learned-quick";
    expect(w);
    b.find<QAbstractButton>("clean.faces")->click();
    w.clean.gentleFaces = false;
    expect(w);

    open(b, "enlarge");
    choose(b, "enlarge.scale", "×1.5");
    w.enlarge.on = true, w.enlarge.scale = 1.5;
    expect(w);
    CHECK(sentence(b, "enlarge").contains("×1.5"));
    auto* method = b.find<QComboBox>("enlarge.method");
    method->setFocus();
    QTest::keyClick(method, Qt::Key_Down);
    w.enlarge.method = "learned-quick";
    expect(w);
    CHECK(sentence(b, "enlarge").contains("network"));
    type(b.find<QuantitySlider>("enlarge.above"), "1.5");
    w.enlarge.above = 1.5;
    expect(w);
    CHECK(sentence(b, "enlarge").contains("×1.5 of that"));
    choose(b, "enlarge.kind", "Drawn");
    w.enlarge.kind = "drawn";
    expect(w);
    CHECK(sentence(b, "enlarge").contains("drawn pictures"));
    QTest::keyClick(method, Qt::Key_Down);
    w.enlarge.method = "lanczos";
    expect(w);
    QTest::keyClick(method, Qt::Key_Down);
    w.enlarge.method = "spline36";
    expect(w);
    CHECK(sentence(b, "enlarge").contains("Spline"));
    CHECK_FALSE(b.find("enlarge.kind")->isVisible());  // a filter is made for nothing in particular
    CHECK_FALSE(b.find("enlarge.above")->isVisible()); // and does not work above
    CHECK_FALSE(sentence(b, "enlarge").contains("of that"));
    auto* height = b.find<QLineEdit>("enlarge.height");
    height->selectAll();
    QTest::keyClicks(height, "720");
    QTest::keyClick(height, Qt::Key_Return);
    w.enlarge.size = Size{1280, 720};
    expect(w);
    CHECK(b.find<QLineEdit>("enlarge.width")->text() == "1280");
    for (QAction* a : b.find<QToolButton>("enlarge.named")->menu()->actions())
        if (a->text() == "1920×1080") a->trigger();
    w.enlarge.size = Size{1920, 1080};
    expect(w);

    open(b, "motion");
    choose(b, "motion.fps", "50");
    w.motion.on = true, w.motion.fps = 50;
    expect(w);
    CHECK(sentence(b, "motion").contains("50 frames a second"));
    choose(b, "motion.method", "Fast");
    w.motion.method = "fast";
    expect(w);
    CHECK(sentence(b, "motion").contains("in-betweens fast"));
    choose(b, "motion.unsure", "Mix");
    w.motion.unsure = "mix";
    expect(w);
    CHECK(sentence(b, "motion").contains("mixed where unsure"));
    type(b.find<QuantitySlider>("motion.speed"), "40");
    w.motion.speed = 40;
    expect(w);
    CHECK(sentence(b, "motion").contains("40\u00a0% of its speed"));
    choose(b, "motion.duplicates", "Replace");
    w.motion.duplicates = "replace";
    expect(w);
    choose(b, "motion.deinterlace", "Off");
    w.motion.deinterlace = "off";
    expect(w);

    open(b, "frame");
    choose(b, "frame.aspect", "1:1");
    w.frame.on = true, w.frame.aspect = {1, 1};
    expect(w);
    type(b.find<QuantitySlider>("frame.x"), "0.8");
    w.frame.x = 0.8;
    expect(w);
    type(b.find<QuantitySlider>("frame.y"), "0.1");
    w.frame.y = 0.1;
    expect(w);
    choose(b, "frame.fill", "Blur");
    w.frame.fill = "blur";
    expect(w);
    CHECK_FALSE(b.find("frame.x")->isVisible()); // nothing is cropped: nothing to place
    CHECK(sentence(b, "frame").contains("blurred"));

    open(b, "finish");
    type(b.find<QuantitySlider>("finish.sharpen.amount"), "1.2");
    w.finish.on = true, w.finish.amount = 1.2;
    expect(w);
    type(b.find<QuantitySlider>("finish.sharpen.radius"), "2.5");
    w.finish.radius = 2.5;
    expect(w);
    CHECK(sentence(b, "finish") == "Sharpen 1.2 at 2.5 px.");
    const std::pair<const char*, double*> numbers[] = {
        {"finish.detail.finest", &w.finish.detail.finest},       {"finish.detail.fine", &w.finish.detail.fine},
        {"finish.detail.medium", &w.finish.detail.medium},       {"finish.detail.coarse", &w.finish.detail.coarse},
        {"finish.detail.threshold", &w.finish.detail.threshold}, {"finish.halo_limit", &w.finish.haloLimit},
        {"finish.grain.amount", &w.finish.grain.amount},         {"finish.grain.size", &w.finish.grain.size},
        {"finish.grain.midtones", &w.finish.grain.midtones}};
    int hundredths = 50;
    for (const auto& [key, field] : numbers) {
        INFO(key);
        const QByteArray typed = QByteArray::number(hundredths / 100.0);
        type(inSight(b, key), typed.constData());
        *field = typed.toDouble();
        expect(w);
        hundredths += 5;
    }
    CHECK(sentence(b, "finish").startsWith("Sharpen 1.2 at 2.5 px, detail 0.5 / 0.55 / 0.6 / 0.65, grain 0.8 of "));
    Colour& c = w.finish.colour;
    const std::pair<const char*, double*> lights[] = {{"finish.light.exposure", &c.exposure},
                                                      {"finish.light.contrast", &c.contrast},
                                                      {"finish.light.pivot", &c.pivot},
                                                      {"finish.light.shadows", &c.shadows},
                                                      {"finish.light.lights", &c.lights},
                                                      {"finish.light.lightness", &c.lightness},
                                                      {"finish.colour.warmth", &c.warmth},
                                                      {"finish.colour.tint", &c.tint},
                                                      {"finish.colour.saturation", &c.saturation},
                                                      {"finish.colour.vibrance", &c.vibrance},
                                                      {"finish.colour.hue", &c.hue},
                                                      {"finish.clarity.amount", &w.finish.clarity.amount},
                                                      {"finish.clarity.radius", &w.finish.clarity.radius},
                                                      {"finish.glow.amount", &w.finish.glow.amount},
                                                      {"finish.glow.threshold", &w.finish.glow.threshold},
                                                      {"finish.glow.radius", &w.finish.glow.radius},
                                                      {"finish.vignette", &w.finish.vignette}};
    int whole = 10;
    for (const auto& [key, field] : lights) {
        INFO(key);
        const QByteArray typed = QByteArray::number(key == lights[0].first ? 1 : whole++);
        type(inSight(b, key), typed.constData());
        *field = typed.toDouble();
        expect(w);
    }
    CHECK(sentence(b, "finish").startsWith("Exposure +1 stops, contrast +10, shadows +12, "));
    b.find<QAbstractButton>("finish.shadows")->click();
    w.finish.shadows = false;
    expect(w);

    open(b, "sound");
    choose(b, "sound.mode", "As AAC");
    w.sound.mode = "aac";
    expect(w);
    CHECK(sentence(b, "sound").contains("AAC"));

    open(b, "deliver");
    choose(b, "deliver.quality", "Best");
    w.deliver.quality = "best";
    expect(w);
    choose(b, "deliver.codec", "H.265");
    w.deliver.codec = "h265";
    expect(w);
    CHECK(sentence(b, "deliver").contains("H.265"));
    choose(b, "deliver.rate", "Bitrate");
    w.deliver.rate = "variable";
    expect(w);
    type(b.find<QuantitySlider>("deliver.bitrate"), "5000");
    w.deliver.bitrate = 5000;
    expect(w);
    CHECK(sentence(b, "deliver").contains("5000 kb/s"));
    CHECK_FALSE(b.find("deliver.quality")->isVisible());
    choose(b, "deliver.rate", "Size");
    w.deliver.rate = "size";
    expect(w);
    type(b.find<QuantitySlider>("deliver.size_mb"), "9.5");
    w.deliver.sizeMb = 9.5;
    expect(w);
    CHECK(sentence(b, "deliver").contains("9.5 MB"));

    for (int i = 0; i < changes; ++i) QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == fresh);
    for (int i = 0; i < changes; ++i) QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(b.ticket() == w);
}

TEST_CASE("a change after undo forgets what was undone; the end of the list does no harm") {
    Bench b;
    const Ticket fresh = b.ticket();
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == fresh);
    open(b, "finish");
    type(b.find<QuantitySlider>("finish.sharpen.amount"), "1");
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == fresh);
    type(b.find<QuantitySlider>("finish.sharpen.radius"), "3");
    const Ticket other = b.ticket();
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(b.ticket() == other);
}

TEST_CASE("the ticket's menu copies it to every clip and clears it, each to be undone") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(1);
    type(b.find<QuantitySlider>("clean.keep_original"), "11");
    const Ticket hands = b.ticket();
    b.project().setCurrent(0);
    open(b, "finish");
    type(b.find<QuantitySlider>("finish.sharpen.amount"), "1.5");
    const Ticket wheel = b.ticket();
    fromTicketMenu(b, "Copy this ticket to every clip");
    b.project().setCurrent(1);
    CHECK(b.ticket() == wheel);
    CHECK(sentence(b, "finish").contains("1.5"));
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == hands);
    fromTicketMenu(b, "Clear the ticket");
    CHECK(b.ticket() == Ticket{});
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == hands);
}

TEST_CASE("a ticket beside a dropped clip is taken with it, and one that makes no sense is told and left") {
    Bench b{QStringList()};
    const QString from = QString::fromStdString(demoClips() / "wheel.mp4");
    const auto place = [&](const std::string& name, const std::string& ticket) {
        const QString to = QString::fromStdString(b.folder / (name + ".mp4"));
        QFile::copy(from, to);
        std::ofstream(b.folder / (name + ".ticket.json")) << ticket;
        return to;
    };
    Ticket t;
    setByAssignment(t, "finish.sharpen.amount=0.9");
    const QString good = place("good", toJson(t).dump()), bad = place("bad", R"({"ulmwood":1,"clean":{"noise":[]}})");
    b.drop({good});
    REQUIRE(waitFor([&] { return b.project().count() == 1 && b.project().at(0).clip; }));
    CHECK(b.project().at(0).ticket.finish.amount == 0.9);
    b.drop({bad});
    REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
    CHECK(b.project().at(1).ticket == Ticket{});
    CHECK(b.window.errors().text().contains("bad.ticket.json"));
    CHECK(readTextFile(b.folder / "bad.ticket.json").find("[]") != std::string::npos);
}

TEST_CASE("a slider moved on one clip and then on another is undone on each by itself") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    const auto sharpen = [&](double amount) {
        b.project().edit([&](Ticket& t) { t.finish.on = true, t.finish.amount = amount; }, "finish.sharpen.amount");
    };
    const double was = b.project().at(0).ticket.finish.amount, wasOther = b.project().at(1).ticket.finish.amount;
    sharpen(1.1), sharpen(1.3); // one stroke
    b.project().setCurrent(1);
    sharpen(2.1);
    b.project().undo();
    CHECK(b.project().at(1).ticket.finish.amount == Approx(wasOther));
    b.project().setCurrent(0);
    CHECK(b.project().at(0).ticket.finish.amount == Approx(1.3));
    b.project().undo();
    CHECK(b.project().at(0).ticket.finish.amount == Approx(was));
}

// What lies in a strip of its own that scrolls may be wider.
static bool isScrolledIn(const QWidget* w, const QWidget* within) {
    for (const QWidget* p = w->parentWidget(); p && p != within; p = p->parentWidget())
        if (qobject_cast<const QScrollArea*>(p)) return true;
    return false;
}

TEST_CASE("every row of every step fits into the ticket beside its scroll bar: nothing is cut off") {
    Bench b;
    b.window.resize(1280, 800);
    const QScrollArea* scroll = b.window.bench().ticket().findChild<QScrollArea*>();
    REQUIRE(scroll);
    int rows = 0;
    for (const StepHead& h : stepHeads()) {
        if (h.key == "stretch") continue;
        open(b, h.key.c_str());
        StepBlock* step = b.window.bench().ticket().step(h.key.c_str());
        for (FoldGroup* g : step->findChildren<FoldGroup*>()) g->setOpen(true);
        QTest::qWait(20);
        const int right = scroll->viewport()->mapToGlobal(QPoint(scroll->viewport()->width(), 0)).x();
        for (const QWidget* w : step->findChildren<QWidget*>()) {
            if (!w->isVisible() || w->width() == 0 || isScrolledIn(w, step)) continue;
            INFO(h.key << ": " << w->metaObject()->className() << " " << w->objectName().toStdString() << " "
                       << w->accessibleName().toStdString());
            CHECK(w->mapToGlobal(QPoint(w->width(), 0)).x() <= right);
            CHECK(w->width() >= std::min(w->minimumSizeHint().width(), w->maximumWidth()));
            ++rows;
        }
    }
    CHECK(rows > 100);
}
