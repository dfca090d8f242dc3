// Pictures in between on the reel: where they are doubtful, and where they are made otherwise.
#include "app/reel/reel_strip.h"
#include "app/widgets/theme.h"

#include <QPainter>
#include <QPainterPath>

namespace ulm::app {

void ReelStrip::makeBetween(std::optional<BetweenWay> way) {
    const Ticket::Stretch own = project_.shownTicket().stretch;
    if (!own.on) return;
    project_.edit(
        [&](Ticket& t) { t.motion.places = withPlace(betweenPlacesFrom(t.motion.places), own.from, own.to, way); });
}

// A filled line that hangs from the upper edge of the traces: what reaches half of the way down is doubtful.
void ReelStrip::paintDoubts(QPainter& p) {
    const auto& all = live_.doubts().doubts();
    const ClipEntry* c = project_.currentClip();
    if (all.empty() || !c || !c->clip) return;
    constexpr double kFull = 2 * kDoubtful;
    const int top = traceTop(), room = (traceBottom() - top) / 2;
    QColor wash = Theme::now().emberInk;
    wash.setAlpha(90);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double at = c->clip->secondsAt(all[i].frame);
        // Up to the next that was looked at, where that is near.
        double to = c->clip->secondsAt(all[i].frame + 1);
        if (i + 1 < all.size() && all[i + 1].frame - all[i].frame <= 1 + c->clip->frameCount() / 60)
            to = c->clip->secondsAt(all[i + 1].frame);
        const double high = std::clamp(all[i].steps / kFull, 0.0, 1.0) * room;
        const QRectF bar(xOf(at), top, std::max(1, xOf(to) - xOf(at)), high);
        p.fillRect(bar, wash);
        if (all[i].steps >= kDoubtful) // not by height and colour alone
            p.fillRect(QRectF(bar.left(), bar.bottom() - 1.5, bar.width(), 1.5), Theme::now().emberInk);
    }
}

void ReelStrip::paintBetweenPlaces(QPainter& p) {
    const Theme& t = Theme::now();
    if (!makesFrames(project_.shownTicket())) return;
    p.setFont(words(7.5));
    for (const BetweenPlace& place : betweenPlacesFrom(project_.shownTicket().motion.places)) {
        const QRect r(xOf(place.from), traceTop() - 2, std::max(3, xOf(place.to) - xOf(place.from)), 12);
        const QString word = place.way == BetweenWay::Hold    ? tr("hold")
                             : place.way == BetweenWay::Blend ? tr("blend")
                                                              : tr("rebuild");
        p.fillRect(r, t.paper);
        p.setPen(t.ink);
        p.drawRect(r.adjusted(0, 0, -1, -1));
        if (p.fontMetrics().horizontalAdvance(word) + 4 < r.width()) p.drawText(r, Qt::AlignCenter, word);
    }
}

} // namespace ulm::app
