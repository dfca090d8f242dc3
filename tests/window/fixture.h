#pragma once

#include "app/bench_page.h"
#include "app/live/live.h"
#include "app/main_window.h"
#include "app/reel/reel_strip.h"
#include "app/table/player.h"
#include "app/table/table_panel.h"
#include "app/ticket/ticket_sheet.h"
#include "app/widgets/error_note.h"
#include "app/widgets/theme.h"
#include "tests/support/clips.h"

#include <QDropEvent>
#include <QElapsedTimer>
#include <QMimeData>
#include <QtTest>
#include <catch2/catch.hpp>

namespace ulm::test {

/// Polls until `done`, handling events; false after the time is over.
inline bool waitFor(const std::function<bool()>& done, int milliseconds = 240000) {
    QElapsedTimer clock;
    clock.start();
    while (!done()) {
        if (clock.elapsed() > milliseconds) return false;
        QTest::qWait(5);
    }
    return true;
}

/// Copies the small demo clips once a run.
const TempFolder& demoClips();

/// A window of its own for each test, with one clip or more on the shelf.
class Bench {
public:
    explicit Bench(const QStringList& clips = {"wheel"}, const QString& session = {});
    app::MainWindow window;
    app::Project& project() { return window.project(); }
    app::Live& live() { return window.bench().live(); }
    /// How the frame on the table is framed.
    FramingPlan plan() { return live().delivery()->planAt(live().deliveries().stage()); }
    /// Waits until every watched destination's gauge says something.
    bool gauges();
    /// Lets a test say what was found in the current clip.
    void find(const std::function<void(Inspection&)>& change);
    app::ViewingTable& table() { return window.bench().table().table(); }
    template <class W = QWidget>
    W* find(const char* name) {
        auto* w = window.findChild<W*>(name);
        INFO("widget " << name);
        REQUIRE(w);
        return w;
    }
    const Ticket& ticket() { return project().currentClip()->ticket; }
    bool settle(); ///< spots exact and table complete
    /// Puts "step.key=value" settings on the ticket in one change, as advice does.
    void set(std::initializer_list<const char*> assignments);
    void drop(const QStringList& files);
    QRgb pixel(QWidget* w, const QPoint& p) { return w->grab().toImage().pixel(p * w->devicePixelRatioF()); }
    TempFolder folder; ///< where its clips lie
};

/// A copy of a session's folder as it lies on the disk now: what a start after a crash would find.
class SessionCopy {
public:
    explicit SessionCopy(const TempFolder& session) {
        std::filesystem::copy(session.path(), folder_.path(), std::filesystem::copy_options::recursive);
    }
    QString path() const { return QString::fromStdString(folder_.path()); }
    std::string operator/(const std::string& name) const { return folder_ / name; }

private:
    TempFolder folder_;
};

/// Turns the wheel by so many notches (up is positive) over a place of a widget.
void turnWheel(QWidget*, const QPoint& at, int notches);
void drag(QWidget*, const QPoint& from, const QPoint& to, Qt::MouseButton = Qt::LeftButton, Qt::KeyboardModifiers = {});
/// Opens a menu, chooses the entry with these words (in a menu inside it, too), and closes it; fails where there is
/// none.
void chooseFromMenu(const QString& words, const std::function<void()>& open);
/// Chooses so from the menu that the right button opens at a place of a widget.
void chooseAt(QWidget*, const QPoint& at, const QString& words);
/// Pixels that differ, in `where`; all where it is not given.
int differing(const QImage& a, const QImage& b, QRect where = {});
/// Answers the file dialog that `open` brings up with this path.
void chooseFile(const QString& path, const std::function<void()>& open);

} // namespace ulm::test
