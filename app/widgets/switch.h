#pragma once

#include <QAbstractButton>

namespace ulm::app {

/// An on/off switch: a square block that sits right when on, left when off.
class Switch : public QAbstractButton {
    Q_OBJECT
public:
    explicit Switch(QWidget* parent = nullptr);
    QSize sizeHint() const override { return {28, 16}; }

protected:
    void paintEvent(QPaintEvent*) override;
};

} // namespace ulm::app
