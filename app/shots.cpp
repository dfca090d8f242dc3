// Takes the pictures of docs/screenshots from the demo's clips: ulmwood-shots DEMO-FOLDER OUT-FOLDER [NAME…]: all of
// them, or until those named are taken.
#include "app/bench_page.h"
#include "app/main_window.h"
#include "app/proof/proof_page.h"
#include "app/shelf/clip_shelf.h"
#include "app/shelf/facts_sheet.h"
#include "app/table/shapes_strip.h"
#include "app/table/table_panel.h"
#include "app/targets/fit.h"
#include "app/tasks/image.h"
#include "app/tasks/memory.h"
#include "app/ticket/looks_strip.h"
#include "app/ticket/overdone_model.h"
#include "app/ticket/ticket_sheet.h"
#include "app/trials/trials_page.h"
#include "app/widgets/error_note.h"
#include "app/widgets/fold_group.h"
#include "app/widgets/preferences.h"
#include "app/widgets/theme.h"

#include "core/pipeline/look.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QFileInfo>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QTemporaryDir>
#include <QThread>

using namespace ulm::app;

namespace {

bool waitFor(const std::function<bool()>& done, int milliseconds = 120000) {
    QElapsedTimer clock;
    clock.start();
    while (!done()) {
        if (clock.elapsed() > milliseconds) return false;
        QApplication::processEvents(QEventLoop::AllEvents, 20);
        QThread::msleep(5); // what is waited for needs the cores
    }
    return true;
}

// The same instants of several deliveries of one clip, a row each; black between.
QImage rowsOf(const std::vector<ulm::DeliveryPtr>& deliveries, const std::vector<std::int64_t>& frames, int height) {
    constexpr int kGap = 6;
    ulm::Engine engine(std::size_t(64) << 20);
    QImage all;
    for (std::size_t row = 0; row < deliveries.size(); ++row)
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const ulm::Delivery& d = *deliveries[row];
            const ulm::StagePtr rgb = ulm::asRgb(d.result);
            const QImage one = wholeImage(engine, *rgb, frames[i], {}).scaledToHeight(height, Qt::SmoothTransformation);
            if (all.isNull()) {
                all = QImage(int(frames.size()) * (one.width() + kGap) - kGap,
                             int(deliveries.size()) * (height + kGap) - kGap, QImage::Format_RGB32);
                all.fill(Qt::black);
            }
            QPainter(&all).drawImage(int(i) * (one.width() + kGap), int(row) * (height + kGap), one);
        }
    return all;
}

class Photographer {
public:
    Photographer(MainWindow& window, QString folder, QStringList wanted)
        : window_(window), folder_(std::move(folder)), wanted_(std::move(wanted)), all_(wanted_.isEmpty()) {}

    // Every gauge on the bar says something.
    bool gauged(Live& live) const {
        return std::ranges::all_of(window_.project().watched(), [&](const std::string& name) {
            return fitOf(*window_.project().target(name), live).verdict != FitState::Verdict::Unknown;
        });
    }
    bool settled() const {
        Live& live = window_.bench().live();
        return live.delivery() && live.table().fresh() >= 1 && gauged(live) && live.spots().fresh() &&
               window_.bench().overdone().fresh();
    }
    void settle() {
        // What came last may move what was there, and begin anew: settled is what stays so for a while.
        constexpr int kRounds = 8, kCalm = 500; // milliseconds
        for (int k = 0; k < kRounds; ++k) {
            if (!waitFor([&] { return settled(); })) qWarning("the Bench did not settle");
            if (!waitFor([&] { return !settled(); }, kCalm)) return;
        }
    }
    // The Bench, settled: taking a picture lays it out once more, and spots of another size begin anew.
    void takeSettled(const QString& name) {
        settle();
        window_.grab();
        settle();
        take(name);
    }
    void take(const QString& name) { take(name, window_); }
    void take(const QString& name, QWidget& what) {
        QApplication::processEvents();
        keep(name, [&] { return what.grab().toImage(); });
    }
    void keep(const QString& name, const std::function<QImage()>& made) {
        if (!all_ && !wanted_.removeOne(name)) return;
        const QString path = folder_ + "/" + name + ".png";
        if (!made().save(path)) qFatal("%s could not be written", qPrintable(path));
    }
    bool done() const { return !all_ && wanted_.isEmpty(); }

private:
    MainWindow& window_;
    QString folder_;
    QStringList wanted_;
    bool all_;
};

} // namespace

int main(int argc, char** argv) {
    keepMemoryTight();
    QApplication app(argc, argv);
    if (argc < 3) qFatal("usage: ulmwood-shots CLIPS FOLDER [NAME...]");
    if (!QDir().mkpath(argv[2])) qFatal("%s: this folder cannot be made", argv[2]);
    prepareLook(app, false);
    QTemporaryDir work; // clips are copied, so that paths on screen are nobody's
    QDir demo(argv[1]);
    QStringList clips;
    for (const char* name : {"wheel", "glaze", "shelf", "kiln", "hands", "ident"})
        for (const char* end : {".mp4", ".ticket.json"}) {
            QFile::copy(demo.filePath(QString(name) + end), work.filePath(QString(name) + end));
            if (QString(end) == ".mp4") clips << work.filePath(QString(name) + end);
        }
    MainWindow window("");
    window.resize(1280, 800);
    window.project().setWatched({"sparrowgate", "cobblecast", "tuppence"});
    window.show();
    window.project().addFiles(clips);
    const auto inspected = [&] {
        for (int i = 0; i < window.project().count(); ++i)
            if (!window.project().at(i).inspection) return false;
        return window.project().count() == 6;
    };
    if (!waitFor(inspected)) return 5;
    Photographer camera(window, argv[2], app.arguments().mid(3));
    window.project().setCurrent(0);
    window.project().setChosen({"sparrowgate"});
    Q_EMIT window.project().currentChanged();
    camera.settle();
    camera.take("bench");
    // A destination on the table: its shape, what it adds to the ticket, and all ticked shapes side by side.
    ulm::Ticket wide = window.project().at(0).ticket;
    wide.frame.on = wide.enlarge.on = false;
    window.project().change(wide);
    window.project().setChosen({"sparrowgate", "cobblecast", "tuppence"});
    window.project().putOnTable("sparrowgate");
    window.bench().ticket().step("frame")->setOpen(true);
    camera.settle();
    waitFor([&] { return !window.bench().table().shapes().pictureOf("tuppence").isNull(); });
    camera.take("bench-destination");
    if (camera.done()) return 0;
    window.project().putOnTable("");
    window.project().undo();
    window.project().setChosen({"sparrowgate"});
    window.bench().ticket().step("clean")->setOpen(true);
    // Light and colour.
    window.project().setCurrent(3);
    ulm::Ticket warm = window.project().at(3).ticket;
    for (const char* set : {"finish.light.exposure=0.35", "finish.light.contrast=25", "finish.light.shadows=20",
                            "finish.colour.warmth=-14", "finish.colour.vibrance=35", "finish.glow.amount=30",
                            "finish.vignette=35", "finish.light.curve=0:0 25:20 75:80 100:100"})
        ulm::setByAssignment(warm, set);
    window.project().change(warm);
    window.bench().ticket().step("finish")->setOpen(true);
    window.bench().table().table().setCompare(ViewingTable::Compare::Wipe);
    window.findChild<QWidget*>("scopes")->show();
    camera.settle();
    // As far down as the looks of a folder on this very frame.
    QDir(work.path()).mkdir("looks");
    for (const auto& [name, sets] :
         {std::pair("Dusk", std::vector<const char*>{"finish.colour.warmth=-45", "finish.light.exposure=-0.4"}),
          std::pair("Ember", std::vector<const char*>{"finish.colour.warmth=55", "finish.light.contrast=35"}),
          std::pair("Slate", std::vector<const char*>{"finish.colour.saturation=-100"})}) {
        ulm::Ticket look;
        for (const char* set : sets) ulm::setByAssignment(look, set);
        QFile file(work.filePath(QString("looks/%1.cube").arg(name)));
        if (file.open(QIODevice::WriteOnly)) file.write(QByteArray::fromStdString(ulm::lookOf(look)));
    }
    window.project().setOwnLooks(work.filePath("looks"));
    auto* looks = window.findChild<LooksStrip*>("looks");
    for (FoldGroup* group : window.findChildren<FoldGroup*>())
        if (group->isAncestorOf(looks)) group->setOpen(true);
    waitFor([&] { return looks->isVisible() && looks->fresh(); });
    for (QWidget* w = looks; w; w = w->parentWidget())
        if (auto* sheet = qobject_cast<QScrollArea*>(w); sheet && sheet->objectName() != "looksView")
            sheet->ensureWidgetVisible(looks, 0, 40);
    camera.settle();
    camera.take("bench-light");
    if (camera.done()) return 0;
    window.findChild<QWidget*>("scopes")->hide();
    window.project().undo();
    // A crop that follows, its path on the reel, bent at one place.
    window.project().setCurrent(4);
    ulm::Ticket follows = window.project().at(4).ticket;
    for (const char* set : {"frame.aspect=9:16", "frame.fill=crop", "frame.follow=subject", "frame.pins=2.2:0.62,0.5"})
        ulm::setByAssignment(follows, set);
    window.project().change(follows);
    window.project().setPlayhead(130);
    window.bench().ticket().step("frame")->setOpen(true);
    camera.settle();
    camera.take("bench-follow");
    camera.keep("../crop-in-the-middle-and-followed", [&] {
        ulm::Ticket middle = follows;
        for (const char* set : {"frame.follow=place", "frame.pins=none"}) ulm::setByAssignment(middle, set);
        ulm::setByAssignment(follows, "frame.pins=none");
        const ClipEntry& clip = *window.project().currentClip();
        return rowsOf(
            {ulm::resolve(clip.reader, clip.inspection, middle), ulm::resolve(clip.reader, clip.inspection, follows)},
            {10, 45, 80, 115, 150, 190}, 300);
    });
    if (camera.done()) return 0;
    window.project().undo();
    // Two places of it, one above the other.
    ulm::Ticket two = window.project().currentClip()->ticket;
    for (const char* set : {"frame.aspect=9:16", "frame.fill=split", "frame.split=60", "frame.x=0.5",
                            "frame.lower_x=0.85", "frame.lower_y=0.8", "frame.lower_zoom=2"})
        ulm::setByAssignment(two, set);
    window.project().change(two);
    camera.settle();
    camera.take("bench-split");
    if (camera.done()) return 0;
    window.project().undo();
    // Held straight, steadied, with a mark of one's own clear of what the destination covers.
    window.project().setCurrent(3);
    ulm::Ticket own = window.project().at(3).ticket;
    for (const char* set :
         {"frame.straighten=-3", "motion.stabilise=60", "motion.ramps=0:100 3:50 5:100", "motion.ease=true",
          "stretch.without=1-1.6", "finish.mark.text=Tern Street Pottery", "finish.mark.size=60", "finish.fade.in=0.5"})
        ulm::setByAssignment(own, set);
    window.project().change(own);
    window.project().putOnTable("sparrowgate");
    window.project().setPlayhead(100);
    window.bench().table().table().setSafeAreas(true);
    window.bench().ticket().step("frame")->setOpen(true);
    camera.settle();
    camera.take("bench-held");
    if (camera.done()) return 0;
    window.bench().ticket().step("motion")->setOpen(true);
    camera.settle();
    camera.take("bench-times");
    if (camera.done()) return 0;
    window.bench().table().table().setSafeAreas(false);
    window.project().undo();
    window.bench().ticket().step("clean")->setOpen(true);
    window.setNight(true);
    window.project().setCurrent(1);
    camera.settle();
    camera.take("bench-night");
    window.setNight(false);
    window.project().setCurrent(2);
    window.bench().ticket().step("enlarge")->setOpen(true);
    window.bench().table().table().setCompare(ViewingTable::Compare::Wipe);
    waitFor([&] { return !window.findChild<QLabel*>("enlarge.gain")->text().isEmpty(); });
    camera.takeSettled("bench-enlarge");
    if (camera.done()) return 0;
    {
        Preferences preferences(&window);
        preferences.show();
        waitFor([&] { return preferences.findChild<QPushButton*>("plan.again")->isEnabled(); }); // measured
        camera.take("preferences", preferences);
    }
    if (camera.done()) return 0;
    // Slow motion: a frame made in between, where movement leads, where that is doubtful, a stretch that is blended.
    window.project().setCurrent(4);
    ulm::Ticket slow = window.project().at(4).ticket;
    for (const char* set : {"motion.speed=50", "motion.fps=50", "motion.places=3-3.6:blend"})
        ulm::setByAssignment(slow, set);
    window.project().change(slow);
    window.bench().ticket().step("motion")->setOpen(true);
    window.bench().table().table().setCompare(ViewingTable::Compare::Pair);
    window.bench().live().deliveries().stepDelivered(1);
    camera.settle();
    window.bench().live().faults().show("paths");
    waitFor([&] { return window.bench().live().faults().view().fresh && window.bench().live().doubts().done() == 1; });
    camera.settle();
    camera.take("bench-motion");
    if (camera.done()) return 0;
    window.bench().live().faults().show({});
    window.project().undo();
    window.project().setCurrent(2);
    window.bench().ticket().step("enlarge")->setOpen(true);
    // Too much of it, and where.
    window.bench().ticket().step("finish")->setOpen(true);
    ulm::Ticket harsh = window.project().at(2).ticket;
    ulm::setByAssignment(harsh, "finish.sharpen.amount=2.6");
    ulm::setByAssignment(harsh, "finish.halo_limit=0");
    window.project().change(harsh);
    window.bench().live().faults().show("overdone");
    camera.settle();
    waitFor([&] { return window.bench().live().faults().view().fresh; });
    camera.take("bench-overdone");
    if (camera.done()) return 0;
    window.bench().live().faults().show({});
    window.project().undo();
    // What is wrong, where, and what would help.
    window.bench().ticket().step("finish")->setOpen(false);
    window.project().setCurrent(0);
    ulm::Ticket bare;
    window.project().change(bare);
    window.bench().table().table().setCompare(ViewingTable::Compare::Flip);
    if (auto* advice = window.findChild<QLabel*>("ticketAdvice")) Q_EMIT advice->linkActivated("details");
    window.bench().live().faults().show("blocking");
    camera.settle();
    waitFor([&] { return window.bench().live().faults().view().fresh; });
    camera.take("bench-faults");
    if (auto* advice = window.findChild<QLabel*>("ticketAdvice")) Q_EMIT advice->linkActivated("details");
    window.bench().live().faults().show({});
    window.project().undo();
    window.bench().table().table().setCompare(ViewingTable::Compare::Pair);
    window.bench().table().table().setZoom(2);
    camera.settle();
    camera.take("bench-pair-200");
    window.bench().table().table().setZoom(0);
    window.showPage(MainWindow::kTrials);
    window.trials().model().tryAdvice();
    waitFor([&] { return window.trials().model().share() >= 1; });
    camera.take("trials");
    window.showPage(MainWindow::kBench);
    // A run list with work done, under way and refused.
    window.project().setCurrent(5);
    window.project().setChosen({"tuppence"});
    window.addToRunList();
    window.project().setCurrent(0);
    window.project().setChosen({"sparrowgate", "cobblecast"});
    window.addToRunList();
    window.showPage(MainWindow::kRunList);
    const auto underWay = [&] {
        const auto& items = window.runs().items();
        return items.size() == 3 && items[0].state == RunItem::State::Done &&
               items[1].progress.done > items[1].progress.total / 3;
    };
    if (!waitFor(underWay, 600000)) qWarning("the run list is not as far as its picture wants it");
    camera.take("run-list");
    for (int i = 0; i < 3; ++i) window.runs().cancel(i);
    waitFor([&] { return !window.runs().running(); });
    window.showPage(MainWindow::kProof);
    window.proof().make(ProofPage::Kind::Sheet);
    waitFor([&] { return !window.proof().busy(); });
    camera.take("proof");
    window.showPage(MainWindow::kBench);
    QFile broken(work.filePath("notes.mp4"));
    if (broken.open(QIODevice::WriteOnly)) broken.write("Monday: fire the bowls\n");
    broken.close();
    window.project().addFiles({broken.fileName()});
    waitFor([&] { return !window.errors().text().isEmpty(); });
    window.project().setCurrent(4);
    camera.settle();
    camera.take("error");
    window.errors().hide();
    // A shelf with many clips.
    QStringList many;
    for (int round = 0; round < 3; ++round)
        for (const char* name : {"wheel", "glaze", "shelf", "kiln", "hands", "ident"}) {
            const QString to = work.filePath(QString("%1-take%2.mp4").arg(name).arg(round + 2));
            QFile::copy(demo.filePath(QString(name) + ".mp4"), to);
            many << to;
        }
    window.project().addFiles(many);
    waitFor([&] {
        for (int i = 0; i < window.project().count(); ++i)
            if (!window.project().at(i).inspection) return false;
        return window.project().count() >= 24;
    });
    window.findChild<ClipShelf*>("clipShelf")->setOrder(ClipShelf::Order::Worst);
    window.findChild<ClipShelf*>("clipShelf")->showFacts(true);
    camera.settle();
    camera.take("shelf");
    return 0;
}
