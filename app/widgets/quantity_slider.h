#pragma once

#include "core/ticket/ticket.h"

#include <QWidget>

namespace ulm::app {

/// A row: name, track with handle, value, and where the value comes from. A quantity that can be measured carries a
/// slate tick at the clip's own reading: the handle docked on the tick follows the clip, dragged off it is nudged,
/// pinned (a click on the word, or P) it is fixed. Double-click types a number; wheel and arrows fine-tune; Home docks.
class QuantitySlider : public QWidget {
    Q_OBJECT
public:
    /// `unit` follows the value; `decimals` shown; `step` of wheel and arrows.
    QuantitySlider(const QString& name, double least, double most, double step, int decimals, const QString& unit,
                   QWidget* parent = nullptr);

    void setMeasurable(bool on) { measurable_ = on, update(); }
    void setReading(double reading) { reading_ = reading, update(); }
    void setQuantity(const Quantity& q) { quantity_ = q, update(); }
    const Quantity& quantity() const { return quantity_; }
    void setHelp(const QString& what, const QString& tooMuch);
    void setZeroWord(const QString& word) { zeroWord_ = word, update(); } ///< stands for 0; empty: none does
    double value() const;
    QString told() const; ///< the value in words, with its unit
    /// Where along the widget a value lies; tests aim by it.
    int xOf(double value) const;

    QSize sizeHint() const override { return {300, 26}; }

signals:
    /// `done`: the drag or key stroke has ended.
    void changed(const ulm::Quantity& quantity, bool done);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;

private:
    QRect track() const;
    QRect sourceWord() const;
    void drive(double value, bool done, bool docks);
    void cycleSource();
    void typeValue();

    QString name_, unit_, zeroWord_;
    double least_, most_, step_;
    int decimals_;
    bool measurable_ = false, dragging_ = false;
    double reading_ = 0;
    Quantity quantity_{From::Fixed, 0, 0};
};

} // namespace ulm::app
