#include "app/widgets/switch.h"

#include "app/widgets/theme.h"

#include <QPainter>

namespace ulm::app {

Switch::Switch(QWidget* parent) : QAbstractButton(parent) {
    setCheckable(true);
    setCursor(Qt::PointingHandCursor);
    setFixedSize(sizeHint());
}

void Switch::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const QRect frame = rect().adjusted(1, 1, -2, -2);
    p.setPen(QPen(hasFocus() ? t.ink : isChecked() ? t.elm : t.faint, 1));
    p.setBrush(isChecked() ? t.elm : Qt::transparent);
    p.drawRect(frame);
    p.setPen(Qt::NoPen);
    p.setBrush(isChecked() ? t.paperOpen : t.faint);
    const int half = frame.width() / 2;
    p.drawRect(isChecked() ? QRect(frame.right() - half + 2, frame.top() + 2, half - 2, frame.height() - 3)
                           : QRect(frame.left() + 2, frame.top() + 2, half - 2, frame.height() - 3));
}

} // namespace ulm::app
