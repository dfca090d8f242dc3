#pragma once

#include "app/bench/viewing_table.h"

class QToolButton;

namespace ulm::app {

/// The table with its bar: comparisons, what each side shows, fault overlays, zooms, and how to look.
class TablePanel : public QWidget {
    Q_OBJECT
public:
    TablePanel(Project& project, LiveModel& live, QWidget* parent = nullptr);
    ViewingTable& table() { return *table_; }

signals:
    void fullScreenWanted();

private:
    void openSides(bool left, QToolButton* under);
    void openFaults(QToolButton* under);
    void openLook(QToolButton* under);

    Project& project_;
    LiveModel& live_;
    ViewingTable* table_;
};

} // namespace ulm::app
