#define CATCH_CONFIG_RUNNER
#include "tests/window/fixture.h"

#include "app/targets/fit.h"
#include "core/picture/opencv_memory.h"
#include "demo/clips.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QWheelEvent>
#include <cstdio>
#include <malloc.h>

namespace ulm::test {

const TempFolder& demoClips() {
    static TempFolder folder;
    static const bool made = [] {
        for (const auto& p : demo::clipPlans())
            if (p.name == "wheel" || p.name == "hands") demo::makeClip(p, folder.path(), 6, 0.5, 48);
        return true;
    }();
    (void)made;
    return folder;
}

Bench::Bench(const QStringList& clips, const QString& session) : window(session) {
    qApp->setQuitOnLastWindowClosed(false);
    window.resize(1280, 800);
    window.show();
    QStringList files;
    for (const QString& c : clips) {
        const QString from = QString::fromStdString(demoClips() / (c.toStdString() + ".mp4")),
                      to = QString::fromStdString(folder / (c.toStdString() + ".mp4"));
        QFile::copy(from, to);
        files << to;
    }
    if (!files.isEmpty()) drop(files);
    REQUIRE(waitFor([&] {
        for (int i = 0; i < project().count(); ++i)
            if (!project().at(i).inspection) return false;
        return project().count() == clips.size();
    }));
    if (!clips.isEmpty()) REQUIRE(settle());
}

bool Bench::settle() {
    return waitFor([&] { return live().delivery() && live().table().fresh() >= 1 && live().spots().fresh(); });
}

bool Bench::gauges() {
    return waitFor([&] {
        return std::ranges::all_of(project().targets(), [this](const Target& t) {
            return !project().watched().contains(t.name) ||
                   app::fitOf(t, live()).verdict != app::FitState::Verdict::Unknown;
        });
    });
}

void Bench::find(const std::function<void(Inspection&)>& change) {
    auto found = std::make_shared<Inspection>(*project().currentClip()->inspection);
    change(*found);
    project().currentClip()->inspection = found;
}

void Bench::drop(const QStringList& files) {
    QMimeData mime;
    QList<QUrl> urls;
    for (const QString& f : files) urls << QUrl::fromLocalFile(f);
    mime.setUrls(urls);
    QDragEnterEvent enter({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    REQUIRE(enter.isAccepted());
    QDropEvent event({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
}

void Bench::set(std::initializer_list<const char*> assignments) {
    Ticket t = ticket();
    for (const char* a : assignments) setByAssignment(t, a);
    project().change(t);
}

void turnWheel(QWidget* w, const QPoint& at, int notches) {
    QWheelEvent e(at, w->mapToGlobal(QPointF(at)), {}, {0, notches * 120}, Qt::NoButton, Qt::NoModifier,
                  Qt::NoScrollPhase, false);
    QApplication::sendEvent(w, &e);
}

void drag(QWidget* w, const QPoint& from, const QPoint& to, Qt::MouseButton button, Qt::KeyboardModifiers keys) {
    QTest::mousePress(w, button, keys, from);
    QTest::mouseMove(w, (from + to) / 2);
    QTest::mouseMove(w, to);
    QTest::mouseRelease(w, button, keys, to);
}

void chooseFromMenu(const QString& words, const std::function<void()>& open) {
    bool done = false;
    int tries = 0;
    QWidget* below = QApplication::activeWindow();
    const std::function<void()> choose = [&] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        if (!menu) {
            if (++tries < 1000) QTimer::singleShot(20, [&] { choose(); });
            return;
        }
        QList<QAction*> entries = menu->actions();
        for (QMenu* sub : menu->findChildren<QMenu*>()) entries += sub->actions();
        const auto entry =
            std::ranges::find_if(entries, [&](QAction* a) { return a->text() == words && a->isEnabled(); });
        if (entry != entries.end()) done = true, (*entry)->trigger();
        menu->close();
    };
    QTimer::singleShot(20, [&] { choose(); });
    open();
    INFO("menu entry " << words.toStdString());
    CHECK(waitFor([&] { return done; }));
    // Shortcuts are heard again when the window below is the active one again, which no window manager sees to here.
    REQUIRE(waitFor([&] {
        if (below && !QApplication::activePopupWidget() && !QApplication::activeWindow()) below->activateWindow();
        return !QApplication::activePopupWidget() && QApplication::activeWindow();
    }));
}

void chooseAt(QWidget* w, const QPoint& at, const QString& words) {
    chooseFromMenu(words, [&] {
        QContextMenuEvent e(QContextMenuEvent::Mouse, at, w->mapToGlobal(at));
        QApplication::sendEvent(w, &e);
    });
}

int differing(const QImage& a, const QImage& b, QRect where) {
    if (where.isNull()) where = a.rect();
    int n = 0;
    for (int y = where.top(); y <= where.bottom(); ++y)
        for (int x = where.left(); x <= where.right(); ++x) n += a.pixel(x, y) != b.pixel(x, y);
    return n;
}

void chooseFile(const QString& path, const std::function<void()>& open) {
    bool asked = false;
    int tries = 0;
    QWidget* below = QApplication::activeWindow();
    const std::function<void()> answer = [&] {
        auto* d = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        // Typed: selectFile() leaves the name alone once the field has the focus.
        if (d) d->findChild<QLineEdit*>("fileNameEdit")->setText(path);
        if (!d || d->selectedFiles() != QStringList{path}) {
            if (++tries < 1000) return QTimer::singleShot(20, [&] { answer(); });
            if (d) d->reject(); // fails, and does not hang
            return;
        }
        asked = true;
        static_cast<QDialog*>(d)->accept();
        if (below) below->activateWindow();
    };
    QTimer::singleShot(20, [&] { answer(); });
    open();
    CHECK(waitFor([&] { return asked; }));
}

} // namespace ulm::test

namespace {

// The offscreen plugin says hundreds of times what it cannot do: that would bury what failed.
void tellTheRest(QtMsgType, const QMessageLogContext&, const QString& text) {
    if (!text.startsWith("This plugin does not support")) std::fprintf(stderr, "%s\n", qPrintable(text));
}

} // namespace

int main(int argc, char** argv) {
    qInstallMessageHandler(tellTheRest);
    QApplication app(argc, argv);
    ulm::recycleMatrices(); // as the program does
    ulm::app::prepareLook(app, false);
    return Catch::Session().run(argc, argv);
}
