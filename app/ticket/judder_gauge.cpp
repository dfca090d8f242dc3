#include "app/ticket/judder_gauge.h"

#include "app/widgets/theme.h"

#include <QPainter>

namespace ulm::app {

JudderGauge::JudderGauge(QWidget* parent) : QWidget(parent) {
    setObjectName("motion.judder");
    setFixedHeight(sizeHint().height());
    setToolTip(tr("Judder: by how many milliseconds, on average, frames are shown before or after the instant at which "
                  "they were filmed. Below 1 no eye finds it; from about 8 on pans stutter."));
}

void JudderGauge::show(const Judder& j) {
    judder_ = j;
    setAccessibleName(tr("Judder %1 ms as it is, %2 ms as delivered").arg(j.before, 0, 'f', 1).arg(j.after, 0, 'f', 1));
    update();
}

void JudderGauge::paintEvent(QPaintEvent*) {
    constexpr double kMost = 20; // ms, a full bar
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setFont(words(9));
    p.setPen(t.ink);
    p.drawText(QRect(0, 0, 92, height()), Qt::AlignVCenter, tr("Judder"));
    const int left = 96, wide = width() - left - 118;
    const std::pair<QString, double> lines[] = {{tr("as it is"), judder_.before}, {tr("delivered"), judder_.after}};
    int y = 3;
    for (const auto& [name, value] : lines) {
        const QRect bar(left, y + 5, wide, 5);
        p.fillRect(bar, t.line);
        const bool first = &name == &lines[0].first;
        p.fillRect(QRect(bar.topLeft(), QSize(int(std::min(1.0, value / kMost) * wide), bar.height())),
                   first ? t.faint : t.elm);
        p.setFont(figures(8));
        p.setPen(t.ink);
        p.drawText(QRect(left + wide + 8, y, 52, 15), Qt::AlignVCenter, tr("%1 ms").arg(value, 0, 'f', 1));
        p.setFont(words(8));
        p.setPen(t.faint);
        p.drawText(QRect(left + wide + 60, y, 58, 15), Qt::AlignVCenter, name);
        y += 14;
    }
}

} // namespace ulm::app
