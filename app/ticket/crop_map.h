#pragma once

#include "app/live/live.h"
#include "app/tasks/background.h"
#include "core/inspect/things.h"

#include <QImage>
#include <QTimer>
#include <QWidget>
#include <vector>

namespace ulm::app {

/// The whole clip, small, with the part that is delivered in full light and a border around it. Dragging the border, or
/// the arrows, move it; so does a click beside it; the wheel comes closer. Of a split there are two, named after where
/// they land: what the pointer is in, or was in last, moves. Hidden where nothing is cut off.
/// Where the crop follows, what the networks see on this frame is outlined: faces, people, animals and things.
class CropMap : public QWidget {
    Q_OBJECT
public:
    CropMap(Project& project, Live& live, QWidget* parent = nullptr);
    void refresh();
    /// The kept part, widget pixels; of a split the upper or lower one.
    QRectF window(bool lower = false) const;
    /// What is outlined, pixels of the clip.
    const std::vector<Rect>& faces() const { return seen_.faces; }
    const std::vector<Thing>& things() const { return seen_.things; }

signals:
    /// Where the crop sits in what is left over: [0, 1] across and down. `done`: the drag or key stroke has ended.
    void moved(const QPointF& place, bool lower, bool done);
    /// So many times closer.
    void zoomed(double by, bool lower);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void showEvent(QShowEvent*) override;

private:
    QRectF picture() const;
    QSizeF room(bool lower) const; ///< how far the window can go, widget pixels
    QPointF place() const;         ///< where the one that moves sits now, [0, 1]
    bool isSplit() const;
    void choose(const QPointF& at); ///< the window that is to move
    void moveTo(const QPointF& place, bool done);
    void look();
    void paintSeen(QPainter&);

    Project& project_;
    Live& live_;
    QPointF grip_; ///< from the window's corner to the pointer while it is dragged
    bool dragging_ = false, lower_ = false;

    /// The frame at the playhead, small, and what lies in it.
    struct Seen {
        QImage picture;
        std::vector<Rect> faces;
        std::vector<Thing> things;
    } seen_;
    QString of_;              ///< the clip that it is of
    QTimer later_;            ///< the playhead has to rest
    LatestWorker worker_{12}; // last: it ends before what it uses
};

} // namespace ulm::app
