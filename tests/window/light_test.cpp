// Light and colour through the window: what is set is seen, at the spots and on the table.
#include "app/spots/spots_column.h"
#include "app/ticket/curve_box.h"
#include "app/ticket/looks_strip.h"
#include "app/widgets/fold_group.h"
#include "core/finish/colour.h"
#include "core/finish/table_stage.h"
#include "tests/window/fixture.h"

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <fstream>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

// Mean colour of the result around a point of the table: about as much as a click takes.
QColor around(Bench& b, const QPointF& at) {
    REQUIRE(b.settle());
    const QImage shown = b.table().grab().toImage();
    double sum[3] = {};
    for (int y = -8; y <= 8; ++y)
        for (int x = -8; x <= 8; ++x) {
            const QColor c = shown.pixelColor((at.toPoint() + QPoint(x, y)) * b.table().devicePixelRatioF());
            sum[0] += c.redF(), sum[1] += c.greenF(), sum[2] += c.blueF();
        }
    return QColor::fromRgbF(float(sum[0] / 289), float(sum[1] / 289), float(sum[2] / 289));
}

double unevenness(const QColor& c) {
    return std::max({c.redF(), c.greenF(), c.blueF()}) - std::min({c.redF(), c.greenF(), c.blueF()});
}

} // namespace

TEST_CASE("exposure, saturation and a look-up table show on the table at once, and come off again") {
    Bench b;
    b.table().setCompare(ViewingTable::Compare::Flip);
    b.set({"clean.on=false", "enlarge.on=false", "frame.on=false", "finish.on=false"});
    const QPointF middle = b.table().pictureRect().center();
    const QColor before = around(b, middle);
    CHECK(b.find("finish.hdr")->isHidden()); // it is no HDR clip

    b.set({"finish.light.exposure=1", "finish.sharpen.amount=0"});
    CHECK(around(b, middle).lightnessF() > before.lightnessF() + 0.06);
    b.set({"finish.light.exposure=0", "finish.colour.saturation=-100"});
    CHECK(unevenness(before) > 0.05);
    CHECK(unevenness(around(b, middle)) < 0.02);
    b.set({"finish.colour.saturation=0"});

    const std::string file = b.folder / "upside down.cube";
    std::ofstream(file) << "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n";
    QTest::keyClick(b.window.bench().ticket().step("finish"), Qt::Key_Return);
    auto* choose = b.find<QPushButton>("finish.table");
    QTest::mouseClick(b.find<QToolButton>("fold.finish.table"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return choose->isVisible() && choose->height() > 10; }));
    chooseFile(QString::fromStdString(file), [&] { QTest::mouseClick(choose, Qt::LeftButton); });
    REQUIRE(waitFor([&] { return b.ticket().finish.table == file; }));
    CHECK(choose->text() == "upside down.cube");
    const QColor turned = around(b, middle);
    CHECK(turned.redF() == Approx(1 - before.redF()).margin(0.05));
    CHECK(turned.blueF() == Approx(1 - before.blueF()).margin(0.05));
    QTest::mouseClick(b.find<QToolButton>("finish.table.none"), Qt::LeftButton);
    CHECK(b.ticket().finish.table.empty());
    CHECK(around(b, middle).redF() == Approx(before.redF()).margin(0.01));
    b.project().undo();
    CHECK(b.ticket().finish.table == file);

    // A file that is no table any more is told, and the picture does not lie meanwhile.
    b.project().redo();
    std::ofstream(file) << "nothing of the kind";
    b.set({("finish.table=" + file).c_str()});
    REQUIRE(waitFor([&] { return !b.live().deliveries().problem().isEmpty() || b.window.errors().isVisible(); }));
    CHECK((b.live().deliveries().problem() + b.window.errors().text()).contains("look-up table"));
}

TEST_CASE("a click on something tinted makes it grey; Esc leaves it as it is") {
    Bench b;
    b.table().setCompare(ViewingTable::Compare::Flip);
    b.set({"clean.on=false", "enlarge.on=false", "frame.on=false", "finish.on=false"});
    REQUIRE(b.settle());
    // Something nearly grey, and bright enough to show it.
    const QRectF all = b.table().pictureRect();
    QPointF place;
    QColor before;
    for (double y = 0.1; y < 0.9 && place.isNull(); y += 0.04)
        for (double x = 0.1; x < 0.9 && place.isNull(); x += 0.04) {
            const QPointF at(all.x() + x * all.width(), all.y() + y * all.height());
            before = around(b, at);
            if (unevenness(before) > 0.04 && unevenness(before) < 0.1 && before.lightnessF() > 0.3) place = at;
        }
    REQUIRE_FALSE(place.isNull());

    QTest::keyClick(b.window.bench().ticket().step("finish"), Qt::Key_Return);
    QTest::mouseClick(b.find<QToolButton>("fold.finish.colour.warmth"), Qt::LeftButton);
    auto* pick = b.find<QPushButton>("pickGrey");
    REQUIRE(waitFor([&] { return pick->isVisible() && pick->height() > 10; }));
    QTest::mouseClick(pick, Qt::LeftButton);
    CHECK(b.table().askingForPlace());
    QTest::keyClick(&b.window, Qt::Key_Escape);
    CHECK_FALSE(b.table().askingForPlace());
    CHECK_FALSE(b.ticket().finish.on);

    QTest::mouseClick(pick, Qt::LeftButton);
    QTest::mouseClick(&b.table(), Qt::LeftButton, {}, place.toPoint());
    CHECK_FALSE(b.table().askingForPlace());
    REQUIRE(waitFor([&] { return b.ticket().finish.on; }));
    CHECK(b.ticket().finish.colour.warmth != 0);
    const QColor after = around(b, place);
    INFO("warmth " << b.ticket().finish.colour.warmth << ", tint " << b.ticket().finish.colour.tint << ": "
                   << before.name().toStdString() << " became " << after.name().toStdString());
    CHECK(unevenness(after) < 0.4 * unevenness(before));
    b.project().undo(); // one step
    CHECK(b.ticket().finish.colour == Colour{});
}

TEST_CASE("a clip is matched to another by one choice, as strongly as is set, and its look is saved for others") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    b.table().setCompare(ViewingTable::Compare::Flip);
    b.set({"clean.on=false", "enlarge.on=false", "frame.on=false", "finish.sharpen.amount=0"});
    b.window.bench().ticket().step("finish")->setOpen(true);
    auto* fold = b.find<QToolButton>("fold.finish.table");
    REQUIRE(waitFor([&] { return fold->isVisible() && fold->height() > 5; }, 20000));
    fold->click();
    const QPointF middle = b.table().pictureRect().center();
    const QColor before = around(b, middle);
    auto* match = b.find<QPushButton>("matchLook");
    chooseFile(b.project().at(1).path, [&] { match->click(); });
    REQUIRE(waitFor([&] { return !b.ticket().finish.table.empty(); }, 30000));
    CHECK(QFileInfo(QString::fromStdString(b.ticket().finish.table)).fileName().startsWith("wheel like hands"));
    const QColor like = around(b, middle);
    const auto apart = [](const QColor& x, const QColor& y) {
        return std::abs(x.redF() - y.redF()) + std::abs(x.greenF() - y.greenF()) + std::abs(x.blueF() - y.blueF());
    };
    CHECK(apart(like, before) > 0.05);
    b.set({"finish.table_strength=30"});
    const QColor third = around(b, middle);
    CHECK(apart(third, before) == Approx(0.3 * apart(like, before)).margin(0.03));

    const QString file = QString::fromStdString(b.folder / "mine.cube");
    chooseFile(file, [&] { b.find<QPushButton>("saveLook")->click(); });
    REQUIRE(waitFor([&] { return QFileInfo(file).size() > 100000; }, 20000));
    QFile table(file);
    REQUIRE(table.open(QIODevice::ReadOnly));
    CHECK(table.readAll().contains("LUT_3D_SIZE 33"));
}

TEST_CASE("a tone curve is drawn: a place added by a click brightens the picture, dragged out it is gone") {
    Bench b;
    b.table().setCompare(ViewingTable::Compare::Flip);
    b.set({"clean.on=false", "enlarge.on=false", "frame.on=false", "finish.on=false"});
    const QPointF middle = b.table().pictureRect().center();
    const QColor before = around(b, middle);
    QTest::keyClick(b.window.bench().ticket().step("finish"), Qt::Key_Return);
    QTest::mouseClick(b.find<QToolButton>("fold.finish.light.exposure"), Qt::LeftButton);
    auto* box = b.find<CurveBox>("finish.light.curve.box");
    REQUIRE(waitFor([&] { return box->isVisible() && box->height() > 100 && box->width() > 100; }, 20000));
    for (QWidget* w = box; w; w = w->parentWidget())
        if (auto* sheet = qobject_cast<QScrollArea*>(w)) sheet->ensureWidgetVisible(box, 0, 100);
    QTest::qWait(50);
    const QPoint line = box->at({0.5, 0.5}).toPoint(), raised = box->at({0.5, 0.75}).toPoint();
    drag(box, line, raised);
    CHECK(b.ticket().finish.on);
    REQUIRE(box->points().size() == 3);
    CHECK(box->points()[1].to == Approx(0.75).margin(0.02));
    CHECK(around(b, middle).lightnessF() > before.lightnessF() + 0.05);
    // The whole drag is one step to undo, and the drawing follows.
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket().finish.curve.empty());
    REQUIRE(waitFor([&] { return box->points().size() == 2; }, 20000));
    drag(box, line, raised);
    REQUIRE(box->points().size() == 3);
    drag(box, box->at(box->points()[1]).toPoint(), QPoint(box->width() / 2, box->height() + 80));
    CHECK(box->points().size() == 2);
    CHECK(b.ticket().finish.curve.empty());
    // By keys: the end chosen last goes up, and comes back.
    box->setFocus();
    QTest::keyClick(box, Qt::Key_Up, Qt::ShiftModifier);
    CHECK_FALSE(b.ticket().finish.curve.empty());
}

TEST_CASE("looks of a folder are seen on this very frame, put on by a click, and what is no table cannot be chosen") {
    const TempFolder looks, session;
    std::ofstream(looks / "negative.cube") << "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n";
    std::ofstream(looks / "plain.cube") << "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n";
    std::ofstream(looks / "broken.cube") << "no table at all\n";
    std::ofstream(looks / "readme.txt") << "not a look\n";
    {
        Bench b({"wheel"}, QString::fromStdString(session.path()));
        b.set({"clean.on=false", "enlarge.on=false", "motion.on=false", "frame.on=false", "finish.sharpen.amount=0"});
        b.window.bench().ticket().step("finish")->setOpen(true);
        chooseFile(QString::fromStdString(looks.path()), [&] { b.find<QPushButton>("looksFolder")->click(); });
        auto* strip = b.find<LooksStrip>("looks");
        for (auto* group : b.window.findChildren<FoldGroup*>())
            if (group->isAncestorOf(strip)) group->setOpen(true);
        REQUIRE(waitFor([&] { return strip->isVisible() && strip->fresh(); }, 60000));
        CHECK(strip->files().size() == 4); // none, and three that end so
        const auto picture = [&](const char* name) {
            return b.find<QToolButton>(name)->icon().pixmap(110, 68).toImage().convertToFormat(QImage::Format_RGB32);
        };
        const QImage none = picture("look.none"), plain = picture("look.plain"), negative = picture("look.negative");
        REQUIRE(none.size() == negative.size());
        const QColor there = none.pixelColor(none.rect().center()), turned = negative.pixelColor(none.rect().center());
        CHECK(std::abs(there.red() + turned.red() - 255) < 12);
        CHECK(std::abs(there.green() + turned.green() - 255) < 12);
        CHECK(std::abs(there.red() - plain.pixelColor(none.rect().center()).red()) < 4);
        auto* broken = b.find<QToolButton>("look.broken");
        CHECK_FALSE(broken->isEnabled());
        CHECK(broken->toolTip().contains("cannot be used"));
        b.set({"finish.on=false"});
        b.find<QToolButton>("look.negative")->click();
        CHECK(b.ticket().finish.on);
        CHECK(QString::fromStdString(b.ticket().finish.table).endsWith("negative.cube"));
        CHECK(b.find<QToolButton>("look.negative")->isChecked());
        CHECK_FALSE(b.find<QToolButton>("look.none")->isChecked());
        // At half its strength all are grey.
        b.set({"finish.table_strength=50"});
        REQUIRE(waitFor([&] { return strip->fresh(); }, 60000));
        const QColor half = picture("look.negative").pixelColor(none.rect().center());
        CHECK(std::abs(half.red() - 127) < 10);
        // Looking at many puts nobody's own out of memory, and how many are not shown is said.
        for (int i = 0; i < 80; ++i)
            std::ofstream(looks / ("another " + std::to_string(i) + ".cube")) << "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n";
        b.project().setOwnLooks(QString::fromStdString(looks.path()));
        REQUIRE(waitFor([&] { return strip->fresh(); }, 60000));
        CHECK(strip->files().size() == 62); // none, sixty, and the one on the ticket
        CHECK(lookTableIsKept(b.ticket().finish.table));
        CHECK(std::ranges::any_of(strip->findChildren<QLabel*>(),
                                  [](QLabel* l) { return l->text().startsWith("23 more"); }));
        b.find<QToolButton>("look.none")->click();
        CHECK(b.ticket().finish.table.empty());
    }
    // The folder is known again.
    Bench again({}, QString::fromStdString(session.path()));
    again.project().restore();
    CHECK(again.project().ownLooks() == QString::fromStdString(looks.path()));
}
