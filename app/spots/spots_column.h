#pragma once

#include "app/live/live.h"

#include <QTimer>
#include <QWidget>

class QLabel;
class QVBoxLayout;

namespace ulm::app {

/// One spot: before left, after right of a divider, at 100 or 200 % of the delivered picture; below it what shows there
/// and its reading. Its lower border drags its height.
class SpotView : public QWidget {
    Q_OBJECT
public:
    SpotView(int index, Project& project, Live& live, QWidget* parent = nullptr);
    /// Part of the widget that shows the picture.
    QRect square() const;
    /// Takes its size and magnification to the live model.
    void askForPixels();

signals:
    void frameWanted(std::int64_t frame);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    const Spot* spot() const;
    /// Changes this spot's entry and keeps it: from then on a person has placed it.
    void edit(const std::function<void(Spot&)>& change);
    double magnification() const;

    int index_;
    Project& project_;
    Live& live_;
    double divider_ = 0.5;
    enum class Drag { None, Divider, Move, Height } drag_ = Drag::None;
    QPointF last_;
    QTimer loop_;
    std::size_t shownInLoop_ = 0;
};

/// The column of spots at the right of the Bench.
class SpotsColumn : public QWidget {
    Q_OBJECT
public:
    static constexpr int kMost = 4;
    SpotsColumn(Project& project, Live& live, QWidget* parent = nullptr);

private:
    void refresh();
    Project& project_;
    Live& live_;
    std::vector<SpotView*> views_;
    QVBoxLayout* column_;
    QLabel* empty_;
};

} // namespace ulm::app
