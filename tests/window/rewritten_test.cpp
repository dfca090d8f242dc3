#include "app/runlist/run_queue.h"
#include "app/shelf/clip_shelf.h"
#include "core/base/json_file.h"
#include "core/media/clip.h"
#include "tests/window/fixture.h"

#include <QLabel>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

// As an editor exports: the name stays, the pictures are others; of one level, where one is given.
void makeAnew(const QString& path, int frames, std::optional<int> level = {}) {
    ClipRecipe r;
    r.width = 320, r.height = 180, r.frames = frames;
    if (level) r.luma = [level](int, int, int) { return *level; };
    writeClip(path.toStdString(), r);
}

} // namespace

TEST_CASE("a clip that is made anew under its name is read and looked over again on its ticket") {
    Bench b({"wheel", "hands"});
    Project& p = b.project();
    p.setCurrent(0);
    b.set({"clean.blocks=31"});
    p.setSpots({{"yours", 2, 100, 90}, {"yours", 140, 100, 90}, {"yours", 2, 500, 300}, {"noise", 2, 10, 10, true}});
    p.setPlayhead(140);
    REQUIRE(b.settle());
    const ClipPtr before = p.at(0).clip, other = p.at(1).clip;
    const auto found = p.at(0).inspection;
    makeAnew(p.at(0).path, 12, 200);
    REQUIRE(waitFor([&] { return p.at(0).clip != before && p.at(0).inspection; }));

    CHECK(p.at(0).clip->frameCount() == 12);
    CHECK(p.at(0).inspection != found);
    CHECK(b.ticket().clean.blocks.value == 31);
    CHECK(p.at(0).playhead == 11);
    CHECK(p.at(1).clip == other);
    CHECK(b.find<QLabel>("ticketFacts")->text().contains("read again at"));
    CHECK(b.window.errors().text().isEmpty());
    // Places of one's own stay where there is a picture.
    REQUIRE(std::ranges::count_if(p.at(0).spots, [](const Spot& s) { return s.what == "yours"; }) == 1);
    // What is on the table is the new picture.
    REQUIRE(b.settle());
    const QRgb seen = b.pixel(&b.table(), b.table().rect().center());
    CHECK(qGray(seen) > 190);
    p.undo();
    CHECK(b.ticket().clean.blocks.from == From::Measured);
}

TEST_CASE("while a clip is still being written anew it is said to be unreadable, and read once it is whole") {
    Bench b;
    Project& p = b.project();
    const QString path = p.at(0).path;
    REQUIRE(!b.live().spots().pictures().empty());
    const TempFolder made;
    const QString whole = QString::fromStdString(made / "whole.mp4");
    makeAnew(whole, 12);
    QFile from(whole);
    REQUIRE(from.open(QIODevice::ReadOnly));
    const QByteArray bytes = from.readAll();
    const auto write = [&](qsizetype many) {
        QFile to(path);
        REQUIRE(to.open(QIODevice::WriteOnly));
        REQUIRE(to.write(bytes.first(many)) == many);
    };
    write(bytes.size() / 3);
    p.tell(Error(Fault::Input, path.toStdString(), "it cannot be decoded", "")); // as what still reads it would
    REQUIRE(waitFor([&] { return !p.at(0).problem.isEmpty(); }));
    CHECK(b.find<ClipCard>("clip.wheel")->told().contains("cannot be opened"));
    CHECK(b.live().spots().pictures().empty()); // nothing of what it was is shown
    CHECK(p.at(0).fit == 0);
    CHECK(b.find<QLabel>("ticketFacts")->text() == p.at(0).problem);
    CHECK(b.window.errors().text().isEmpty());
    write(bytes.size());
    REQUIRE(waitFor([&] { return p.at(0).clip && p.at(0).inspection; }));
    CHECK(p.at(0).problem.isEmpty());
    CHECK(p.at(0).clip->frameCount() == 12);
    CHECK(b.settle());
}

TEST_CASE("a lost clip that lies in its place again is opened by itself") {
    const TempFolder session;
    const QString kept = QString::fromStdString(session.path());
    Bench first({"wheel"}, kept);
    const QString path = first.project().at(0).path;
    first.set({"clean.blocks=31"});
    const auto keptBlocks = [&] {
        const auto all = readJsonFile(session / "session.json");
        return ticketFromJson(all["clips"][0]["ticket"], "session").clean.blocks.value;
    };
    REQUIRE(waitFor([&] { return QFile::exists(kept + "/session.json") && keptBlocks() == 31; }));
    const SessionCopy later(session);
    REQUIRE(QFile::rename(path, path + ".away"));
    Bench b(QStringList{}, later.path());
    b.window.restore();
    REQUIRE(waitFor([&] { return b.project().isLost(0); }));
    REQUIRE(QFile::rename(path + ".away", path));
    REQUIRE(waitFor([&] { return b.project().at(0).clip && b.project().at(0).inspection; }));
    CHECK(b.ticket().clean.blocks.value == 31);
    CHECK_FALSE(b.find<QLabel>("ticketFacts")->text().contains("read again"));
}

TEST_CASE("a result whose clip was made anew while it was rendered says so") {
    Bench b;
    b.set({"enlarge.scale=4", "finish.grain.amount=20"});
    RunQueue& runs = b.window.runs();
    runs.add(*b.project().currentClip(), {});
    REQUIRE(
        waitFor([&] { return runs.items()[0].progress.phase == "rendering" && runs.items()[0].progress.done > 2; }));
    const QString path = b.project().at(0).path, anew = path + ".new.mp4";
    makeAnew(anew, 12);
    REQUIRE(std::rename(anew.toStdString().c_str(), path.toStdString().c_str()) == 0);
    REQUIRE(waitFor([&] { return !runs.running(); }));
    CHECK(runs.items()[0].words.contains("written anew while it was rendered"));
}
