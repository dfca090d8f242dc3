// Takes the pictures of docs/screenshots from the demo's clips: ulmwood-shots DEMO-FOLDER OUT-FOLDER
#include "app/bench/bench_page.h"
#include "app/bench/table_panel.h"
#include "app/bench/ticket_sheet.h"
#include "app/main_window.h"
#include "app/widgets/error_note.h"
#include "app/widgets/theme.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QFileInfo>
#include <QTemporaryDir>

using namespace ulm::app;

namespace {

bool waitFor(const std::function<bool()>& done, int milliseconds = 120000) {
    QElapsedTimer clock;
    clock.start();
    while (!done()) {
        if (clock.elapsed() > milliseconds) return false;
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    }
    return true;
}

class Photographer {
public:
    Photographer(MainWindow& window, QString folder) : window_(window), folder_(std::move(folder)) {}

    void settle() {
        LiveModel& live = window_.bench().live();
        const auto fresh = [&] {
            return live.pipeline() && live.tableFresh() >= 1 && live.forecast() && !live.spots().empty() &&
                   std::ranges::all_of(live.spots(), &SpotPicture::fresh);
        };
        if (!waitFor(fresh)) qWarning("the Bench did not settle");
        for (int i = 0; i < 20; ++i) QApplication::processEvents(QEventLoop::AllEvents, 10);
    }
    void take(const QString& name) {
        QApplication::processEvents();
        window_.grab().save(folder_ + "/" + name + ".png");
    }

private:
    MainWindow& window_;
    QString folder_;
};

} // namespace

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    if (argc != 3) return 2;
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
    window.project().watched() = {"sparrowgate", "cobblecast", "tuppence"};
    window.show();
    window.project().addFiles(clips);
    const auto inspected = [&] {
        for (int i = 0; i < window.project().count(); ++i)
            if (!window.project().at(i).inspection) return false;
        return window.project().count() == 6;
    };
    if (!waitFor(inspected)) return 5;
    Photographer camera(window, argv[2]);
    window.project().setCurrent(0);
    window.project().chosen() = {"sparrowgate"};
    Q_EMIT window.project().currentChanged();
    camera.settle();
    camera.take("bench");
    window.setNight(true);
    window.project().setCurrent(1);
    camera.settle();
    camera.take("bench-night");
    window.setNight(false);
    window.project().setCurrent(2);
    window.bench().ticket().step("enlarge")->setOpen(true);
    window.bench().table().table().setCompare(ViewingTable::Compare::Wipe);
    camera.settle();
    camera.take("bench-enlarge");
    // A run list with work done, under way and refused.
    window.project().setCurrent(5);
    window.project().chosen() = {"tuppence"};
    window.addToRunList();
    window.project().setCurrent(0);
    window.project().chosen() = {"sparrowgate", "cobblecast"};
    window.addToRunList();
    window.showPage(1);
    waitFor([&] {
        const auto& items = window.runs().items();
        return items.size() == 3 && items[0].state == RunItem::State::Done &&
               items[1].progress.done > items[1].progress.total / 3;
    });
    camera.take("run-list");
    for (int i = 0; i < 3; ++i) window.runs().cancel(i);
    waitFor([&] { return !window.runs().running(); });
    window.showPage(0);
    QFile broken(work.filePath("notes.mp4"));
    if (broken.open(QIODevice::WriteOnly)) broken.write("Monday: fire the bowls\n");
    broken.close();
    window.project().addFiles({broken.fileName()});
    waitFor([&] { return !window.errors().text().isEmpty(); });
    window.project().setCurrent(4);
    camera.settle();
    camera.take("error");
    return 0;
}
