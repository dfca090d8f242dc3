#pragma once

#include "core/engine/work_plan.h"

#include <QDialog>

class QSpinBox;

namespace ulm {
struct ArithmeticPlan;
}

namespace ulm::app {

/// What became of the graphics processor when it was measured, or since.
QString graphicsWords(const ArithmeticPlan&);

/// What Ulmwood may take of the machine. Taken over as it is changed.
class Preferences : public QDialog {
    Q_OBJECT
public:
    explicit Preferences(QWidget* parent = nullptr);

signals:
    void planChanged(const WorkPlan&);

private:
    static QWidget* arithmeticRow();
    QSpinBox *cores_, *memory_;
};

} // namespace ulm::app
