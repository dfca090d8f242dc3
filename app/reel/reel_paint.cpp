#include "app/reel/reel_strip.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/ticket/stretch_step.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

namespace ulm::app {
namespace {

constexpr int kThumbs = 44;

} // namespace

void ReelStrip::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.fillRect(rect(), t.paper);
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) {
        p.setPen(t.line);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
        p.setPen(t.faint);
        p.drawText(rect(), Qt::AlignCenter, tr("The clip over time appears here."));
        return;
    }
    paintThumbnails(p);
    paintStretches(p);
    if (const Inspection* i = c->found()) {
        // The traces change far less often than what moves over them.
        const QString now = QString("%1|%2|%3|%4|%5|%6|%7")
                                .arg(c->identity())
                                .arg(i->samples.size())
                                .arg(i->complete)
                                .arg(width())
                                .arg(from_)
                                .arg(to_)
                                .arg(t.night);
        if (now != tracesOf_) {
            tracesOf_ = now;
            traces_ = QPixmap(size() * devicePixelRatioF());
            traces_.setDevicePixelRatio(devicePixelRatioF());
            traces_.fill(Qt::transparent);
            QPainter layer(&traces_);
            paintTraces(layer, *i);
        }
        p.drawPixmap(0, 0, traces_);
    }
    paintDoubts(p);
    paintBetweenPlaces(p);
    paintLeftOut(p);
    paintSpeeds(p);
    const int x = xOfFrame(c->playhead);
    p.fillRect(QRect(x - 1, 0, 2, traceBottom() + 2), t.ember);
    paintFoot(p);
    p.setPen(t.line);
    p.setBrush(Qt::NoBrush);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
}

void ReelStrip::paintThumbnails(QPainter& p) {
    const Theme& t = Theme::now();
    p.fillRect(QRect(0, 0, width(), kThumbs), t.surround);
    const auto frames = slots_();
    const int count = static_cast<int>(frames.size());
    for (int i = 0; i < count; ++i) {
        const int x = i * width() / count, right = (i + 1) * width() / count;
        if (const auto it = thumbnails_.find(frames[static_cast<std::size_t>(i)]); it != thumbnails_.end())
            p.drawImage(QRect(x, 0, right - x - 1, kThumbs), *it);
    }
    // What is rendered of the result.
    const Delivery* d = live_.delivery();
    if (const auto* done = reel_.rendered(); done && d)
        for (const auto& [n, picture] : *done) {
            const std::int64_t shown = d->clock.sourceOf(d->clock.first() + std::int64_t(n));
            const int x = xOfFrame(shown);
            p.fillRect(QRect(x, kThumbs - 4, std::max(2, xOfFrame(shown + 1) - x), 4), t.elm);
        }
    if (d) paintSteadyPath(p, *d);
    if (d && followsSubject(d->ticket)) paintCropPath(p, *d);
}

// The camera's path along the thumbnails, of each shot the direction in which it strays most: as it was dotted, as it
// is shown solid.
void ReelStrip::paintSteadyPath(QPainter& p, const Delivery& d) {
    const SteadyPathPtr path = d.steadyPath();
    if (!path || path->was.empty()) return;
    constexpr double kLeast = 0.01; // longer sides: what fills the strip's height at least
    std::vector<std::int64_t> edges = path->cuts;
    edges.insert(edges.begin(), 0);
    edges.push_back(std::int64_t(path->was.size()));
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
        const auto first = std::size_t(edges[e]), past = std::min(std::size_t(edges[e + 1]), path->was.size());
        if (past < first + 2) continue;
        const auto range = [&](double Point::*axis) {
            double low = 1e9, high = -1e9;
            for (std::size_t n = first; n < past; ++n)
                low = std::min(low, path->was[n].*axis), high = std::max(high, path->was[n].*axis);
            return std::pair(low, high);
        };
        const auto across = range(&Point::x), down = range(&Point::y);
        const bool sideways = across.second - across.first >= down.second - down.first;
        const auto axis = sideways ? &Point::x : &Point::y;
        const auto [low, high] = sideways ? across : down;
        const double full = std::max(kLeast, high - low), middle = (low + high) / 2;
        const auto line = [&](const std::vector<Point>& of) {
            QPolygonF all;
            for (std::size_t n = first; n < past; ++n)
                all << QPointF(xOfFrame(std::int64_t(n)),
                               kThumbs / 2.0 + (of[n].*axis - middle) / full * (kThumbs - 12));
            return all;
        };
        const QPolygonF was = line(path->was), is = line(path->is);
        for (const QPolygonF* one : {&was, &is}) {
            p.setPen(QPen(QColor(0, 0, 0, 150), 3));
            p.drawPolyline(*one);
            p.setPen(QPen(Qt::white, one == &is ? 1.6 : 1, one == &is ? Qt::SolidLine : Qt::DotLine));
            p.drawPolyline(*one);
        }
    }
    p.restore();
}

void ReelStrip::paintStretches(QPainter& p) {
    const Theme& t = Theme::now();
    const ClipEntry* c = project_.currentClip();
    const int bottom = traceBottom();
    for (const auto& [from, to] : c->stretches) {
        const QRect r(xOf(from), traceTop(), std::max(3, xOf(to) - xOf(from)), bottom - traceTop());
        QColor hatch = t.elm;
        hatch.setAlpha(110);
        p.fillRect(r, QBrush(hatch, Qt::FDiagPattern));
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(r.adjusted(0, 0, -1, -1));
    }
    const auto [a, b] = stretchFrames();
    if (b < a) return;
    const QRect r(xOfFrame(a), 0, std::max(2, xOfFrame(b + 1) - xOfFrame(a)), bottom);
    QColor wash = t.elm;
    wash.setAlpha(60);
    p.fillRect(r, wash);
    p.setPen(t.ink);
    p.drawRect(r.adjusted(0, 0, -1, -1));
}

void ReelStrip::paintLeftOut(QPainter& p) {
    const Theme& t = Theme::now();
    QColor veil = t.paper;
    veil.setAlpha(190);
    for (const LeftOut& part : leftOutFrom(project_.shownTicket().stretch.without)) {
        const QRect r(xOf(part.from), 0, std::max(2, xOf(part.to) - xOf(part.from)), traceBottom());
        p.fillRect(r, veil);
        p.fillRect(r, QBrush(t.faint, Qt::BDiagPattern));
        p.setPen(t.ink);
        p.drawLine(r.topLeft(), r.bottomLeft());
        p.drawLine(r.topRight(), r.bottomRight());
    }
}

void ReelStrip::paintTraces(QPainter& p, const Inspection& i) {
    const Theme& t = Theme::now();
    const int top = traceTop() + 3, lane = traceBottom() - 17, bottom = traceBottom();
    p.setRenderHint(QPainter::Antialiasing);
    // Loudness: the lowest lane, from −60 to 0 LUFS.
    if (!i.sound.momentary.empty()) {
        QColor fill = t.slate;
        fill.setAlpha(90);
        QPainterPath path;
        path.moveTo(xOf(0), bottom);
        for (std::size_t k = 0; k < i.sound.momentary.size(); ++k) {
            const double level = std::clamp((i.sound.momentary[k] + 60) / 60.0, 0.0, 1.0);
            path.lineTo(xOf(double(k) / 10), bottom - level * 15);
        }
        path.lineTo(xOf(double(i.sound.momentary.size()) / 10), bottom);
        p.setPen(Qt::NoPen);
        p.setBrush(fill);
        p.drawPath(path);
    }
    p.setBrush(Qt::NoBrush);
    const auto line = [&](const QPen& pen, double most, const auto& points) {
        QPainterPath path;
        bool first = true;
        for (const auto& [x, v] : points) {
            const QPointF at(x, lane - std::clamp(v / most, 0.0, 1.0) * (lane - top));
            first ? path.moveTo(at) : path.lineTo(at);
            first = false;
        }
        p.setPen(pen);
        p.drawPath(path);
    };
    std::vector<std::pair<double, double>> movement, edges, noise;
    std::size_t k = 0;
    float most = 1;
    for (const float v : i.movement.change) most = std::max(most, v);
    for (const auto& [first, count] : i.runs)
        for (std::int64_t n = 0; n < count && k < i.movement.change.size(); ++n, ++k)
            movement.emplace_back(xOfFrame(first + n), std::sqrt(double(i.movement.change[k]) / most));
    double edgeMost = 8, noiseMost = 4;
    for (const auto& [frame, r] : i.samples) {
        edges.emplace_back(xOfFrame(frame), r.softness);
        noise.emplace_back(xOfFrame(frame), r.noise);
        edgeMost = std::max(edgeMost, r.softness * 1.2);
        noiseMost = std::max(noiseMost, r.noise * 1.2);
    }
    line(QPen(t.slate, 1.2), 1, movement);
    line(QPen(t.ink, 1.1, Qt::DashLine), edgeMost, edges);
    line(QPen(t.emberInk, 1.4, Qt::DotLine), noiseMost, noise);
    p.setRenderHint(QPainter::Antialiasing, false);
    for (const auto d : i.duplicates) p.fillRect(QRect(xOfFrame(d), lane - 3, 2, 4), t.ember);
    p.setPen(QPen(t.ink, 1, Qt::DashLine));
    for (const auto cut : i.cuts) p.drawLine(xOfFrame(cut), kThumbs, xOfFrame(cut), bottom);
    // Findings: a small flag over the frame where each is worst.
    const ClipEntry* c = project_.currentClip();
    p.setPen(Qt::NoPen);
    p.setBrush(t.emberInk);
    if (i.complete)
        for (const Finding& f : findings(i, c->clip->facts()))
            if (f.frame > 0 || !f.box.empty()) {
                const int x = xOfFrame(f.frame);
                p.drawPolygon(
                    QPolygon({QPoint(x, traceTop()), QPoint(x + 6, traceTop() + 3), QPoint(x, traceTop() + 6)}));
            }
    p.setBrush(Qt::NoBrush);
}

void ReelStrip::paintFoot(QPainter& p) {
    const Theme& t = Theme::now();
    const ClipEntry* c = project_.currentClip();
    const QRect foot(8, traceBottom(), width() - 16, height() - traceBottom());
    p.setPen(t.ink);
    p.setFont(figures(8.5));
    QString where = tr("%1  frame %2 of %3")
                        .arg(timeText(c->clip->secondsAt(c->playhead)))
                        .arg(c->playhead + 1)
                        .arg(c->clip->frameCount());
    if (const double part = live_.deliveries().between(); part > 0)
        where += tr("  made in between, %1 % of the way").arg(std::lround(100 * part));
    p.drawText(foot, Qt::AlignVCenter | Qt::AlignLeft, where);
    const int left = p.fontMetrics().horizontalAdvance(where) + 24;
    p.setFont(words(8));
    p.setPen(t.faint);
    QStringList right;
    if (const Ticket::Stretch s = project_.shownTicket().stretch; s.on)
        right << tr("stretch %1 to %2")
                     .arg(timeText(s.from), timeText(std::min(s.to, c->clip->secondsAt(c->clip->frameCount()))));
    if (const auto parts = leftOutFrom(project_.shownTicket().stretch.without).size())
        right << counted(parts, tr("1 part left out"), tr("%1 parts left out"));
    if (const Inspection* i = c->found()) {
        if (!i->cuts.empty()) right << counted(i->cuts.size(), tr("1 cut"), tr("%1 cuts"));
        if (!i->duplicates.empty()) right << counted(i->duplicates.size(), tr("1 repeat"), tr("%1 repeats"));
    }
    const auto wideOf = [&](const QString& words) { return p.fontMetrics().horizontalAdvance(words); };
    while (!right.isEmpty() && left + wideOf(right.join(" · ")) > foot.right()) right.removeLast();
    const QString text = right.join(" · ");
    p.drawText(QRect(left, foot.y(), foot.right() - left, foot.height()), Qt::AlignVCenter | Qt::AlignLeft, text);
    const int taken = text.isEmpty() ? left : left + wideOf(text) + 16;
    // The key to the traces, with the line each is drawn in; it gives way where there is no room.
    QColor wash = t.emberInk;
    wash.setAlpha(90);
    std::vector<std::pair<QString, QPen>> keys = {{tr("movement"), QPen(t.slate, 1.4)},
                                                  {tr("edge width"), QPen(t.ink, 1.2, Qt::DashLine)},
                                                  {tr("noise"), QPen(t.emberInk, 1.4, Qt::DotLine)}};
    if (!live_.doubts().doubts().empty()) keys.insert(keys.begin(), {tr("doubt, from above"), QPen(wash, 6)});
    int x = foot.right();
    if (c->found())
        for (const auto& [name, pen] : keys) {
            const int wide = wideOf(name);
            if (x - wide - 30 < taken) break;
            p.setPen(t.faint);
            p.drawText(QRect(x - wide, foot.y(), wide, foot.height()), Qt::AlignVCenter, name);
            p.setPen(pen);
            p.drawLine(x - wide - 22, foot.center().y() + 1, x - wide - 4, foot.center().y() + 1);
            x -= wide + 34;
        }
}

} // namespace ulm::app
