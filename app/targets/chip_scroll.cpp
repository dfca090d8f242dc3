#include "app/targets/chip_scroll.h"

#include <QScrollBar>
#include <QWheelEvent>

namespace ulm::app {

ChipScroll::ChipScroll(QWidget* chips, QWidget* parent) : QScrollArea(parent) {
    setObjectName("chipScroll");
    setFrameShape(QFrame::NoFrame);
    setWidgetResizable(true);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
    setFocusPolicy(Qt::NoFocus); // chips have it
    setWidget(chips);
    connect(horizontalScrollBar(), &QScrollBar::rangeChanged, this, [this](int least, int most) {
        Q_EMIT barHeightChanged(most > least ? horizontalScrollBar()->sizeHint().height() : 0);
    });
}

QSize ChipScroll::sizeHint() const { return widget()->sizeHint(); }

QSize ChipScroll::minimumSizeHint() const {
    const QSize all = widget()->minimumSizeHint();
    return {std::min(all.width(), 300), all.height()};
}

bool ChipScroll::eventFilter(QObject* o, QEvent* e) {
    if (o == widget() && e->type() == QEvent::LayoutRequest) updateGeometry(); // a chip's words have changed
    return QScrollArea::eventFilter(o, e);
}

void ChipScroll::wheelEvent(QWheelEvent* e) {
    const QPoint by = e->angleDelta();
    horizontalScrollBar()->setValue(horizontalScrollBar()->value() - (by.x() ? by.x() : by.y()));
    e->accept();
}

} // namespace ulm::app
