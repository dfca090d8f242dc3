#pragma once

#include "app/runlist/run_queue.h"

#include <QWidget>

class QLayout;
class QVBoxLayout;

class QLabel;
class QLineEdit;
class QPushButton;
namespace ulm::app {

/// One delivery: what, where to, how far, and what can be done about it.
class RunRow : public QWidget {
    Q_OBJECT
public:
    RunRow(int index, RunQueue& queue, QWidget* parent = nullptr);
    /// Lets the result be named, beginning with `text`, or with the name it has.
    void editName(const std::optional<QString>& text = {});
    /// Ends that without naming anything; what was typed so far.
    std::optional<QString> leaveName();

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;

private:
    const RunItem& item() const { return queue_.items()[static_cast<std::size_t>(index_)]; }
    int index_;
    RunQueue& queue_;
    QLineEdit* name_ = nullptr; ///< while it is typed
};

/// The list of what is to be rendered, running and done.
class RunListPage : public QWidget {
    Q_OBJECT
public:
    explicit RunListPage(RunQueue& queue, QWidget* parent = nullptr);

private:
    QLayout* makePlace();
    RunRow* rowOf(int index);
    void refresh();
    RunQueue& queue_;
    QVBoxLayout* rows_;
    QLabel *summary_, *place_;
    QPushButton *beside_, *cancelAll_, *clear_, *again_;
};

} // namespace ulm::app
