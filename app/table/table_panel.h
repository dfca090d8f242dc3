#pragma once

#include "app/table/viewing_table.h"

class QToolButton;

namespace ulm::app {

class ShapesStrip;

/// The table with its bar: comparisons, what each side shows, fault overlays, zooms, and how to look.
class TablePanel : public QWidget {
    Q_OBJECT
public:
    TablePanel(Project& project, Live& live, QWidget* parent = nullptr);
    ViewingTable& table() { return *table_; }
    ShapesStrip& shapes() { return *shapes_; }

signals:
    void fullScreenWanted();
    void scopesWanted();

private:
    void openSides(bool left, QToolButton* under);
    void openFaults(QToolButton* under);
    void openLook(QToolButton* under);

    Project& project_;
    Live& live_;
    ViewingTable* table_;
    ShapesStrip* shapes_;
};

} // namespace ulm::app
