#pragma once

#include "app/project/project.h"

#include <QWidget>

class QTableWidget;

namespace ulm::app {

/// All clips side by side: facts and readings in a table that sorts by any of them. Choosing a row, by a click
/// or the arrows, chooses the clip; its row is marked.
class FactsSheet : public QWidget {
    Q_OBJECT
public:
    explicit FactsSheet(Project& project, QWidget* parent = nullptr);

private:
    void fill();
    void markCurrent();
    Project& project_;
    QTableWidget* table_;
};

} // namespace ulm::app
