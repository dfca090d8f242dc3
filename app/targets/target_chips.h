#pragma once

#include "app/targets/fit.h"

#include <QWidget>

class QHBoxLayout;
class QLabel;
class QPushButton;
class QToolButton;

namespace ulm::app {

/// A fit gauge. Its box ticks the destination for delivery; a click elsewhere puts its delivery on the table, and takes
/// it off again.
class TargetChip : public QWidget {
    Q_OBJECT
public:
    TargetChip(const Target& target, Project& project, Live& live, QWidget* parent = nullptr);
    FitState state() const;
    void tick(); ///< delivers to it, or not any more
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void putOnTable();
    void paintShape(QPainter&, const QRect& box, bool onTable);
    Target target_;
    Project& project_;
    Live& live_;
};

/// The bar at the bottom: watched targets, and the way to the run list.
class TargetBar : public QWidget {
    Q_OBJECT
public:
    TargetBar(Project& project, Live& live, QWidget* parent = nullptr);
    /// Ticks, or unticks, the chip at a place, from 0 on; false where there is none.
    bool tick(int place);

signals:
    void runWanted();

private:
    void noteFit();
    void refresh();
    void chooseWatched();
    void changeOwn(const Target&);
    Project& project_;
    Live& live_;
    QHBoxLayout* chips_;
    QToolButton* more_;
    QPushButton* run_;
    std::vector<std::string> shown_; ///< cards that have chips, as JSON
};

} // namespace ulm::app
