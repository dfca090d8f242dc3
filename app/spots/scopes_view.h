#pragma once

#include "app/live/live.h"
#include "core/judge/scopes.h"

#include <QWidget>

namespace ulm::app {

/// Light and colour of the frame on the table, before at the left and after at the right: waveform, histogram,
/// vectorscope, and how much of it is at the ends of the range. Beside the picture, on demand.
class ScopesView : public QWidget {
    Q_OBJECT
public:
    ScopesView(Live& live, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {208, 296}; }
    /// Of the frame on the table, after; for tests.
    const Scopes& after() const { return after_; }

protected:
    void paintEvent(QPaintEvent*) override;
    void showEvent(QShowEvent*) override;

private:
    void measure();
    void paintSide(QPainter&, const QRect&, const Scopes&, const QString& words);

    Live& live_;
    Scopes before_, after_;
};

} // namespace ulm::app
