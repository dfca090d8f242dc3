#include "app/ticket/crop_map.h"

#include "app/tasks/image.h"
#include "app/widgets/theme.h"
#include "core/ticket/frame_step.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPointer>
#include <QWheelEvent>
#include <cmath>

namespace ulm::app {
namespace {
constexpr int kHeight = 118, kRest = 60; // pixels, milliseconds
constexpr double kOutlined = 0.25;       // what is less sure would only clutter the picture
} // namespace

CropMap::CropMap(Project& project, Live& live, QWidget* parent) : QWidget(parent), project_(project), live_(live) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(kHeight);
    setCursor(Qt::SizeAllCursor);
    setAccessibleName(tr("Crop"));
    setToolTip(
        tr("What is delivered of the clip. Drag the border, or use the arrows; clicked on, the wheel comes closer.\n"
           "Where the crop follows: faces are in dots, people and animals in lines, things in dashes."));
    connect(&live_.deliveries(), &DeliveryModel::changed, this, &CropMap::refresh);
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &CropMap::look);
    connect(&project_, &Project::playheadChanged, this, [this] { later_.start(kRest); });
}

QRectF CropMap::picture() const {
    const Delivery* d = live_.delivery();
    if (!d) return {};
    QSizeF size =
        QSizeF(d->pose().width, d->pose().height).scaled(QSizeF(width() - 2, kHeight - 6), Qt::KeepAspectRatio);
    return {QPointF((width() - size.width()) / 2, 3), size};
}

QRectF CropMap::window(bool lower) const {
    const Delivery* p = live_.delivery();
    if (!p) return {};
    const QRectF all = picture();
    const double k = all.width() / p->pose().width;
    const FramingPlan whole = p->planAt(live_.deliveries().stage()), f = lower ? whole.lower() : whole;
    return {all.x() + f.srcX * k, all.y() + f.srcY * k, f.srcW * k, f.srcH * k};
}

QSizeF CropMap::room(bool lower) const { return picture().size() - window(lower).size(); }

bool CropMap::isSplit() const {
    const Delivery* d = live_.delivery();
    return d && d->planAt(live_.deliveries().stage()).fill == Fill::Split;
}

QPointF CropMap::place() const {
    const Delivery* d = live_.delivery();
    if (!d) return {};
    const Ticket& t = d->ticket;
    if (lower_ && isSplit()) return {t.frame.lower.x, t.frame.lower.y};
    return t.frame.on ? QPointF(t.frame.x, t.frame.y) : QPointF(t.enlarge.x, t.enlarge.y);
}

// In one of them only, that one; else the one whose middle is nearer.
void CropMap::choose(const QPointF& at) {
    const auto away = [&](bool lower) {
        const QRectF w = window(lower);
        return QLineF(at, w.center()).length() + (w.contains(at) ? 0 : 1e4);
    };
    lower_ = isSplit() && away(true) < away(false);
}

void CropMap::refresh() {
    const QSizeF left = room(false);
    const Delivery* d = live_.delivery();
    const Fill fill = d ? d->planAt(live_.deliveries().stage()).fill : Fill::Pad;
    setVisible(fill == Fill::Split || (fill == Fill::Crop && std::max(left.width(), left.height()) > 1.5));
    later_.start(kRest);
    update();
}

void CropMap::showEvent(QShowEvent*) { later_.start(0); }

// The frame itself rather than what the inspection noted some frames away: outlines lie where things are.
void CropMap::look() {
    const ClipEntry* c = project_.currentClip();
    const Delivery* d = live_.delivery();
    if (!isVisible() || !c || !d) return worker_.stop(), void();
    const QPointer<QObject> self(this);
    const bool follows = followsSubject(d->ticket);
    const QSize size = picture().size().toSize() * (2 * devicePixelRatioF());
    worker_.submit([this, self, source = d->source, of = c->identity(), frame = c->playhead, follows,
                    size](const CancelToken& cancel) {
        try {
            Seen seen;
            seen.picture = wholeImage(project_.engine(), *asRgb(source), frame, cancel, Engine::Keep::Inputs)
                               .scaled(size, Qt::KeepAspectRatio, Qt::SmoothTransformation);
            if (follows) {
                const Picture whole =
                    project_.engine().pull(*source, frame, source->format().frame(), cancel, Engine::Keep::Inputs);
                for (const Mark& m : findFaces(whole, frame)) seen.faces.push_back(m.box);
                cancel.check();
                seen.things = findThings(whole, frame);
                std::erase_if(seen.things, [](const Thing& t) { return t.mark.confidence < kOutlined; });
            }
            onInterface(self, [this, seen, of] {
                seen_ = seen;
                of_ = of;
                update();
            });
        } catch (const Error&) { // cancelled, or the table tells what is wrong
        }
    });
}

// Faces are round, as on the table; who lives is in a whole line, things in a broken one, surer ones in a thicker.
void CropMap::paintSeen(QPainter& p) {
    const QTransform toWidget = p.transform();
    const auto outline = [&](const Rect& r, double sure, Qt::PenStyle style, bool round) {
        const QRectF box = toWidget.mapRect(QRectF(r.x, r.y, r.w, r.h));
        for (const bool pale : {false, true}) {
            const double wide = 0.8 + 1.6 * sure;
            p.setPen(QPen(pale ? QColor(Qt::white) : QColor(0, 0, 0, 130), pale ? wide : wide + 1.6,
                          pale ? style : Qt::SolidLine));
            round ? p.drawEllipse(box) : p.drawRect(box);
        }
    };
    p.save();
    p.resetTransform();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const Thing& t : seen_.things)
        outline(t.mark.box, t.mark.confidence, t.being == Being::Thing ? Qt::DashLine : Qt::SolidLine, false);
    for (const Rect& f : seen_.faces) outline(f, 0.5, Qt::DotLine, true);
    p.restore();
}

void CropMap::moveTo(const QPointF& to, bool done) {
    Q_EMIT moved({std::clamp(to.x(), 0.0, 1.0), std::clamp(to.y(), 0.0, 1.0)}, lower_ && isSplit(), done);
}

void CropMap::paintEvent(QPaintEvent*) {
    const ClipEntry* c = project_.currentClip();
    const QRectF all = picture();
    std::vector<QRectF> kept = {window()};
    if (isSplit()) kept.push_back(window(true));
    if (!c || all.isEmpty()) return;
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.fillRect(all, t.surround);
    // As the clip is held: turned, straightened, cut.
    const Pose& held = live_.delivery()->pose();
    const Affine& m = held.still;
    p.save();
    p.setClipRect(all);
    p.translate(all.topLeft());
    p.scale(all.width() / held.width, all.height() / held.height);
    p.setTransform(QTransform(m.a, m.d, m.b, m.e, m.c, m.f), true);
    const bool known = of_ == c->identity() && !seen_.picture.isNull();
    p.drawImage(QRectF(0, 0, held.clip.w, held.clip.h), known ? seen_.picture : c->thumbnail);
    p.restore();
    QRegion lost(all.toAlignedRect());
    for (const QRectF& k : kept) lost = lost.subtracted(k.toAlignedRect());
    p.setClipRegion(lost);
    p.fillRect(all, QColor(t.paper.red(), t.paper.green(), t.paper.blue(), 185));
    p.setClipping(false);
    if (known && followsSubject(live_.delivery()->ticket)) {
        p.save();
        p.setClipRect(all);
        p.translate(all.topLeft());
        p.scale(all.width() / held.width, all.height() / held.height);
        p.setTransform(QTransform(m.a, m.d, m.b, m.e, m.c, m.f), true);
        paintSeen(p);
        p.restore();
    }
    for (std::size_t i = 0; i < kept.size(); ++i) {
        // A pale line in a dark one shows on any picture.
        p.setPen(QPen(QColor(0, 0, 0, 150), 3));
        p.drawRect(kept[i]);
        p.setPen(QPen(Qt::white, 1.4));
        p.drawRect(kept[i]);
        if (kept.size() == 1) continue;
        const QString name = i == 0 ? tr("upper") : tr("lower");
        p.setFont(words(8));
        const QRectF label(kept[i].x() + 2, i == 0 ? kept[i].y() + 2 : kept[i].bottom() - 15,
                           p.fontMetrics().horizontalAdvance(name) + 8, 13);
        p.fillRect(label, QColor(0, 0, 0, 170));
        p.setPen(Qt::white);
        p.drawText(label, Qt::AlignCenter, name);
    }
    if (!hasFocus()) return;
    p.setPen(QPen(t.ink, 1, Qt::DotLine));
    p.drawRect(all.adjusted(-1, -2, 1, 2));
}

void CropMap::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    dragging_ = true;
    choose(e->position());
    const QRectF kept = window(lower_);
    grip_ = kept.contains(e->position()) ? e->position() - kept.topLeft() : kept.center() - kept.topLeft();
    mouseMoveEvent(e);
}

void CropMap::mouseMoveEvent(QMouseEvent* e) {
    if (!dragging_) return;
    const QPointF corner = e->position() - grip_ - picture().topLeft();
    const QSizeF left = room(lower_);
    const QPointF now = place();
    moveTo({left.width() > 1 ? corner.x() / left.width() : now.x(),
            left.height() > 1 ? corner.y() / left.height() : now.y()},
           false);
}

void CropMap::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_) return;
    dragging_ = false;
    moveTo(place(), true);
}

void CropMap::keyPressEvent(QKeyEvent* e) {
    const double by = e->modifiers() & Qt::ShiftModifier ? 0.1 : 0.01;
    const QPointF now = place();
    switch (e->key()) {
    case Qt::Key_Left: return moveTo(now - QPointF(by, 0), true);
    case Qt::Key_Right: return moveTo(now + QPointF(by, 0), true);
    case Qt::Key_Up: return moveTo(now - QPointF(0, by), true);
    case Qt::Key_Down: return moveTo(now + QPointF(0, by), true);
    default: QWidget::keyPressEvent(e);
    }
}

void CropMap::wheelEvent(QWheelEvent* e) {
    if (!hasFocus()) return e->ignore(); // scrolling the sheet must not change what is under the pointer
    choose(e->position());
    Q_EMIT zoomed(std::pow(1.1, e->angleDelta().y() / 120.0), lower_);
}

} // namespace ulm::app
