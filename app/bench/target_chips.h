#pragma once

#include "app/bench/live_model.h"

#include <QWidget>

class QHBoxLayout;
class QPushButton;

namespace ulm::app {

/// How a clip on its ticket stands against one target.
struct FitState {
    enum class Verdict { Unknown, Fits, Squeezed, Over } verdict = Verdict::Unknown;
    QString words;    ///< "31.4 of 72 MB"
    double share = 0; ///< of the limit, for the bar
};
FitState fitOf(const Target&, const ClipEntry&, const LiveModel&);

/// A fit gauge; a click chooses the target for delivery.
class TargetChip : public QWidget {
    Q_OBJECT
public:
    TargetChip(const Target& target, Project& project, LiveModel& live, QWidget* parent = nullptr);
    FitState state() const;
    QSize sizeHint() const override;

signals:
    void toggled();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    Target target_;
    Project& project_;
    LiveModel& live_;
};

/// The bar at the bottom: watched targets, and the way to the run list.
class TargetBar : public QWidget {
    Q_OBJECT
public:
    TargetBar(Project& project, LiveModel& live, QWidget* parent = nullptr);

signals:
    void runWanted();

private:
    void noteFit();
    void refresh();
    void chooseWatched();
    Project& project_;
    LiveModel& live_;
    QHBoxLayout* chips_;
    QPushButton* run_;
};

} // namespace ulm::app
