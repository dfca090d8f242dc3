#include "app/table/viewing_table.h"

#include <QMouseEvent>
#include <QScreen>
#include <QTimer>
#include <QWheelEvent>
#include <cmath>
#include <numbers>

namespace ulm::app {

ViewingTable::ViewingTable(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("viewingTable");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 200);
    setAccessibleName(tr("Viewing table"));
    // A phone's screen is about 140 mm high; the screen says how many pixels that is, rightly or not.
    phoneHeight_ = project_.phoneHeight() > 0 ? project_.phoneHeight() : 140 / 25.4 * physicalDpiY();
    const auto repaint = qOverload<>(&QWidget::update);
    connect(&live_.table(), &TableModel::updated, this, repaint);
    connect(&live_.table(), &TableModel::viewsChanged, this, repaint);
    connect(&live_.spots(), &SpotsModel::updated, this, repaint);
    connect(&live_.faults(), &FaultModel::updated, this, repaint);
    connect(&live_, &Live::stepChanged, this, repaint);
    connect(&live_.deliveries(), &DeliveryModel::changed, this, [this] {
        // Upright pictures leave room at the sides: a pair fills it. What a person chose stays.
        const Delivery* p = live_.delivery();
        if (p && !chosenByHand_) {
            const Compare wanted = p->size().h > p->size().w ? Compare::Pair : Compare::Wipe;
            if (wanted != compare_) {
                compare_ = wanted;
                Q_EMIT compareChanged();
            }
        }
        update();
    });
    connect(&project_, &Project::currentChanged, this, [this] {
        pan_ = {};
        playing_ = QImage();
        askForPlace({});
    });
}

void ViewingTable::setCompare(Compare c) {
    chosenByHand_ = true;
    compare_ = c;
    panTo(pan_); // the panes of Pair are narrower
    Q_EMIT compareChanged();
    update();
}

void ViewingTable::setZoom(double z) {
    zoom_ = z;
    panTo(z == kFit ? QPointF() : pan_);
    Q_EMIT zoomChanged();
    update();
}

void ViewingTable::setWipeAngle(double degrees) {
    while (degrees > 180) degrees -= 360;
    while (degrees <= -180) degrees += 360;
    angle_ = degrees;
    update();
}

void ViewingTable::setGain(int gain) {
    gain_ = gain;
    differenceOf_ = 0;
    Q_EMIT optionsChanged();
    update();
}

void ViewingTable::setSafeAreas(bool on) {
    safeAreas_ = on;
    Q_EMIT optionsChanged();
    update();
}

void ViewingTable::setPhoneHeight(double pixels) {
    phoneHeight_ = pixels;
    project_.setPhoneHeight(pixels);
    panTo(pan_);
}

// A picture never leaves its pane: one that is larger covers it, a smaller one stays in the middle.
void ViewingTable::panTo(const QPointF& to) {
    if (const Delivery* p = live_.delivery()) {
        const QSizeF pane = panes().back().size() / scale();
        const double x = std::max(0.0, (p->size().w - pane.width()) / 2),
                     y = std::max(0.0, (p->size().h - pane.height()) / 2);
        pan_ = {std::clamp(to.x(), -x, x), std::clamp(to.y(), -y, y)};
    }
    update();
}

void ViewingTable::setFlipped(bool f) {
    if (f == flipped_) return;
    flipped_ = f;
    update();
}

void ViewingTable::showPlaying(const QImage& picture, bool delivered, const QString& words) {
    playing_ = picture;
    playingDelivered_ = delivered;
    playingWords_ = words;
    update();
}

void ViewingTable::askForPlace(const QString& words) {
    asking_ = words;
    words.isEmpty() ? unsetCursor() : setCursor(Qt::CrossCursor);
    update();
}

void ViewingTable::tell(const QString& words) {
    telling_ = words;
    update();
}

void ViewingTable::hint(const QString& words) {
    constexpr int kLong = 5000; // ms
    tell(words);
    QTimer::singleShot(kLong, this, [this, words] {
        if (telling_ == words) tell({});
    });
}

std::vector<QRectF> ViewingTable::panes() const {
    const QRectF all = QRectF(rect()).adjusted(6, 6, -6, -6);
    if (compare_ != Compare::Pair || !playing_.isNull()) return {all};
    const double half = (all.width() - 8) / 2;
    return {QRectF(all.left(), all.top(), half, all.height()),
            QRectF(all.left() + half + 8, all.top(), half, all.height())};
}

double ViewingTable::scale() const {
    const Delivery* p = live_.delivery();
    if (!p) return 1;
    if (zoom_ > 0) return zoom_ / devicePixelRatioF();
    // On a phone held for it, the picture's longer side fills the screen's.
    if (zoom_ == kPhone) return phoneHeight_ / devicePixelRatioF() / std::max(p->size().w, p->size().h);
    const QRectF pane = panes().back();
    return std::min(pane.width() / p->size().w, pane.height() / p->size().h);
}

QRectF ViewingTable::pictureIn(const QRectF& pane) const {
    const Delivery* p = live_.delivery();
    if (!p) return {};
    const double s = scale();
    QRectF r(0, 0, p->size().w * s, p->size().h * s);
    r.moveCenter(pane.center() - pan_ * s);
    return {std::round(r.x()), std::round(r.y()), r.width(), r.height()}; // whole pixels, or 100 % would be a blur
}

QRectF ViewingTable::pictureRect() const { return pictureIn(panes().back()); }

QPointF ViewingTable::deliveredAt(const QPointF& w) const {
    const auto all = panes();
    const QRectF r = pictureIn(all.size() == 2 && all[0].contains(w) ? all[0] : all.back());
    return (w - r.topLeft()) / scale();
}

QPointF ViewingTable::wipeNormal() const {
    const double turn = angle_ * std::numbers::pi / 180;
    return {std::cos(turn), std::sin(turn)};
}

double ViewingTable::wipeExtent() const {
    const QPointF n = wipeNormal();
    const QRectF pic = pictureRect();
    return pic.width() * std::abs(n.x()) + pic.height() * std::abs(n.y());
}

double ViewingTable::wipeDistance(const QPointF& w) const {
    return QPointF::dotProduct(w - pictureRect().center(), wipeNormal()) - (divider_ - 0.5) * wipeExtent();
}

QPointF ViewingTable::wipeKnob() const {
    const QPointF n = wipeNormal(), along(-n.y(), n.x());
    const QPointF foot = pictureRect().center() + n * (divider_ - 0.5) * wipeExtent();
    return foot - along * std::min({90.0, pictureRect().height() * 0.35, height() * 0.35});
}

QPolygonF ViewingTable::beforeSide() const {
    const QPointF n = wipeNormal(), along(-n.y(), n.x());
    const QPointF foot = pictureRect().center() + n * (divider_ - 0.5) * wipeExtent();
    const double far = 4.0 * (width() + height() + pictureRect().width() + pictureRect().height());
    return QPolygonF(
        {foot + along * far, foot - along * far, foot - along * far - n * far, foot + along * far - n * far});
}

QRectF ViewingTable::navigatorRect() const {
    const Delivery* p = live_.delivery();
    const QRectF pane = panes().back(), pic = pictureRect();
    if (!p || !playing_.isNull() || (pic.width() <= pane.width() + 1 && pic.height() <= pane.height() + 1)) return {};
    const double k = 110.0 / std::max(p->size().w, p->size().h);
    QRectF r(0, 0, p->size().w * k, p->size().h * k);
    r.moveBottomRight(QPointF(width() - 12, height() - 34));
    return r;
}

void ViewingTable::mousePressEvent(QMouseEvent* e) {
    dragFrom_ = deliveredAt(e->position());
    last_ = e->position();
    const bool wipe = compare_ == Compare::Wipe;
    if (e->button() == Qt::MiddleButton)
        drag_ = Drag::Pan;
    else if (e->button() != Qt::LeftButton)
        return;
    else if (navigatorRect().contains(e->position())) {
        drag_ = Drag::Navigator;
        mouseMoveEvent(e);
    } else if (askingForPlace()) {
        const Delivery* p = live_.delivery();
        const QPointF d = deliveredAt(e->position());
        if (!p || !QRectF(0, 0, p->size().w, p->size().h).contains(d)) return; // beside the picture: still wanted
        askForPlace({});
        Q_EMIT placeChosen(d);
    } else if (e->modifiers() & Qt::ShiftModifier)
        drag_ = Drag::Crop;
    else if (wipe && QLineF(e->position(), wipeKnob()).length() < 11)
        drag_ = Drag::Turn;
    else if (wipe && std::abs(wipeDistance(e->position())) < 10)
        drag_ = Drag::Divider;
    else if (compare_ == Compare::Flip && zoom_ <= 0) {
        drag_ = Drag::Flip;
        setFlipped(true);
    } else if (zoom_ > 0)
        drag_ = Drag::Pan;
    else if (wipe) {
        drag_ = Drag::Divider;
        mouseMoveEvent(e);
    }
}

void ViewingTable::mouseMoveEvent(QMouseEvent* e) {
    const QPointF by = (e->position() - last_) / scale();
    pointer_ = e->position();
    switch (drag_) {
    case Drag::Divider: divider_ = std::clamp(divider_ + wipeDistance(e->position()) / wipeExtent(), 0.0, 1.0); break;
    case Drag::Turn: {
        const QPointF foot = pictureRect().center() + wipeNormal() * (divider_ - 0.5) * wipeExtent();
        const QPointF to = e->position() - foot;
        double degrees = std::atan2(to.x(), -to.y()) * 180 / std::numbers::pi;
        if (std::abs(degrees) < 3) degrees = 0; // upright is easy to find again
        // The divider turns around the place it crosses now.
        setWipeAngle(degrees);
        divider_ =
            std::clamp(0.5 + QPointF::dotProduct(foot - pictureRect().center(), wipeNormal()) / wipeExtent(), 0.0, 1.0);
        break;
    }
    case Drag::Pan: panTo(pan_ - by); break;
    case Drag::Crop: Q_EMIT cropDragged(by, dragFrom_, false); break;
    case Drag::Navigator: {
        const QRectF n = navigatorRect();
        const Delivery* p = live_.delivery();
        if (p && !n.isEmpty())
            panTo({((e->position().x() - n.x()) / n.width() - 0.5) * p->size().w,
                   ((e->position().y() - n.y()) / n.height() - 0.5) * p->size().h});
        break;
    }
    case Drag::Flip: break;
    case Drag::None: {
        if (askingForPlace()) break;
        const bool wipe = compare_ == Compare::Wipe;
        setCursor(wipe && QLineF(e->position(), wipeKnob()).length() < 11 ? Qt::SizeAllCursor
                  : wipe && std::abs(wipeDistance(e->position())) < 10
                      ? (std::abs(std::abs(angle_) - 90) < 45 ? Qt::SplitVCursor : Qt::SplitHCursor)
                  : zoom_ > 0 ? Qt::OpenHandCursor
                              : Qt::ArrowCursor);
    }
    }
    if (drag_ != Drag::None || !live_.faults().key().isEmpty()) update();
    last_ = e->position();
    live_.table().setFocus(deliveredAt(e->position()));
}

void ViewingTable::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Flip) setFlipped(false);
    if (drag_ == Drag::Crop) Q_EMIT cropDragged({}, dragFrom_, true);
    drag_ = Drag::None;
}

void ViewingTable::mouseDoubleClickEvent(QMouseEvent* e) {
    const Delivery* p = live_.delivery();
    const QPointF d = deliveredAt(e->position());
    if (p && !navigatorRect().contains(e->position()) && QRectF(0, 0, p->size().w, p->size().h).contains(d))
        Q_EMIT spotWanted(d);
}

void ViewingTable::wheelEvent(QWheelEvent* e) {
    if (!live_.delivery()) return;
    static constexpr double kZooms[] = {0, 0.5, 1, 2, 4};
    int i = 0;
    while (i < 4 && kZooms[i] < zoom_) ++i;
    i = std::clamp(i + (e->angleDelta().y() > 0 ? 1 : -1), 0, 4);
    const QPointF under = deliveredAt(e->position());
    setZoom(kZooms[i]);
    if (zoom_ > 0) { // what was under the pointer stays there
        panTo(pan_ + under - deliveredAt(e->position()));
    }
}

void ViewingTable::resizeEvent(QResizeEvent*) { panTo(pan_); }

void ViewingTable::leaveEvent(QEvent*) {
    pointer_ = {-1, -1};
    update();
}

} // namespace ulm::app
