#pragma once

#include "core/finish/curve.h"

#include <QWidget>

namespace ulm::app {

/// A tone curve to draw: what becomes of a tone, dark at the left and at the bottom. Click to add a place, drag to move
/// it, drag it out or press Del to take it away; the arrows move the one chosen last.
class CurveBox : public QWidget {
    Q_OBJECT
public:
    explicit CurveBox(QWidget* parent = nullptr);
    /// Empty: the straight line.
    void setPoints(const std::vector<CurvePoint>&);
    const std::vector<CurvePoint>& points() const { return points_; }
    /// Where a place lies, widget pixels.
    QPointF at(const CurvePoint&) const;

signals:
    /// `done`: the drag or key stroke has ended.
    void changed(const std::vector<CurvePoint>& points, bool done);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    QRectF plot() const;
    CurvePoint toneAt(const QPointF&) const;
    void moveTo(CurvePoint to);
    void removeChosen();
    bool isEnd(std::size_t index) const { return index == 0 || index + 1 == points_.size(); }

    std::vector<CurvePoint> points_;
    std::size_t chosen_ = 0;
    bool dragging_ = false;
};

} // namespace ulm::app
