#include "app/proof/proof_page.h"
#include "app/reel/result_reel.h"
#include "app/shelf/clip_shelf.h"
#include "app/shelf/facts_sheet.h"
#include "app/spots/spots_column.h"
#include "app/ticket/advice_block.h"
#include "app/trials/trials_page.h"
#include "core/base/files.h"
#include "tests/window/fixture.h"

#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>

using namespace ulm;
using namespace ulm::app;
using namespace ulm::test;

namespace {

bool tableReady(Bench& b) {
    return waitFor([&] {
        return b.live().table().fresh() >= 1 && !b.live().table().after().isNull() &&
               !b.live().table().before().isNull();
    });
}

double meanGrey(const QImage& image, const QRect& r) {
    double sum = 0;
    for (int y = r.top(); y <= r.bottom(); ++y)
        for (int x = r.left(); x <= r.right(); ++x) sum += qGray(image.pixel(x, y));
    return sum / (r.width() * r.height());
}

} // namespace

TEST_CASE("advice opens into a list; one click puts it on the ticket as measured, a second opinion replaces it, undo "
          "takes it back") {
    Bench b;
    Q_EMIT b.find<QLabel>("ticketAdvice")->linkActivated("details");
    auto* block = b.find<AdviceBlock>("adviceBlock");
    REQUIRE(block->isVisible());
    b.find<QPushButton>("advice.0")->click();
    CHECK(b.ticket().clean.on);
    CHECK(b.ticket().clean.blocks.from == From::Measured);
    CHECK(b.find<QLabel>("sentence.clean")->text().contains("measured"));
    b.find<QPushButton>("second.0")->click();
    CHECK(b.ticket().clean.blocks.from == From::Fixed);
    CHECK(b.ticket().clean.keepOriginal == 20);
    b.project().undo();
    CHECK(b.ticket().clean.blocks.from == From::Measured);
    b.project().undo();
    CHECK_FALSE(b.ticket().clean.on);
    // What was found goes to a file, whichever way it is wanted.
    for (const char* name : {"found.json", "found.csv"}) {
        b.window.bench().ticket().saveFindings(QString::fromStdString(b.folder / name));
        CHECK(QFileInfo(QString::fromStdString(b.folder / name)).size() > 500);
    }
    b.window.bench().ticket().saveFindings(QString::fromStdString(b.folder / "none/found.json"));
    CHECK(b.window.errors().text().contains("found.json"));
    // A finding leads to the frame where it is worst, and shows itself there.
    auto* finding = b.find<QLabel>("finding.0");
    const auto all = findings(*b.project().currentClip()->inspection, b.project().currentClip()->clip->facts());
    b.project().setPlayhead(all[0].frame + 3);
    Q_EMIT finding->linkActivated("go");
    CHECK(b.project().currentClip()->playhead == all[0].frame);
}

TEST_CASE(
    "a fault overlay colours the picture where the fault is, tells the reading under the pointer, and V hides it") {
    Bench b;
    b.set({"clean.blocks=90"});
    b.table().setCompare(ViewingTable::Compare::Pair);
    REQUIRE(tableReady(b));
    const QImage plain = b.table().grab().toImage();
    b.live().faults().show("blocking");
    REQUIRE(waitFor([&] { return b.live().faults().view().fresh; }));
    const FaultView& f = b.live().faults().view();
    CHECK(f.readingBefore > 5);
    CHECK(f.readingAfter < 0.8 * f.readingBefore);
    const QImage heated = b.table().grab().toImage();
    // The left picture is blocky and warm with it; the cleaned one on the right is less so.
    const auto warmth = [&](const QRect& r) {
        double sum = 0;
        for (int y = r.top(); y < r.bottom(); y += 2)
            for (int x = r.left(); x < r.right(); x += 2) {
                const QRgb was = plain.pixel(x, y), is = heated.pixel(x, y);
                sum += (qRed(is) - qRed(was)) - (qBlue(is) - qBlue(was));
            }
        return sum / (r.width() * r.height() / 4.0);
    };
    const QRect right = b.table().pictureRect().toRect().adjusted(4, 60, -4, -40);
    const int apart = static_cast<int>((b.table().width() - 12 - 8) / 2.0 + 8);
    const double before = warmth(right.translated(-apart, 0)), after = warmth(right);
    INFO("warmth before " << before << " after " << after);
    CHECK(before > 8);
    CHECK(after < 0.8 * before);
    // The reading under the pointer is the map's.
    const QPointF at = b.table().pictureRect().center();
    const QPointF s = b.live().toSource(b.table().deliveredAt(at));
    CHECK(b.table().faultAt(at).startsWith(QString::number(f.before.atPixel(int(s.x()), int(s.y())), 'f', 0)));
    QTest::keyClick(&b.window.bench(), Qt::Key_V);
    CHECK(b.live().faults().key().isEmpty());
    QTest::keyClick(&b.window.bench(), Qt::Key_V);
    CHECK(b.live().faults().key() == "blocking");
}

TEST_CASE("the divider turns by its knob, and the before side lies on its left at any angle") {
    Bench b;
    b.set({"clean.blocks=100", "finish.sharpen.amount=3"});
    b.project().setSpots({});
    ViewingTable& v = b.table();
    v.setCompare(ViewingTable::Compare::Wipe);
    REQUIRE(tableReady(b));
    const QPoint knob = v.wipeKnob().toPoint(), centre = v.pictureRect().center().toPoint();
    REQUIRE(knob.y() < centre.y());
    // Drag the knob to the right of the divider's foot: it lies down, and what was left is now above.
    const int reach = centre.y() - knob.y();
    drag(&v, knob, centre + QPoint(reach, 0));
    CHECK(v.wipeAngle() == Approx(90).margin(2));
    const QRect pic = v.pictureRect().toRect();
    const auto same = [&](const QPoint& p, bool before) {
        const QImage& side = before ? b.live().table().before() : b.live().table().after();
        const QPointF d = v.deliveredAt(p + QPointF(0.5, 0.5));
        const QRgb shown = v.grab().toImage().pixel(p), wanted = side.pixel(int(d.x()), int(d.y()));
        return std::abs(qGray(shown) - qGray(wanted)) <= 14;
    };
    int beforeAbove = 0, afterBelow = 0, n = 0;
    for (int x = pic.left() + 30; x < pic.right() - 30; x += 37, ++n) {
        beforeAbove += same({x, pic.center().y() - 40}, true);
        afterBelow += same({x, pic.center().y() + 60}, false);
    }
    CHECK(beforeAbove >= n - 2);
    CHECK(afterBelow >= n - 2);
    v.setWipeAngle(0);
    CHECK(v.wipeAngle() == 0);
}

TEST_CASE("the difference is grey where nothing changed and amplified where something did") {
    Bench b;
    b.project().setSpots({});
    REQUIRE(tableReady(b));
    QTest::keyClick(&b.window.bench(), Qt::Key_T);
    ViewingTable& v = b.table();
    CHECK(v.compare() == ViewingTable::Compare::Difference);
    const QRect middle(v.pictureRect().center().toPoint() - QPoint(60, 40), QSize(120, 80));
    const QImage same = v.grab().toImage();
    for (int x = 0; x < 100; x += 9) CHECK(std::abs(qGray(same.pixel(middle.topLeft() + QPoint(x, 30))) - 128) <= 8);
    b.set({"finish.sharpen.amount=2"});
    REQUIRE(b.settle());
    REQUIRE(tableReady(b));
    const auto spread = [&](const QImage& image) {
        double sum = 0;
        for (int y = middle.top(); y < middle.bottom(); ++y)
            for (int x = middle.left(); x < middle.right(); ++x) sum += std::abs(qGray(image.pixel(x, y)) - 128);
        return sum;
    };
    v.setGain(4);
    const double little = spread(v.grab().toImage());
    v.setGain(16);
    CHECK(little > 1.5 * spread(same));
    CHECK(spread(v.grab().toImage()) > 2 * little);
}

TEST_CASE("two tickets are held against each other, swapped and forgotten; the encoded result can be seen") {
    Bench b;
    b.set({"finish.sharpen.amount=2.5"});
    b.project().keepTicket();
    b.set({"finish.on=false"});
    b.project().setSpots({});
    REQUIRE(tableReady(b));
    const QImage result = b.live().table().after();
    b.live().table().setViews(View::Kept, View::Result);
    REQUIRE(tableReady(b));
    CHECK(b.live().table().after() == result);
    CHECK(b.live().table().before() != result);
    const QImage kept = b.live().table().before();
    b.project().swapKept();
    REQUIRE(tableReady(b));
    CHECK(b.ticket().finish.amount == 2.5);
    CHECK(b.live().table().after() == kept);
    CHECK(b.live().table().before() == result);
    b.project().undo();
    CHECK_FALSE(b.ticket().finish.on);
    // Encoded: close to the result, not the same.
    b.set({"deliver.quality=small"});
    b.live().table().setViews(View::Result, View::Encoded);
    REQUIRE(tableReady(b));
    const QImage encoded = b.live().table().after(), clean = b.live().table().before();
    REQUIRE(encoded.size() == clean.size());
    const QRect all = clean.rect();
    CHECK(encoded != clean);
    CHECK(meanGrey(encoded, all) == Approx(meanGrey(clean, all)).margin(3));
    CHECK(b.find<QToolButton>("side.right")->text().startsWith("Encoded"));
    b.project().forgetKept();
    CHECK_FALSE(b.project().currentClip()->kept);
}

TEST_CASE("phone size, safe areas, full screen and the navigator do what they say") {
    Bench b;
    b.set({"enlarge.scale=4"});
    REQUIRE(b.settle());
    ViewingTable& v = b.table();
    v.setPhoneHeight(300);
    QTest::keyClick(&b.window.bench(), Qt::Key_P);
    CHECK(std::max(v.pictureRect().width(), v.pictureRect().height()) == Approx(300).margin(1));
    const QImage plain = v.grab().toImage();
    QTest::keyClick(&b.window.bench(), Qt::Key_S);
    CHECK(v.safeAreas());
    CHECK(v.grab().toImage() != plain);
    CHECK(v.navigatorRect().isEmpty());
    QTest::keyClick(&b.window.bench(), Qt::Key_2);
    REQUIRE_FALSE(v.navigatorRect().isEmpty());
    const QPoint corner = v.navigatorRect().topLeft().toPoint() + QPoint(2, 2);
    QTest::mouseClick(&v, Qt::LeftButton, {}, corner);
    CHECK(v.pictureRect().left() == Approx(6).margin(1)); // the upper left corner of the picture is in sight
    CHECK(v.pictureRect().top() == Approx(6).margin(1));
    QTest::keyClick(&b.window.bench(), Qt::Key_F11);
    CHECK_FALSE(b.find<>("spotsColumn")->isVisible());
    CHECK_FALSE(b.find<>("rail")->isVisible());
    QTest::keyClick(&b.window.bench(), Qt::Key_Escape);
    CHECK(b.find<>("spotsColumn")->isVisible());
    CHECK(b.find<>("rail")->isVisible());
}

TEST_CASE("a spot follows the playhead, shows 200 %, is resized by its border, and all this is kept") {
    TempFolder session;
    QString path;
    {
        Bench b({"wheel"}, QString::fromStdString(session.path()));
        auto* spot = b.find<SpotView>("spot.A");
        const auto menu = [&](const QString& words) { chooseAt(spot, {30, 30}, words); };
        menu("Follow the playhead");
        REQUIRE(b.settle());
        const QImage there = b.live().spots().pictures()[0].after;
        b.project().setPlayhead(b.project().currentClip()->playhead + 9);
        REQUIRE(waitFor(
            [&] { return b.live().spots().pictures()[0].fresh && b.live().spots().pictures()[0].after != there; }));
        const int wide = b.live().spots().pictures()[0].region.w;
        menu("Show at 200 %");
        REQUIRE(waitFor([&] {
            return b.live().spots().pictures()[0].fresh && b.live().spots().pictures()[0].region.w <= wide / 2 + 1;
        }));
        const int tall = spot->height();
        drag(spot, {50, tall - 2}, {50, tall + 40});
        REQUIRE(waitFor([&] { return spot->height() > tall + 25; }));
        CHECK(b.project().currentClip()->spots[0].height == Approx(tall + 40).margin(4));
        path = b.project().currentClip()->path;
        b.project().keepNow();
        REQUIRE(waitFor([&] {
            return QFileInfo::exists(QString::fromStdString(session / "session.json")) &&
                   readTextFile(session / "session.json").find("\"magnification\": 2") != std::string::npos;
        }));
        const SessionCopy left(session);
        MainWindow again(left.path());
        again.restore();
        REQUIRE(waitFor([&] { return again.project().count() == 1 && again.project().at(0).inspection; }));
        const Spot& kept = again.project().at(0).spots[0];
        CHECK(kept.follows);
        CHECK(kept.magnification == 2);
        CHECK_FALSE(kept.automatic);
        // The inspection was kept with the session, not made again.
        CHECK(QDir(QString::fromStdString(left / "inspections")).entryList({"*.json"}).size() == 1);
    }
}

TEST_CASE("the reel strip zooms to single frames, jumps to cuts and findings, and holds several stretches") {
    Bench b({"hands"});
    ReelStrip& reel = b.window.bench().reel();
    ClipEntry& c = *b.project().currentClip();
    b.find([](Inspection& i) { i.cuts = {17}; }); // these few frames hold none of the scene's own
    b.project().setPlayhead(0);
    QTest::keyClick(&b.window.bench(), Qt::Key_BracketRight);
    CHECK(c.playhead == c.inspection->cuts[0]);
    QTest::keyClick(&b.window.bench(), Qt::Key_BracketLeft);
    CHECK(c.playhead == 0);
    QTest::keyClick(&b.window.bench(), Qt::Key_N);
    const auto all = findings(*c.inspection, c.clip->facts());
    CHECK(std::ranges::any_of(all, [&](const Finding& f) { return f.frame == c.playhead; }));
    // The wheel zooms in around the pointer until frames are wide.
    const double whole = reel.viewTo() - reel.viewFrom();
    const QPoint at(300, 20);
    const std::int64_t under = reel.frameAtX(300);
    for (int i = 0; i < 12; ++i) turnWheel(&reel, at, 1);
    CHECK(reel.viewTo() - reel.viewFrom() < whole / 4);
    CHECK(reel.xOfFrame(under + 1) - reel.xOfFrame(under) > 40);
    CHECK(std::abs(reel.frameAtX(300) - under) <= 1);
    QTest::mouseDClick(&reel, Qt::LeftButton, {}, {200, 20});
    CHECK(reel.viewTo() - reel.viewFrom() == Approx(whole));
    // A stretch, then a further one beside it.
    const int y = reel.traceTop() + 12;
    drag(&reel, {40, y}, {120, y});
    REQUIRE(b.ticket().stretch.on);
    const double first = b.ticket().stretch.from;
    drag(&reel, {300, y}, {380, y}, Qt::LeftButton, Qt::ControlModifier);
    REQUIRE(c.stretches.size() == 1);
    CHECK(c.stretches[0].first == Approx(first));
    CHECK(b.ticket().stretch.from > c.stretches[0].second);
    QTest::mouseClick(&reel, Qt::LeftButton, {}, {80, y}); // the further one becomes the ticket's
    CHECK(b.ticket().stretch.from == Approx(first));
    CHECK(c.stretches.size() == 1);
    QTest::keyClick(&b.window.bench(), Qt::Key_X, Qt::ShiftModifier);
    CHECK_FALSE(b.ticket().stretch.on);
    CHECK(c.stretches.empty());
}

TEST_CASE("the result is rendered ahead around the playhead, played, and found again after an undo") {
    Bench b;
    b.set({"stretch.on=true", "stretch.from=0.2", "stretch.to=0.5", "finish.sharpen.amount=1"});
    ResultReel& reel = b.window.bench().results();
    REQUIRE(waitFor([&] { return reel.share() >= 1; }));
    const std::size_t have = reel.rendered()->size();
    CHECK(have >= 7);
    const QImage some = reel.picture(2);
    QImage played;
    bool delivered = false;
    QObject::connect(&b.window.bench().player(), &Player::picture, &b.window,
                     [&](const QImage& p, bool d, const QString&) {
                         if (!p.isNull()) played = p, delivered = d;
                     });
    QTest::keyClick(&b.window.bench(), Qt::Key_Space, Qt::ShiftModifier);
    CHECK(b.window.bench().player().playing());
    REQUIRE(waitFor([&] { return !played.isNull(); }));
    CHECK(delivered);
    CHECK(std::max(played.width(), played.height()) <= ResultReel::kLongestSide);
    QTest::keyClick(&b.window.bench(), Qt::Key_K);
    CHECK_FALSE(b.window.bench().player().playing());
    b.set({"finish.sharpen.amount=2"});
    CHECK(reel.share() < 1);
    b.project().undo();
    CHECK(reel.rendered()->size() == have); // nothing was thrown away
    CHECK(reel.picture(2) == some);
    // What does not touch the pictures keeps them, too.
    b.set({"deliver.quality=best"});
    CHECK(reel.rendered()->size() == have);
}

TEST_CASE("trials from advice fill in, are ranked by what they say, judged blind, and one click adopts") {
    Bench b;
    QTest::keyClick(&b.window, Qt::Key_2, Qt::ControlModifier);
    TrialsPage& page = b.window.trials();
    REQUIRE(page.isVisible());
    TrialsModel& m = page.model();
    b.find<QPushButton>("trials.advice")->click();
    REQUIRE(m.candidates().size() >= 4);
    REQUIRE(waitFor([&] { return m.share() >= 1; }));
    CHECK(m.candidates()[0].ticket.clean == b.ticket().clean);
    CHECK(m.candidates()[0].ticket.finish == b.ticket().finish);
    for (const auto& [by, better] : {std::pair{RankBy::Faults, -1.0}, {RankBy::Texture, 1.0}}) {
        m.setRankBy(by);
        double last = 1e18;
        for (const std::size_t k : m.order()) {
            const double v = better * (by == RankBy::Faults ? m.mean(k).faults : m.mean(k).texture);
            CHECK(v <= last + 1e-9);
            last = v;
        }
    }
    // Treating leaves fewer faults than not treating.
    const auto strong = std::ranges::find(m.candidates(), "Strong", &Candidate::name) - m.candidates().begin();
    REQUIRE(strong < std::ptrdiff_t(m.candidates().size()));
    CHECK(m.mean(std::size_t(strong)).faults < m.mean(0).faults);
    // Blind: names are gone, picks are counted for what was under the pointer.
    b.find<QPushButton>("trials.blind")->click();
    CHECK(m.blind());
    const std::size_t picked = m.order()[1];
    QTest::mouseClick(&page.grid(), Qt::LeftButton, {}, page.grid().cellRect(1, 0).center());
    CHECK(m.picks(picked) == 1);
    CHECK(m.allPicks() == 1);
    b.find<QPushButton>("trials.blind")->click();
    CHECK_FALSE(m.blind());
    CHECK(m.order()[0] == picked);
    page.exportSheet(QString::fromStdString(b.folder / "grid.png"));
    const QImage sheet(QString::fromStdString(b.folder / "grid.png"));
    CHECK(sheet.width() > 192 * int(m.candidates().size()));
    const Ticket wanted = m.candidates()[m.order()[0]].ticket;
    QTest::mouseClick(&page.grid(), Qt::LeftButton, {}, page.grid().adoptRect(0).center());
    CHECK(b.ticket() == wanted);
    CHECK(b.window.bench().isVisible());
}

TEST_CASE("a ramp tries five values of one control, in order, and its pictures differ") {
    Bench b;
    b.window.showPage(MainWindow::kTrials);
    TrialsModel& m = b.window.trials().model();
    m.tryRamp("finish.sharpen.amount");
    REQUIRE(m.candidates().size() == 5);
    REQUIRE(waitFor([&] { return m.share() >= 1; }));
    double last = -1;
    for (const Candidate& c : m.candidates()) {
        CHECK(c.ticket.finish.amount > last);
        last = c.ticket.finish.amount;
    }
    CHECK(m.cell(0, 0).picture != m.cell(4, 0).picture);
    CHECK(m.cell(0, 0).picture.size() == m.before(0).size());
    CHECK(m.mean(4).texture > m.mean(0).texture); // sharpening raises what texture there is
}

TEST_CASE("the shelf sorts, filters, copies one step to marked clips, and lists all side by side") {
    Bench b({"wheel", "hands"});
    b.project().setCurrent(0);
    auto* shelf = b.find<ClipShelf>("clipShelf");
    shelf->setOrder(ClipShelf::Order::Name);
    CHECK(b.project().at(shelf->shown()[0]).name() == "hands");
    shelf->setOnly(ClipShelf::Only::Noisy);
    CHECK(shelf->shown() == std::vector<int>{0}); // neither is noisy; the one at work stays
    shelf->setOnly(ClipShelf::Only::All);
    CHECK(shelf->shown().size() == 2);
    b.set({"clean.blocks=33", "finish.sharpen.amount=1.5"});
    auto* card = b.find<ClipCard>("clip.hands");
    QTest::mouseClick(card, Qt::LeftButton, Qt::ControlModifier, {100, 20});
    CHECK(card->marked());
    CHECK(b.project().current() == 0);
    b.project().copyTicketTo({1}, "clean");
    CHECK(b.project().at(1).ticket.clean.blocks.value == 33);
    CHECK_FALSE(b.project().at(1).ticket.finish.on);
    b.project().setCurrent(1);
    b.project().undo();
    CHECK_FALSE(b.ticket().clean.on);
    FactsSheet facts(b.project());
    auto* table = facts.findChild<QTableWidget*>("factsTable");
    REQUIRE(table->rowCount() == 2);
    table->sortItems(7, Qt::DescendingOrder); // blocks
    CHECK(table->item(0, 7)->text().toInt() >= table->item(1, 7)->text().toInt());
    // The row of the clip at work is marked, and the arrows go to another.
    const auto marked = [&] { return table->item(table->currentRow(), 0)->text(); };
    REQUIRE(b.project().current() == 1);
    CHECK(marked() == "hands");
    QTest::keyClick(table, table->currentRow() == 0 ? Qt::Key_Down : Qt::Key_Up);
    CHECK(b.project().current() == 0);
    CHECK(marked() == "wheel");
    b.project().setCurrent(1);
    CHECK(marked() == "hands");
    // Heads stand over what they name: words left, figures right.
    CHECK(table->horizontalHeaderItem(0)->textAlignment() & Qt::AlignLeft);
    CHECK(table->horizontalHeaderItem(7)->textAlignment() & Qt::AlignRight);
}

TEST_CASE("a proof page is made of a delivered clip, shown, and never overwrites another") {
    Bench b;
    b.set({"stretch.on=true", "stretch.from=0.2", "stretch.to=0.6", "clean.blocks=measured"});
    b.window.addToRunList();
    REQUIRE(waitFor(
        [&] { return b.window.runs().items().size() == 1 && b.window.runs().items()[0].state == RunItem::State::Done; },
        60000));
    b.window.showPage(MainWindow::kProof);
    CHECK(b.find<QListWidget>("proof.list")->count() == 1);
    ProofPage& page = b.window.proof();
    b.find<QPushButton>("proof.sheet")->click();
    REQUIRE(waitFor([&] { return !page.busy(); }));
    const QString first = page.made();
    REQUIRE(QFileInfo::exists(first));
    CHECK(QImage(first).width() == 1240);
    CHECK_FALSE(b.find<QLabel>("proof.picture")->pixmap().isNull());
    b.find<QPushButton>("proof.sheet")->click();
    REQUIRE(waitFor([&] { return !page.busy(); }));
    CHECK(page.made() != first);
    b.find<QPushButton>("proof.side")->click();
    REQUIRE(waitFor([&] { return !page.busy(); }));
    const ClipPtr both = Clip::openVideo(page.made().toStdString());
    const ClipPtr one = Clip::openVideo(b.window.runs().items()[0].output.toStdString());
    const VideoFacts& v = one->facts().video;
    CHECK(both->facts().video.width == 2 * v.width);
    CHECK(both->facts().video.frames == v.frames);
}

TEST_CASE("a spot that is much enlarged shows little of the clip; what lies around it is read with it") {
    Bench b;
    b.set({"clean.on=true", "enlarge.on=true", "enlarge.method=lanczos", "enlarge.size=1080x1920", "frame.on=true"});
    auto spots = b.project().currentClip()->spots;
    REQUIRE(spots.size() >= 3);
    const double x = b.project().currentClip()->clip->facts().video.width / 2.0,
                 y = b.project().currentClip()->clip->facts().video.height / 2.0;
    const char* const what[] = {"blocking", "noise_sigma", "texture"};
    for (std::size_t i = 0; i < 3; ++i) {
        spots[i].what = what[i], spots[i].automatic = false;
        spots[i].x = x, spots[i].y = i < 2 ? y : 2 * y - 1; // the last one at the lower rim
    }
    b.project().setSpots(spots);
    REQUIRE(b.settle());
    for (std::size_t i = 0; i < 3; ++i) {
        const auto& p = b.live().spots().pictures()[i];
        INFO("spot " << i << ": " << p.region.w << "×" << p.region.h);
        CHECK(p.region.h < 24 * 10.67); // less of the clip than is read, with room around
        CHECK(std::isfinite(p.readingBefore));
        CHECK(std::isfinite(p.readingAfter));
    }
}
