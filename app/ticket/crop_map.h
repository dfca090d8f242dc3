#pragma once

#include "app/live/live.h"

#include <QWidget>

namespace ulm::app {

/// The whole clip, small, with the part that is delivered in full light and a border around it. Dragging the border, or
/// the arrows, move it; so does a click beside it. Hidden where nothing is cut off.
class CropMap : public QWidget {
    Q_OBJECT
public:
    CropMap(Project& project, Live& live, QWidget* parent = nullptr);
    void refresh();
    /// The kept part, widget pixels.
    QRectF window() const;

signals:
    /// Where the crop sits in what is left over: [0, 1] across and down. `done`: the drag or key stroke has ended.
    void moved(const QPointF& place, bool done);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    QRectF picture() const;
    QSizeF room() const;   ///< how far the window can go, widget pixels
    QPointF place() const; ///< where it sits now, [0, 1]
    void moveTo(const QPointF& place, bool done);

    Project& project_;
    Live& live_;
    QPointF grip_; ///< from the window's corner to the pointer while it is dragged
    bool dragging_ = false;
};

} // namespace ulm::app
