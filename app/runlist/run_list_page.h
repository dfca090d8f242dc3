#pragma once

#include "app/runlist/run_queue.h"

#include <QWidget>

class QLayout;
class QVBoxLayout;

class QLabel;
class QPushButton;
namespace ulm::app {

/// One delivery: what, where to, how far, and what can be done about it.
class RunRow : public QWidget {
    Q_OBJECT
public:
    RunRow(int index, RunQueue& queue, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    int index_;
    RunQueue& queue_;
};

/// The list of what is to be rendered, running and done.
class RunListPage : public QWidget {
    Q_OBJECT
public:
    explicit RunListPage(RunQueue& queue, QWidget* parent = nullptr);

private:
    QLayout* makePlace();
    void refresh();
    RunQueue& queue_;
    QVBoxLayout* rows_;
    QLabel *summary_, *place_;
    QPushButton *beside_, *cancelAll_, *clear_, *again_;
};

} // namespace ulm::app
