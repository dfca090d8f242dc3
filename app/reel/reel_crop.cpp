// The crop's path on the reel: drawn along the thumbnails, bent by the places that are set on it.
#include "app/reel/reel_strip.h"

#include <QPainter>
#include <cmath>

namespace ulm::app {
namespace {

constexpr int kThumbs = 44;
constexpr double kNear = 7; // widget pixels at which a pin is taken hold of

// The direction in which the crop has room: the path is drawn of that one.
bool goesAcross(const Delivery& d, const FramingPlan& plan) {
    const Size held = d.pose().size();
    return held.w - plan.srcW >= held.h - plan.srcH;
}

FramingPlan planOn(const Delivery& d, std::int64_t frame) { return d.planAt(d.clock.stageOf(frame)); }

} // namespace

double ReelStrip::yOfCrop(const Delivery& d, std::int64_t frame) const {
    const FramingPlan plan = planOn(d, frame);
    const Size held = d.pose().size();
    const double at = goesAcross(d, plan) ? (plan.srcX + plan.srcW / 2) / held.w : (plan.srcY + plan.srcH / 2) / held.h;
    return 3 + at * (kThumbs - 6);
}

Point ReelStrip::cropAtY(const Delivery& d, std::int64_t frame, double y) const {
    const FramingPlan plan = planOn(d, frame);
    const Size held = d.pose().size();
    const double at = std::clamp((y - 3) / (kThumbs - 6), 0.0, 1.0);
    Point p{plan.srcX + plan.srcW / 2, plan.srcY + plan.srcH / 2};
    (goesAcross(d, plan) ? p.x : p.y) = at * (goesAcross(d, plan) ? held.w : held.h);
    return p;
}

std::vector<QPointF> ReelStrip::pinPoints() const {
    const Delivery* d = live_.delivery();
    const ClipEntry* c = project_.currentClip();
    std::vector<QPointF> all;
    if (!d || !c || !c->clip || !followsSubject(d->ticket)) return all;
    for (const FramePin& pin : pinsFrom(d->ticket.frame.pins)) {
        const std::int64_t frame = c->clip->frameAt(pin.seconds);
        all.emplace_back(xOfFrame(frame), yOfCrop(*d, frame));
    }
    return all;
}

int ReelStrip::pinUnder(const QPointF& at) const {
    const std::vector<QPointF> pins = pinPoints();
    const auto near = std::ranges::find_if(
        pins, [&](const QPointF& p) { return std::hypot(p.x() - at.x(), p.y() - at.y()) <= kNear; });
    return near == pins.end() ? -1 : int(near - pins.begin());
}

// Along for another instant, up and down for another place; never past its neighbours.
void ReelStrip::dragPin(const QPointF& to) {
    const Delivery* d = live_.delivery();
    const ClipEntry* c = project_.currentClip();
    if (!d || !c || !c->clip || pinDragged_ >= pinsBefore_.size()) return;
    constexpr double kApart = 0.06; // seconds
    std::vector<FramePin> pins = pinsBefore_;
    FramePin& pin = pins[pinDragged_];
    const double least = pinDragged_ ? pins[pinDragged_ - 1].seconds + kApart : 0,
                 most = pinDragged_ + 1 < pins.size() ? pins[pinDragged_ + 1].seconds - kApart : wholeLength();
    const std::int64_t frame = frameAtX(int(to.x()));
    pin.seconds = std::clamp(c->clip->secondsAt(frame), least, std::max(least, most));
    const Pose& pose = d->pose();
    const Point held = cropAtY(*d, frame, to.y()), was = pose.still({pin.x * pose.clip.w, pin.y * pose.clip.h});
    // The other direction stays as it was set.
    const bool across = goesAcross(*d, planOn(*d, frame));
    const Point at = pose.still.inverse()(across ? Point{held.x, was.y} : Point{was.x, held.y});
    pin.x = std::clamp(at.x / pose.clip.w, 0.0, 1.0), pin.y = std::clamp(at.y / pose.clip.h, 0.0, 1.0);
    project_.edit([&](Ticket& t) { t.frame.pins = pinsText(pins); }, "frame.pins");
}

void ReelStrip::addPin(double seconds) {
    const Delivery* d = live_.delivery();
    const ClipEntry* c = project_.currentClip();
    if (!d || !c || !c->clip || !followsSubject(d->ticket)) return;
    const FramingPlan plan = planOn(*d, c->clip->frameAt(seconds));
    const Size held = d->pose().size();
    const double roomX = held.w - plan.srcW, roomY = held.h - plan.srcH;
    project_.edit([&](Ticket& t) {
        placeCrop(t, plan, d->pose(), seconds, roomX > 0 ? plan.srcX / roomX : 0.5,
                  roomY > 0 ? plan.srcY / roomY : 0.5);
    });
}

void ReelStrip::removePin(int index) {
    std::vector<FramePin> pins = pinsFrom(project_.shownTicket().frame.pins);
    if (index < 0 || std::size_t(index) >= pins.size()) return;
    pins.erase(pins.begin() + index);
    project_.edit([&](Ticket& t) { t.frame.pins = pinsText(pins); });
}

// From the thumbnails' upper edge (left, or top) to the lower one; pins as diamonds.
void ReelStrip::paintCropPath(QPainter& p, const Delivery& d) {
    QPolygonF path;
    for (int x = 0; x < width(); x += 2) path << QPointF(x, yOfCrop(d, frameAtX(x)));
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(0, 0, 0, 170), 3.5));
    p.drawPolyline(path);
    p.setPen(QPen(Qt::white, 1.5));
    p.drawPolyline(path);
    p.setBrush(Qt::white);
    p.setPen(QColor(0, 0, 0, 170));
    for (const QPointF& at : pinPoints())
        p.drawPolygon(QPolygonF({at + QPointF(0, -5), at + QPointF(5, 0), at + QPointF(0, 5), at + QPointF(-5, 0)}));
    p.restore();
}

} // namespace ulm::app
