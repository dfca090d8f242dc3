// The overlay of movement: where each place of the picture goes until the next frame, and where that is doubtful.
#include "app/table/viewing_table.h"
#include "core/pipeline/between_doubt.h"

#include <QPainter>
#include <cmath>

namespace ulm::app {
namespace {

constexpr double kSpacing = 36;   // widget pixels from arrow to arrow
constexpr double kShortest = 2.5; // of those: what moves less is a dot

void drawArrow(QPainter& p, const QPointF& from, const QPointF& to, bool doubtful) {
    const QPointF d = to - from;
    const double length = std::hypot(d.x(), d.y());
    const QColor colour = doubtful ? QColor(255, 150, 60) : QColor(255, 255, 255);
    if (length < kShortest) {
        p.setPen(Qt::NoPen);
        p.setBrush(QColor(0, 0, 0, 150));
        p.drawEllipse(to, 2.4, 2.4);
        p.setBrush(colour);
        p.drawEllipse(to, 1.3, 1.3);
        return;
    }
    const QPointF along = d / length, across(-along.y(), along.x());
    const double head = std::min(6.0, 0.5 * length);
    const QPolygonF tip({to, to - along * head + across * head * 0.6, to - along * head - across * head * 0.6});
    for (const bool outline : {true, false}) {
        const QColor c = outline ? QColor(0, 0, 0, 150) : colour;
        p.setPen(QPen(c, outline ? 3.6 : 1.5, doubtful && !outline ? Qt::DotLine : Qt::SolidLine));
        p.setBrush(c);
        p.drawLine(from, to - along * head * 0.5);
        p.setPen(QPen(c, outline ? 2 : 0.5));
        p.drawPolygon(tip);
    }
}

} // namespace

void ViewingTable::paintPaths(QPainter& painter, const QRectF& pane) {
    const FaultView& f = live_.faults().view();
    const Delivery* d = live_.delivery();
    if (!f.fresh || !f.paths || !d) return;
    const QRectF pic = pictureIn(pane), seen = pic.intersected(pane);
    const Picture& p = *f.paths;
    const PictureFormat& clip = d->source->format();
    const Rect field = p.planes[0].area();
    const double across = double(clip.width) / field.w, down = double(clip.height) / field.h;
    painter.save();
    painter.setClipRect(seen, Qt::IntersectClip);
    painter.setRenderHint(QPainter::Antialiasing);
    const auto toWidget = [&](const QPointF& source) {
        return pic.topLeft() + live_.toDelivered(source.x(), source.y()) * scale();
    };
    for (double y = seen.top() + kSpacing / 2; y < seen.bottom(); y += kSpacing)
        for (double x = seen.left() + kSpacing / 2; x < seen.right(); x += kSpacing) {
            const QPointF s = live_.toSource((QPointF(x, y) - pic.topLeft()) / scale());
            const int column = int(std::floor(s.x() / across)), line = int(std::floor(s.y() / down));
            if (!field.contains({column, line, 1, 1})) continue;
            const QPointF path(p.planes[0].at(column, line), p.planes[1].at(column, line));
            drawArrow(painter, toWidget(s - path / 2), toWidget(s + path / 2),
                      p.planes[2].at(column, line) >= kDoubtful);
        }
    painter.restore();
}

} // namespace ulm::app
