#include "app/ticket/curve_box.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

namespace ulm::app {
namespace {

constexpr int kHeight = 150, kNear = 9, kOut = 28; // pixels
constexpr double kApart = 0.01;
constexpr std::size_t kMost = 16;

} // namespace

CurveBox::CurveBox(QWidget* parent) : QWidget(parent), points_{{0, 0}, {1, 1}} {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(kHeight);
    setCursor(Qt::CrossCursor);
    setAccessibleName(tr("Curve"));
    setToolTip(tr("What becomes of a tone, dark at the left and at the bottom. Click to add a place, drag to move it, "
                  "drag it out or press Del to take it away."));
}

QRectF CurveBox::plot() const {
    const double wide = std::min(width() - 12, 2 * kHeight);
    return {(width() - wide) / 2, 6, wide, kHeight - 12.0};
}

QPointF CurveBox::at(const CurvePoint& p) const {
    const QRectF r = plot();
    return {r.x() + p.from * r.width(), r.bottom() - p.to * r.height()};
}

CurvePoint CurveBox::toneAt(const QPointF& p) const {
    const QRectF r = plot();
    return {std::clamp((p.x() - r.x()) / r.width(), 0.0, 1.0), std::clamp((r.bottom() - p.y()) / r.height(), 0.0, 1.0)};
}

void CurveBox::setPoints(const std::vector<CurvePoint>& points) {
    if (dragging_) return; // what is under the pointer leads
    points_ = points.size() < 2 ? std::vector<CurvePoint>{{0, 0}, {1, 1}} : points;
    chosen_ = std::min(chosen_, points_.size() - 1);
    update();
}

void CurveBox::moveTo(CurvePoint to) {
    const double least = chosen_ ? points_[chosen_ - 1].from + kApart : 0,
                 most = chosen_ + 1 < points_.size() ? points_[chosen_ + 1].from - kApart : 1;
    to.from = std::clamp(to.from, least, std::max(least, most));
    points_[chosen_] = to;
    update();
}

void CurveBox::removeChosen() {
    if (isEnd(chosen_)) return;
    points_.erase(points_.begin() + std::ptrdiff_t(chosen_));
    --chosen_;
    update();
}

void CurveBox::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const QRectF r = plot();
    p.fillRect(r, t.paper);
    p.setPen(QPen(t.line, 1));
    for (int k = 0; k <= 4; ++k) {
        p.drawLine(QPointF(r.x() + k * r.width() / 4, r.y()), QPointF(r.x() + k * r.width() / 4, r.bottom()));
        p.drawLine(QPointF(r.x(), r.y() + k * r.height() / 4), QPointF(r.right(), r.y() + k * r.height() / 4));
    }
    p.setPen(QPen(t.faint, 1, Qt::DotLine));
    p.drawLine(r.bottomLeft(), r.topRight());
    p.setRenderHint(QPainter::Antialiasing);
    const ToneCurve curve(points_);
    QPolygonF line;
    for (int x = 0; x <= int(r.width()); x += 2)
        line << at({x / r.width(), std::clamp(curve(x / r.width()), 0.0, 1.0)});
    p.setPen(QPen(t.emberInk, 2));
    p.drawPolyline(line);
    for (std::size_t i = 0; i < points_.size(); ++i) {
        p.setPen(QPen(t.ink, 1.4));
        p.setBrush(i == chosen_ && hasFocus() ? t.ink : t.paper);
        p.drawEllipse(at(points_[i]), 4.5, 4.5);
    }
}

void CurveBox::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    const auto away = [&](const CurvePoint& p) { return QLineF(at(p), e->position()).length(); };
    const auto nearest = std::ranges::min_element(points_, {}, away);
    dragging_ = true;
    if (away(*nearest) < kNear) {
        chosen_ = std::size_t(nearest - points_.begin());
        update();
        return;
    }
    const CurvePoint tone = toneAt(e->position());
    const auto next = std::ranges::upper_bound(points_, tone.from, {}, &CurvePoint::from);
    const bool room = points_.size() < kMost && next != points_.begin() && next != points_.end() &&
                      tone.from - (next - 1)->from > kApart && next->from - tone.from > kApart;
    chosen_ = std::size_t((room ? next : nearest) - points_.begin()); // without room the nearest comes here
    if (room) points_.insert(next, tone);
    moveTo(tone);
    Q_EMIT changed(points_, false);
}

void CurveBox::mouseMoveEvent(QMouseEvent* e) {
    if (!dragging_) return;
    const bool out = !rect().adjusted(-kOut, -kOut, kOut, kOut).contains(e->position().toPoint());
    if (out && !isEnd(chosen_)) {
        removeChosen();
        dragging_ = false;
        Q_EMIT changed(points_, true);
        return;
    }
    moveTo(toneAt(e->position()));
    Q_EMIT changed(points_, false);
}

void CurveBox::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_) return;
    dragging_ = false;
    Q_EMIT changed(points_, true);
}

void CurveBox::keyPressEvent(QKeyEvent* e) {
    const double by = e->modifiers() & Qt::ShiftModifier ? 0.05 : 0.005;
    CurvePoint to = points_[chosen_];
    switch (e->key()) {
    case Qt::Key_Left: to.from -= by; break;
    case Qt::Key_Right: to.from += by; break;
    case Qt::Key_Up: to.to += by; break;
    case Qt::Key_Down: to.to -= by; break;
    case Qt::Key_Delete:
    case Qt::Key_Backspace: removeChosen(); return Q_EMIT changed(points_, true);
    default: return QWidget::keyPressEvent(e);
    }
    moveTo({std::clamp(to.from, 0.0, 1.0), std::clamp(to.to, 0.0, 1.0)});
    Q_EMIT changed(points_, true);
}

} // namespace ulm::app
