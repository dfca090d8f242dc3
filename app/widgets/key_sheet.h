#pragma once

#include <QDialog>

namespace ulm::app {

/// All shortcuts on one page.
class KeySheet : public QDialog {
    Q_OBJECT
public:
    explicit KeySheet(QWidget* parent = nullptr);
};

} // namespace ulm::app
