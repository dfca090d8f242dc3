#pragma once

#include "core/pipeline/cadence.h"

#include <QWidget>

namespace ulm::app {

/// By how much movement strays from even steps: two bars, the clip as it is above what is delivered, with both figures.
class JudderGauge : public QWidget {
    Q_OBJECT
public:
    explicit JudderGauge(QWidget* parent = nullptr);
    void show(const Judder& j);
    const Judder& judder() const { return judder_; }
    QSize sizeHint() const override { return {200, 34}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    Judder judder_;
};

} // namespace ulm::app
