#pragma once

#include "app/bench/live_model.h"

#include <QWidget>

class QLabel;
class QVBoxLayout;

namespace ulm::app {

/// One spot: before left, after right of a divider, at delivered pixels; below it what shows there and its reading.
class SpotView : public QWidget {
    Q_OBJECT
public:
    SpotView(int index, Project& project, LiveModel& live, QWidget* parent = nullptr);
    /// Delivered pixels are shown this many times as large: 1 or 2.
    void setMagnification(int m) { magnification_ = m; }
    bool isFresh() const;

signals:
    void frameWanted(std::int64_t frame);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    QRect square() const;
    int index_;
    Project& project_;
    LiveModel& live_;
    int magnification_ = 1;
    double divider_ = 0.5;
    bool moving_ = false, dividing_ = false;
    QPointF last_;
};

/// The column of spots at the right of the Bench.
class SpotsColumn : public QWidget {
    Q_OBJECT
public:
    SpotsColumn(Project& project, LiveModel& live, QWidget* parent = nullptr);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void refresh();
    Project& project_;
    LiveModel& live_;
    std::vector<SpotView*> views_;
    QVBoxLayout* column_;
    QLabel* empty_;
    int magnification_ = 1;
};

} // namespace ulm::app
