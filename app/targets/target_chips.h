#pragma once

#include "app/targets/fit.h"

#include <QWidget>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace ulm::app {

/// A fit gauge. Its box ticks the destination for delivery; a click elsewhere puts its delivery on the table, and takes
/// it off again.
class TargetChip : public QWidget {
    Q_OBJECT
public:
    TargetChip(const Target& target, Project& project, Live& live, QWidget* parent = nullptr);
    FitState state() const;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void tick();
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
    QPushButton* run_;
    std::vector<std::string> shown_; ///< cards that have chips, as JSON
};

} // namespace ulm::app
