#include "app/bench_page.h"
#include "app/main_window.h"
#include "app/tasks/memory.h"
#include "app/widgets/theme.h"
#include "core/base/aside.h"
#include "core/model/arithmetic.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QScreen>
#include <QStandardPaths>
#include <csignal>
#include <cstdio>
#include <cstdlib>

namespace {

// For `./dev bench`: tells when the window is usable and when the first picture stands on the table, then ends.
void timeStart(ulm::app::MainWindow& window, const QElapsedTimer& clock) {
    const auto shown = clock.elapsed();
    auto* live = &window.bench().live();
    QObject::connect(&live->table(), &ulm::app::TableModel::updated, live, [live, shown, &clock] {
        if (live->table().before().isNull()) return;
        std::printf("window %lld ms, first picture %lld ms\n", static_cast<long long>(shown),
                    static_cast<long long>(clock.elapsed()));
        std::fflush(stdout);
        std::_Exit(0);
    });
}

int run(int argc, char** argv) {
    QElapsedTimer clock;
    clock.start();
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);
    ulm::app::keepMemoryTight();
    ulm::keepArithmetic(ulm::arithmeticFile());
    QApplication app(argc, argv);
    QApplication::setApplicationName("ulmwood");
    QApplication::setApplicationVersion(ULMWOOD_VERSION);
    QApplication::setApplicationDisplayName("Ulmwood");
    ulm::app::prepareLook(app, false);
    ulm::app::MainWindow window(QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/ulmwood");
    // Where the screen has no room for it and a title bar, it takes all of it: the way to the run list is at its
    // bottom.
    constexpr int kTitleBar = 40;
    const QSize room = window.screen()->availableSize() - QSize(0, kTitleBar);
    const bool fits = window.size().boundedTo(room) == window.size();
    window.resize(window.size().boundedTo(room));
    fits ? window.show() : window.showMaximized();
    window.restore();
    QStringList files = QApplication::arguments().mid(1);
    if (files.removeAll("--time-start")) {
        QApplication::processEvents();
        timeStart(window, clock);
    }
    if (!files.isEmpty()) window.project().addFiles(files);
    return QApplication::exec();
}

} // namespace

int main(int argc, char** argv) { return ulm::leave(run(argc, argv)); }
