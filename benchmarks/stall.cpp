// ulmwood-stall CLIP: runs the window offscreen, moves a slider while a delivery renders, and prints the longest time
// for which the interface thread answered nothing, and the 99th percentile of its answers.
#include "app/bench_page.h"
#include "app/main_window.h"
#include "app/widgets/theme.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QFile>
#include <QFileInfo>
#include <QTemporaryDir>
#include <QTimer>
#include <algorithm>
#include <cstdio>
#include <vector>

using namespace ulm::app;

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    if (argc != 2) return 2;
    prepareLook(app, false);
    QTemporaryDir work;
    const QString clip = work.filePath("clip.mp4");
    QFile::copy(argv[1], clip);
    MainWindow window("");
    window.show();
    window.project().addFiles({clip});
    QElapsedTimer patience;
    patience.start();
    while (!(window.project().count() && window.project().at(0).inspection)) {
        QApplication::processEvents(QEventLoop::AllEvents, 10);
        if (patience.elapsed() > 60000) return 5;
    }
    ulm::Ticket t = window.project().currentClip()->ticket;
    for (const char* set : {"clean.blocks=measured", "enlarge.scale=2", "finish.sharpen.amount=0.5"})
        ulm::setByAssignment(t, set);
    window.project().change(t);
    window.addToRunList();
    // A beat every 4 ms; how late each comes is how long the thread was held up. Sliders move 25 times a second.
    std::vector<double> late;
    QElapsedTimer clock;
    clock.start();
    double last = 0;
    int moves = 0;
    QTimer beat;
    beat.setTimerType(Qt::PreciseTimer);
    QObject::connect(&beat, &QTimer::timeout, [&] {
        const double now = double(clock.nsecsElapsed()) / 1e6;
        late.push_back(now - last);
        last = now;
        if (now > 40.0 * moves) {
            ++moves;
            t.clean.blocks = {ulm::From::Fixed, 5.0 + moves % 40, 0};
            window.project().change(t, "blocks");
        }
        if (now > 8000) QApplication::quit();
    });
    beat.start(4);
    last = double(clock.nsecsElapsed()) / 1e6;
    app.exec();
    std::ranges::sort(late);
    std::printf("longest %.1f ms, p99 %.1f ms, %d moves\n", late.back(), late[late.size() * 99 / 100], moves);
    return 0;
}
