#pragma once

#include <QWidget>

namespace ulm::app {

/// The page of all shortcuts.
class KeySheet : public QWidget {
    Q_OBJECT
public:
    explicit KeySheet(QWidget* parent = nullptr);
};

} // namespace ulm::app
