#include "app/main_window.h"
#include "app/widgets/theme.h"

#include <QApplication>
#include <QStandardPaths>
#include <csignal>
#include <malloc.h>

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);
    mallopt(M_ARENA_MAX, 4);
    QApplication app(argc, argv);
    QApplication::setApplicationName("ulmwood");
    QApplication::setApplicationDisplayName("Ulmwood");
    ulm::app::prepareLook(app, false);
    ulm::app::MainWindow window(QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/ulmwood");
    window.show();
    window.restore();
    if (const QStringList files = QApplication::arguments().mid(1); !files.isEmpty()) window.project().addFiles(files);
    return QApplication::exec();
}
