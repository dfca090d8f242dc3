// The speeds set along the clip, on the reel strip: a line over the traces, with a mark to drag at each place.
#include "app/reel/reel_strip.h"
#include "app/widgets/theme.h"
#include "core/base/words.h"
#include "core/pipeline/time_map.h"
#include "core/ticket/motion_step.h"

#include <QPainter>
#include <cmath>

namespace ulm::app {
namespace {

constexpr double kLeast = 0.05, kMost = 8; // as the ticket takes them
constexpr double kNear = 8;                // pixels
constexpr int kStep = 3;

double snapped(double speed) {
    const double percent = 100 * speed;
    return (percent < 20 ? std::round(percent) : std::round(percent / 5) * 5) / 100;
}

} // namespace

std::vector<SpeedAt> ReelStrip::speeds() const {
    const Ticket t = project_.shownTicket();
    return t.motion.on ? rampsFrom(t.motion.ramps) : std::vector<SpeedAt>{};
}

// As many times as fast, as far up.
double ReelStrip::yOfSpeed(double speed) const {
    const double share = std::log(speed / kLeast) / std::log(kMost / kLeast);
    return traceBottom() - 4 - share * (traceBottom() - traceTop() - 8);
}

double ReelStrip::speedAtY(double y) const {
    const double share = (traceBottom() - 4 - y) / (traceBottom() - traceTop() - 8);
    return kLeast * std::pow(kMost / kLeast, std::clamp(share, 0.0, 1.0));
}

int ReelStrip::speedUnder(const QPointF& at) const {
    const auto all = speeds();
    for (std::size_t i = 0; i < all.size(); ++i)
        if (QLineF(at, QPointF(xOf(all[i].seconds), yOfSpeed(all[i].speed))).length() < kNear) return int(i);
    return -1;
}

void ReelStrip::setSpeeds(const std::vector<SpeedAt>& all, const QString& stroke) {
    project_.edit(
        [&](Ticket& t) {
            t.motion.ramps = rampsText(all);
            t.motion.on = true;
        },
        stroke);
}

void ReelStrip::addSpeed(double seconds) {
    auto all = speeds();
    // What is there already stays as it is, until the mark is dragged.
    const TimeMap map({0, 1, all, project_.shownTicket().motion.ease, {}, {}, false});
    const double m = map.movieAt(seconds), now = (map.clipAt(m + 1e-4) - map.clipAt(m - 1e-4)) / 2e-4;
    std::erase_if(all, [&](const SpeedAt& s) { return std::abs(s.seconds - seconds) < 1e-3; });
    const SpeedAt here{std::round(seconds * 1000) / 1000, std::clamp(snapped(now), kLeast, kMost)};
    all.insert(std::ranges::upper_bound(all, here.seconds, {}, &SpeedAt::seconds), here);
    setSpeeds(all);
}

void ReelStrip::removeSpeed(int index) {
    auto all = speeds();
    if (index < 0 || index >= int(all.size())) return;
    all.erase(all.begin() + index);
    setSpeeds(all);
}

// Times stay in order; a frame lies between two places.
void ReelStrip::dragSpeed(const QPointF& to) {
    const ClipEntry* c = project_.currentClip();
    auto all = speedsBefore_;
    if (!c || !c->clip || speedDragged_ >= all.size()) return;
    const double frame = 1 / std::max(1.0, c->clip->facts().video.fps),
                 least = speedDragged_ ? all[speedDragged_ - 1].seconds + frame : 0,
                 most = speedDragged_ + 1 < all.size() ? all[speedDragged_ + 1].seconds - frame : wholeLength(),
                 seconds = from_ + std::clamp(to.x() / std::max(1, width() - 1), 0.0, 1.0) * (viewTo() - from_);
    all[speedDragged_] = {std::round(std::clamp(seconds, least, std::max(least, most)) * 1000) / 1000,
                          std::clamp(snapped(speedAtY(to.y())), kLeast, kMost)};
    setSpeeds(all, "speeds");
}

void ReelStrip::paintSpeeds(QPainter& p) {
    const auto all = speeds();
    if (all.empty()) return;
    const Theme& t = Theme::now();
    const TimeMap map({0, 1, all, project_.shownTicket().motion.ease, {}, {}, false});
    QPolygonF line;
    for (int x = 0; x < width(); x += kStep) {
        const double m = map.movieAt(from_ + double(x) / std::max(1, width() - 1) * (viewTo() - from_));
        line << QPointF(x, yOfSpeed(std::clamp((map.clipAt(m + 1e-3) - map.clipAt(m - 1e-3)) / 2e-3, kLeast, kMost)));
    }
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(t.paper, 4));
    p.drawPolyline(line);
    p.setPen(QPen(t.emberInk, 2));
    p.drawPolyline(line);
    p.setFont(figures(8));
    for (const SpeedAt& s : all) {
        const QPointF at(xOf(s.seconds), yOfSpeed(s.speed));
        p.setBrush(t.paper);
        p.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7));
        const QString told = QString::fromStdString(shortNumber(100 * s.speed, 0)) + " %";
        const int wide = p.fontMetrics().horizontalAdvance(told) + 6;
        const QRectF label(std::min(at.x() + 7, double(width() - wide)), std::max(at.y() - 15, double(traceTop())),
                           wide, 13);
        p.fillRect(label, t.paper);
        p.setPen(t.ink);
        p.drawText(label, Qt::AlignCenter, told);
        p.setPen(QPen(t.emberInk, 2));
    }
    p.restore();
}

} // namespace ulm::app
