#include "app/ticket/overdone_gauge.h"
#include "app/ticket/ticket_sheet.h"
#include "core/base/files.h"
#include "core/model/model_folder.h"
#include "tests/support/onnx_maker.h"
#include "tests/window/fixture.h"

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QTest>
#include <QTimer>
#include <catch2/catch.hpp>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

QString told(Bench& b) { return b.find<QLabel>("overdoneWords")->text(); }
bool judged(Bench& b) {
    return waitFor([&] { return b.window.bench().overdone().fresh(); });
}

} // namespace

TEST_CASE("the overdone meter speaks up, goes there, and eases the ticket under its limit; undo brings it back") {
    Bench b;
    b.set({"enlarge.on=false", "clean.on=false", "frame.on=false", "finish.on=false"});
    REQUIRE(judged(b));
    CHECK(told(b).contains("Nothing is overdone"));
    CHECK_FALSE(b.find<QPushButton>("ease")->isVisible());
    b.set({"finish.sharpen.amount=3", "finish.sharpen.radius=1.5", "finish.halo_limit=0", "finish.shadows=false"});
    CHECK(told(b).contains("Judging"));
    REQUIRE(judged(b));
    const Ticket harsh = b.ticket();
    CHECK(told(b).contains("Too much"));
    CHECK(b.window.bench().overdone().overdone().gauge() >= 100);
    REQUIRE(b.find<QPushButton>("ease")->isVisible());

    Q_EMIT b.find<QLabel>("overdoneWords")->linkActivated("there");
    CHECK(b.window.bench().live().faults().key() == "overdone");
    CHECK(b.project().currentClip()->playhead == b.window.bench().overdone().overdone().frame);
    REQUIRE(waitFor([&] { return b.window.bench().live().faults().view().fresh; }));
    CHECK(b.window.bench().live().faults().view().readingAfter >= 100);

    QTest::mouseClick(b.find<QPushButton>("ease"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return b.ticket().finish.amount < 3; }));
    CHECK(b.ticket().finish.amount > 0);
    REQUIRE(judged(b));
    CHECK(b.window.bench().overdone().overdone().gauge() < 100);
    CHECK(told(b).contains("In bounds"));
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    CHECK(b.ticket() == harsh);
}

TEST_CASE("movement that a higher rate shows is no flicker, and what easing cannot help is said and stays said") {
    Bench b({"hands"});
    b.set(
        {"enlarge.on=false", "clean.on=false", "frame.on=false", "finish.on=false", "motion.on=true", "motion.fps=60"});
    REQUIRE(judged(b));
    const auto flicker = [&] { return b.window.bench().overdone().overdone().scores.at("flicker"); };
    CHECK(flicker() < 50);
    // Grain trembles, and easing leaves it: it was wanted.
    b.set({"finish.on=true", "finish.sharpen.amount=0", "finish.grain.amount=20"});
    REQUIRE(judged(b));
    CHECK(flicker() >= 100);
    const Ticket grainy = b.ticket();
    QTest::mouseClick(b.find<QPushButton>("ease"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return told(b).contains("does not help"); }));
    QTest::qWait(300);
    CHECK(told(b).contains("does not help"));
    CHECK(b.ticket() == grainy);
}

TEST_CASE("a network of one's own is listed, asked about once, and then enlarges the clip") {
    TempFolder models;
    qputenv("ULMWOOD_MODELS", models.path().c_str());
    OnnxMaker m(3);
    std::vector<float> w(12 * 3, 0);
    for (int o = 0; o < 12; ++o) w[std::size_t(o * 3 + o % 3)] = 1;
    const auto up =
        m.step("DepthToSpace", {m.step("Conv", {"picture", m.numbers("w", {12, 3, 1, 1}, w)})}, {{"blocksize", {2}}});
    writeFileWhole(models / "mine.onnx", m.bytes(up));
    Bench b;
    b.set({"enlarge.scale=2"});
    auto* method = b.find<QComboBox>("enlarge.method");
    const int mine = method->findText("Yours: mine.onnx");
    REQUIRE(mine > 0);
    QTimer asked;
    QObject::connect(&asked, &QTimer::timeout, [&asked] {
        for (QWidget* d : QApplication::topLevelWidgets())
            if (d->objectName() == "networkCard" && d->isVisible()) {
                asked.stop();
                d->findChild<QComboBox*>("card.range")->setCurrentIndex(1);
                static_cast<QDialog*>(d)->accept();
            }
    });
    asked.start(20);
    method->setCurrentIndex(mine);
    Q_EMIT method->activated(mine);
    REQUIRE(waitFor([&] { return b.ticket().enlarge.method == models / "mine.onnx"; }));
    CHECK_FALSE(asked.isActive());
    CHECK(readCard(models / "mine.onnx").range == 255);
    REQUIRE(waitFor([&] {
        return b.window.bench().live().table().fresh() >= 1 && !b.window.bench().live().table().after().isNull();
    }));
    // One that a ticket brings along is opened beside the window; the pipeline follows.
    writeFileWhole(models / "brought.onnx", m.bytes(up));
    const std::string brought = "enlarge.method=" + (models / "brought.onnx");
    b.set({brought.c_str()});
    CHECK_FALSE(b.live().delivery());
    REQUIRE(waitFor([&] { return b.live().delivery() != nullptr; }));
    CHECK(b.plan().scale() == 2);
    // A broken one is told once, and the clip can still be worked on.
    writeFileWhole(models / "broken.onnx", "not a network");
    const std::string broken = "enlarge.method=" + (models / "broken.onnx");
    b.set({broken.c_str()});
    REQUIRE(waitFor([&] { return b.live().deliveries().problem().contains("network"); }));
    CHECK_FALSE(b.live().delivery());
    b.set({"enlarge.method=lanczos"});
    CHECK(b.live().delivery());
    CHECK(b.live().deliveries().problem().isEmpty());
    qunsetenv("ULMWOOD_MODELS");
}
