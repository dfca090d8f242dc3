#include "app/targets/own_card.h"
#include "app/targets/target_chips.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "tests/window/fixture.h"

#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

// A home of the test's own: cards made here are nobody else's.
class OwnHome {
public:
    OwnHome() : was_(qgetenv("XDG_DATA_HOME")) { qputenv("XDG_DATA_HOME", QByteArray::fromStdString(folder_.path())); }
    ~OwnHome() { was_.isEmpty() ? qunsetenv("XDG_DATA_HOME") : qputenv("XDG_DATA_HOME", was_); }
    std::string card(const std::string& name) const { return folder_ / ("ulmwood/targets/" + name + ".json"); }

private:
    TempFolder folder_;
    QByteArray was_;
};

// Takes this entry of the bar's menu, and hands the dialog that comes to `fill`.
void choose(Bench& b, const QString& entry, const std::function<void(OwnCard*)>& fill) {
    bool filled = false;
    int tries = 0;
    const std::function<void()> answer = [&] {
        auto* dialog = qobject_cast<OwnCard*>(QApplication::activeModalWidget());
        if (!dialog) {
            if (++tries < 500) QTimer::singleShot(20, [&] { answer(); });
            return;
        }
        filled = true;
        fill(dialog);
        if (dialog->isVisible()) dialog->reject(); // fails, and does not hang
    };
    QTimer::singleShot(20, [&] { answer(); });
    chooseFromMenu(entry, [&] { QTest::mouseClick(b.find<QToolButton>("chooseTargets"), Qt::LeftButton); });
    REQUIRE(filled);
}

template <class W>
W* in(OwnCard* d, const char* name) {
    auto* w = d->findChild<W*>(name);
    REQUIRE(w);
    return w;
}

} // namespace

TEST_CASE("a destination of one's own is made, delivered to, changed and removed in the window") {
    const OwnHome home;
    Bench b;
    choose(b, "Make your own…", [](OwnCard* d) {
        auto* save = in<QPushButton>(d, "own.save");
        CHECK_FALSE(save->isEnabled());
        CHECK(in<QLabel>(d, "own.told")->text() == "Give it a name.");
        QTest::keyClicks(in<QLineEdit>(d, "own.title"), "Club & Site <b>");
        CHECK(save->isEnabled());
        in<QSpinBox>(d, "own.width")->setValue(240);
        CHECK_FALSE(save->isEnabled()); // a width alone
        in<QSpinBox>(d, "own.height")->setValue(426);
        in<QDoubleSpinBox>(d, "own.mb")->setValue(7.5);
        in<QDoubleSpinBox>(d, "own.bottom")->setValue(20);
        CHECK(in<QLabel>(d, "own.told")->text().contains("240×426"));
        CHECK(in<QLabel>(d, "own.told")->text().contains("7.5 MB"));
        QTest::mouseClick(save, Qt::LeftButton);
    });
    const std::string name = "club-site-b";
    REQUIRE(waitFor([&] { return b.project().target(name) != nullptr; }));
    const Target made = *b.project().target(name);
    CHECK(made.title == "Club & Site <b>");
    CHECK(made.maxMb == 7.5);
    CHECK(made.covered.bottom == 20);
    CHECK(made.codecs == std::vector<std::string>{"h264"});
    CHECK(made.file == home.card(name));
    CHECK(b.project().watched().contains(name));
    // It stands on the bar, and what it asks for is shown.
    auto* chip = b.find<TargetChip>("target.club-site-b");
    QTest::mouseClick(chip, Qt::LeftButton, {}, QPoint(80, 16));
    REQUIRE(b.settle());
    CHECK(b.project().onTable() == name);
    CHECK(b.live().table().after().size() == QSize(240, 426));
    REQUIRE(b.gauges());
    CHECK(chip->state().share > 0);
    // A key that the window does not show stays where a person wrote it.
    nlohmann::json card = readJsonFile(home.card(name));
    card["max_width"] = 4000, card["note"] = "mine";
    writeFileWhole(home.card(name), card.dump());
    b.project().reloadTargets();
    choose(b, "Club && Site <b>…", [](OwnCard* d) {
        CHECK(in<QLineEdit>(d, "own.title")->text() == "Club & Site <b>");
        in<QSpinBox>(d, "own.width")->setValue(320);
        in<QSpinBox>(d, "own.height")->setValue(320);
        in<QDoubleSpinBox>(d, "own.mb")->setValue(0);
        CHECK(in<QCheckBox>(d, "own.h264")->isChecked());
        CHECK_FALSE(in<QCheckBox>(d, "own.h265")->isChecked());
        in<QCheckBox>(d, "own.h265")->setChecked(true);
        QTest::mouseClick(in<QPushButton>(d, "own.save"), Qt::LeftButton);
    });
    REQUIRE(waitFor([&] { return b.project().target(name)->size == Size{320, 320}; }));
    CHECK(b.project().target(name)->maxMb == 0);
    CHECK(b.project().target(name)->codecs == std::vector<std::string>{"h264", "hevc"});
    CHECK(b.project().target(name)->maxWidth == 4000);
    CHECK(readJsonFile(home.card(name))["note"] == "mine");
    REQUIRE(b.settle());
    CHECK(b.live().table().after().size() == QSize(320, 320)); // on the table at once
    REQUIRE(b.gauges());
    CHECK(b.find<TargetChip>("target.club-site-b")->state().share == 0); // no limit, no gauge
    choose(b, "Club && Site <b>…",
           [](OwnCard* d) { QTest::mouseClick(in<QPushButton>(d, "own.remove"), Qt::LeftButton); });
    REQUIRE(waitFor([&] { return b.project().target(name) == nullptr; }));
    CHECK(b.project().onTable().empty());
    CHECK_FALSE(QFileInfo::exists(QString::fromStdString(home.card(name))));
}

TEST_CASE("a destination that cannot be kept says why, and the dialog stays with what was filled in") {
    const OwnHome home;
    Bench b;
    const QString folder = QFileInfo(QString::fromStdString(home.card("x"))).path();
    REQUIRE(QDir().mkpath(QFileInfo(folder).path()));
    QFile in_the_way(folder); // a file where the folder should be
    REQUIRE(in_the_way.open(QIODevice::WriteOnly));
    choose(b, "Make your own…", [](OwnCard* d) {
        QTest::keyClicks(in<QLineEdit>(d, "own.title"), "Attic");
        QTest::mouseClick(in<QPushButton>(d, "own.save"), Qt::LeftButton);
        CHECK(d->isVisible());
        CHECK(in<QLabel>(d, "own.told")->text().contains("attic"));
        CHECK(in<QLineEdit>(d, "own.title")->text() == "Attic");
        QTest::mouseClick(in<QPushButton>(d, "own.cancel"), Qt::LeftButton);
    });
    CHECK(b.project().target("attic") == nullptr);
}

TEST_CASE("a dropped ticket, look or card is taken for what it is, and told where it makes no sense") {
    const OwnHome home;
    const auto told = [](Bench& b) { return b.window.errors().text(); };
    const TempFolder files;
    const auto at = [&](const char* name) { return QString::fromStdString(files / name); };
    Ticket kept;
    setByAssignment(kept, "clean.blocks=41");
    writeFileWhole(files / "kept.ticket.json", toJson(kept).dump());
    writeFileWhole(files / "negative.cube", "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n");
    writeFileWhole(files / "broken.cube", "no table at all\n");
    writeFileWhole(files / "net.onnx", "nothing");
    Target card;
    card.name = "kiln-wall", card.title = "Kiln wall", card.maxMb = 7;
    writeFileWhole(files / "kiln.json", toJson(card).dump());
    {
        Bench none(QStringList{});
        none.drop({at("kept.ticket.json")});
        CHECK(told(none).contains("Drop a clip first"));
    }
    Bench b;
    b.drop({at("kept.ticket.json")});
    CHECK(b.ticket() == kept);
    // Dropped with its clip it is that one's, and not the one's on the Bench.
    REQUIRE(QFile::copy(b.project().at(0).path, at("pair.mp4")));
    Ticket other;
    setByAssignment(other, "clean.blocks=12");
    writeFileWhole(files / "pair.ticket.json", toJson(other).dump());
    b.drop({at("pair.ticket.json"), at("pair.mp4")});
    REQUIRE(waitFor([&] { return b.project().count() == 2 && b.project().at(1).clip; }));
    CHECK(b.project().at(1).ticket == other);
    CHECK(b.project().at(0).ticket == kept);
    b.project().takeOff({1});

    b.drop({at("negative.cube"), at("broken.cube"), at("net.onnx")});
    CHECK(b.ticket().finish.table == files / "negative.cube");
    CHECK(b.ticket().finish.on);
    CHECK(told(b).contains("broken.cube"));
    CHECK(told(b).contains("chosen in the step Enlarge"));
    b.project().undo();
    CHECK(b.ticket() == kept);
    b.drop({at("kiln.json")});
    const auto mine = std::ranges::find(b.project().targets(), "Kiln wall", &Target::title);
    REQUIRE(mine != b.project().targets().end());
    CHECK(mine->maxMb == 7);
    CHECK(b.project().watched().contains(mine->name));
    CHECK(b.project().count() == 1); // none of them was taken for a clip
}
