#include "app/table/viewing_table.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/restore/face_stage.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

namespace ulm::app {
namespace {

// How strongly a block shows: 0 not at all … 1 as much as anything here.
double heat(const std::pair<double, double>& range, double value) {
    if (value <= range.first) return 0;
    return std::clamp(0.15 + 0.85 * (value - range.first) / (range.second - range.first), 0.0, 1.0);
}

QColor heatColour(double h) {
    QColor c = QColor::fromRgbF(0.98f, static_cast<float>(0.72 - 0.42 * h), static_cast<float>(0.20 - 0.1 * h));
    c.setAlphaF(static_cast<float>(0.08 + 0.4 * h));
    return c;
}

} // namespace

QString viewName(View v) {
    switch (v) {
    case View::Original: return ViewingTable::tr("Original");
    case View::Result: return ViewingTable::tr("Result");
    case View::Kept: return ViewingTable::tr("Kept ticket");
    case View::Encoded: return ViewingTable::tr("Encoded");
    }
    return {};
}

void ViewingTable::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter painter(this);
    painter.fillRect(rect(), t.surround);
    painter.setPen(t.surroundInk);
    painter.setFont(words(10));
    if (!project_.currentClip()) {
        painter.drawText(rect(), Qt::AlignCenter,
                         tr("Drop clips or a folder anywhere,\nor press Ctrl+O to choose some.\n\nThen open a step on "
                            "the ticket and watch the spots."));
        return;
    }
    if (!live_.delivery()) {
        const QString& lost = project_.currentClip()->problem;
        const QString& problem = lost.isEmpty() ? live_.deliveries().problem() : lost;
        painter.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
                         problem.isEmpty() ? tr("Opening…") : problem);
        return;
    }
    if (!playing_.isNull()) return paintPlaying(painter);
    paintComparison(painter);
    if (const QString& told = askingForPlace() ? asking_ : telling_; !told.isEmpty()) {
        const QRectF box(12, 10, 16 + QFontMetrics(words(9)).horizontalAdvance(told), 24);
        painter.fillRect(box, t.elm);
        painter.setPen(t.paper);
        painter.setFont(words(9));
        painter.drawText(box, Qt::AlignCenter, told);
    }
    paintLabels(painter);
    paintLegend(painter);
    paintNavigator(painter);
    paintClock(painter);
}

void ViewingTable::paintPlaying(QPainter& painter) {
    const FramingPlan plan = live_.delivery()->planAt(live_.deliveries().stage());
    const QRectF pic = pictureIn(panes().back());
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.fillRect(pic, Qt::black);
    if (playingDelivered_) {
        painter.drawImage(pic, playing_);
    } else { // the original, in the place that the delivered picture will have
        const PictureFormat& stored = live_.delivery()->source->format();
        const std::int64_t stage = live_.deliveries().stage();
        for (const bool lower : {false, true}) {
            if (lower && plan.fill != Fill::Split) continue;
            const FramingPlan part = lower ? plan.lower() : plan;
            const auto at = [&](double x, double y) {
                const Point p = live_.delivery()->toDelivered(stage, {x, y}, lower);
                return QPointF(pic.x() + p.x * scale(), pic.y() + p.y * scale());
            };
            const QPointF o = at(0, 0), x = at(stored.width, 0) - o, y = at(0, stored.height) - o;
            painter.save();
            painter.setClipRect(
                QRectF(pic.x() + part.x * scale(), pic.y() + part.y * scale(), part.w * scale(), part.h * scale()),
                Qt::IntersectClip);
            painter.setTransform(QTransform(x.x(), x.y(), y.x(), y.y(), o.x(), o.y()), true);
            painter.drawImage(QRectF(0, 0, 1, 1), playing_);
            painter.restore();
        }
    }
    if (safeAreas_) paintSafeAreas(painter, pic);
    const QRectF box(12, 10, 12 + QFontMetrics(words(8.5)).horizontalAdvance(playingWords_), 22);
    painter.fillRect(box, QColor(40, 40, 40, 190));
    painter.setPen(Qt::white);
    painter.setFont(words(8.5));
    painter.drawText(box, Qt::AlignCenter, playingWords_);
}

void ViewingTable::paintPicture(QPainter& painter, const QRectF& pane, const QImage& image) {
    if (image.isNull()) return;
    painter.save();
    painter.setClipRect(pane, Qt::IntersectClip);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, scale() * devicePixelRatioF() < 0.999);
    painter.drawImage(pictureIn(pane), image);
    painter.restore();
}

void ViewingTable::paintComparison(QPainter& painter) {
    const auto all = panes();
    const QImage &before = live_.table().before(), &after = live_.table().after();
    const auto side = [&](const QRectF& pane, bool left) {
        paintPicture(painter, pane, left ? before : after);
        paintFault(painter, pane, left && live_.table().leftView() == View::Original);
        paintPaths(painter, pane);
    };
    if (compare_ == Compare::Pair) {
        side(all[0], true);
        side(all[1], flipped_);
        for (const QRectF& pane : all) {
            painter.save();
            painter.setClipRect(pane);
            paintMarks(painter, pictureIn(pane));
            if (safeAreas_) paintSafeAreas(painter, pictureIn(pane));
            painter.restore();
        }
        return;
    }
    const QRectF pic = pictureIn(all[0]);
    if (compare_ == Compare::Flip)
        side(all[0], flipped_);
    else if (compare_ == Compare::Difference)
        paintPicture(painter, all[0], flipped_ ? before : differencePicture());
    else {
        side(all[0], flipped_);
        if (!flipped_) {
            painter.save();
            QPainterPath half;
            half.addPolygon(beforeSide());
            painter.setClipPath(half);
            side(all[0], true);
            painter.restore();
        }
    }
    paintMarks(painter, pic);
    if (safeAreas_) paintSafeAreas(painter, pic);
    if (compare_ != Compare::Wipe || flipped_) return;
    // The divider inside the picture, and the knob that turns it.
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, angle_ != 0);
    painter.setClipRect(pic.intersected(all[0]));
    const QPointF n = wipeNormal(), along(-n.y(), n.x());
    const QPointF foot = pic.center() + n * (divider_ - 0.5) * wipeExtent();
    const double far = width() + height() + pic.width() + pic.height();
    painter.setPen(QPen(Qt::white, 2));
    const QPointF at = angle_ == 0 ? QPointF(std::round(foot.x()), foot.y()) : foot;
    painter.drawLine(at - along * far, at + along * far);
    painter.restore();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(QColor(40, 40, 40), 1));
    painter.setBrush(Qt::white);
    painter.save();
    painter.translate(at);
    painter.rotate(angle_);
    painter.drawRect(QRectF(-4, -14, 8, 28));
    painter.restore();
    painter.drawEllipse(wipeKnob(), 5, 5);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

const QImage& ViewingTable::differencePicture() {
    const QImage &a = live_.table().before(), &b = live_.table().after();
    const std::uint64_t of = static_cast<std::uint64_t>(a.cacheKey()) * 31 + static_cast<std::uint64_t>(b.cacheKey());
    if (a.isNull() || a.size() != b.size()) return difference_ = QImage(); // nothing to compare yet
    if (of == differenceOf_) return difference_;
    differenceOf_ = of;
    difference_ = QImage(a.size(), QImage::Format_RGB32);
    const auto code = [this](int now, int was) { return std::clamp(128 + (now - was) * gain_, 0, 255); };
    for (int y = 0; y < a.height(); ++y) {
        const auto *p = reinterpret_cast<const QRgb*>(a.constScanLine(y)),
                   *q = reinterpret_cast<const QRgb*>(b.constScanLine(y));
        auto* to = reinterpret_cast<QRgb*>(difference_.scanLine(y));
        for (int x = 0; x < a.width(); ++x)
            to[x] =
                qRgb(code(qRed(q[x]), qRed(p[x])), code(qGreen(q[x]), qGreen(p[x])), code(qBlue(q[x]), qBlue(p[x])));
    }
    return difference_;
}

void ViewingTable::paintFault(QPainter& painter, const QRectF& pane, bool before) {
    const FaultView& f = live_.faults().view();
    if (live_.faults().key().isEmpty() || !f.fresh) return;
    const QRectF pic = pictureIn(pane);
    const auto toWidget = [&](const Rect& r) {
        const QRectF box = live_.toDelivered(r);
        return QRectF(pic.topLeft() + box.topLeft() * scale(), box.size() * scale());
    };
    painter.save();
    painter.setClipRect(pic.intersected(pane), Qt::IntersectClip);
    if (f.mapped) {
        const FaultMap& map = before ? f.before : f.after;
        const std::pair range{f.from, f.to};
        for (int r = 0; r < map.rows(); ++r)
            for (int c = 0; c < map.columns(); ++c) {
                const double h = map.weight(c, r) > 0 ? heat(range, map.at(c, r)) : 0;
                if (h <= 0) continue;
                const QRectF box = toWidget(map.block(c, r));
                painter.fillRect(box, heatColour(h));
                if (h > 0.7) { // the worst carry a mark as well: never colour alone
                    painter.setPen(QPen(QColor(255, 255, 255, 200), 1));
                    painter.drawLine(box.bottomLeft() + QPointF(3, -3), box.topRight() + QPointF(-3, 3));
                }
            }
    }
    for (const Mark& m : f.marks) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 140), 4));
        painter.drawRect(toWidget(m.box));
        painter.setPen(QPen(heatColour(0).lighter(), 2, Qt::DashLine));
        painter.drawRect(toWidget(m.box));
    }
    painter.restore();
}

QString ViewingTable::faultAt(const QPointF& w) const {
    const FaultView& f = live_.faults().view();
    if (!f.fresh || !f.mapped) return {};
    const QPointF s = live_.toSource(deliveredAt(w));
    const int x = static_cast<int>(s.x()), y = static_cast<int>(s.y());
    if (!f.before.area().contains({x, y, 1, 1})) return {};
    return QString("%1 → %2").arg(readingText(f.key, f.before.atPixel(x, y)),
                                  readingText(f.key, f.after.atPixel(x, y)));
}

void ViewingTable::paintLegend(QPainter& painter) {
    if (live_.faults().key().isEmpty()) return;
    const FaultView& f = live_.faults().view();
    const QString name = faultName(live_.faults().key());
    QString text;
    if (!f.fresh)
        text = tr("%1: working…").arg(name);
    else if (f.key == "paths")
        text = f.paths ? tr("Arrows lead to the next frame; dotted and orange: doubtful")
                       : tr("The last frame: nothing moves on from it");
    else if (!f.mapped)
        text = f.marks.empty() ? tr("%1: none on this frame").arg(name)
                               : tr("%1: %2 on this frame").arg(name).arg(f.marks.size());
    else
        text = tr("%1 %2 → %3").arg(name, readingText(f.key, f.readingBefore), readingText(f.key, f.readingAfter));
    const QString here = pointer_.x() >= 0 ? faultAt(pointer_) : QString();
    if (!here.isEmpty()) text += tr("   here %1").arg(here);
    painter.setFont(words(8.5));
    const int wide = painter.fontMetrics().horizontalAdvance(text);
    const QRectF box(12, 12, std::max(wide, 150) + 20, f.mapped ? 44 : 24);
    painter.fillRect(box, QColor(40, 40, 40, 215));
    painter.setPen(Qt::white);
    painter.drawText(box.adjusted(10, 4, -10, 0), Qt::AlignTop | Qt::AlignLeft, text);
    if (!f.mapped) return;
    const std::pair range{f.from, f.to};
    const QRectF bar(box.left() + 10, box.top() + 25, 84, 9);
    for (int i = 0; i < 6; ++i) {
        const double h = 0.15 + 0.85 * i / 5;
        const QRectF cell(bar.left() + i * 14, bar.top(), 13, bar.height());
        painter.fillRect(cell, QColor(117, 117, 117));
        painter.fillRect(cell, heatColour(h));
        if (h > 0.7) painter.drawLine(cell.bottomLeft() + QPointF(2, -1), cell.topRight() + QPointF(-2, 1));
    }
    painter.setFont(figures(7.5));
    painter.drawText(QRectF(bar.right() + 8, bar.top() - 4, 90, 17), Qt::AlignVCenter | Qt::AlignLeft,
                     QString("%1…%2").arg(readingText(f.key, range.first), readingText(f.key, range.second)));
}

// Where Clean is gentler, while its controls are open.
void ViewingTable::paintFaces(QPainter& painter, const QRectF& picture) {
    const ClipEntry* c = project_.currentClip();
    const Ticket t = project_.shownTicket();
    if (!c || live_.step() != "clean" || !t.clean.on || !t.clean.gentleFaces) return;
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    for (const Rect& f : facesNear(c->known().faceBoxes(), c->playhead)) {
        const QRectF there = live_.toDelivered(f),
                     box(picture.topLeft() + there.topLeft() * scale(), there.size() * scale());
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3));
        painter.drawEllipse(box);
        painter.setPen(QPen(Qt::white, 1.2, Qt::DotLine));
        painter.drawEllipse(box);
    }
    painter.restore();
}

void ViewingTable::paintMarks(QPainter& painter, const QRectF& picture) {
    paintFaces(painter, picture);
    const auto& spots = live_.spots().pictures();
    const ClipEntry* c = project_.currentClip();
    painter.setFont(figures(8));
    for (std::size_t i = 0; c && i < spots.size() && i < c->spots.size(); ++i) {
        const Rect r = spots[i].region;
        if (r.empty()) continue;
        const QRectF box(picture.x() + r.x * scale(), picture.y() + r.y * scale(), r.w * scale(), r.h * scale());
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 110), 3));
        painter.drawRect(box);
        const bool here = c->spots[i].follows || c->spots[i].frame == c->playhead;
        painter.setPen(QPen(Qt::white, 1.2, here ? Qt::SolidLine : Qt::DashLine));
        painter.drawRect(box);
        // Above the box, or inside it where that would be out of sight.
        const double top = box.top() - 15 < std::max(6.0, picture.top()) ? box.top() : box.top() - 15;
        const QRectF tag(box.left() - 1, top, 15, 14);
        painter.fillRect(tag, Qt::white);
        painter.setPen(Qt::black);
        painter.drawText(tag, Qt::AlignCenter, QChar('A' + static_cast<int>(i)));
    }
}

// What a feed's own buttons and captions cover on upright pictures, and the usual nine tenths on all.
void ViewingTable::paintSafeAreas(QPainter& painter, const QRectF& pic) {
    const auto hatch = [&](const QRectF& r) {
        painter.fillRect(r, QColor(30, 30, 30, 90));
        painter.fillRect(r, QBrush(QColor(255, 255, 255, 110), Qt::BDiagPattern));
    };
    painter.save();
    painter.setClipRect(pic, Qt::IntersectClip);
    // What the destination covers; where its card says nothing the usual margin alone is drawn.
    if (const Delivery* d = live_.delivery(); d && d->target && d->target->covered.any()) {
        const auto& c = d->target->covered;
        const double l = pic.width() * c.left / 100, r = pic.width() * c.right / 100, t = pic.height() * c.top / 100,
                     b = pic.height() * c.bottom / 100;
        hatch({pic.x(), pic.y(), pic.width(), t});
        hatch({pic.x(), pic.bottom() - b, pic.width(), b});
        hatch({pic.x(), pic.y() + t, l, pic.height() - t - b});
        hatch({pic.right() - r, pic.y() + t, r, pic.height() - t - b});
    }
    painter.setPen(QPen(Qt::white, 1, Qt::DashLine));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(pic.adjusted(pic.width() * 0.05, pic.height() * 0.05, -pic.width() * 0.05, -pic.height() * 0.05));
    painter.restore();
}

void ViewingTable::paintNavigator(QPainter& painter) {
    const QRectF n = navigatorRect();
    if (n.isEmpty()) return;
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.fillRect(n.adjusted(-3, -3, 3, 3), QColor(40, 40, 40, 215));
    if (!live_.table().after().isNull()) painter.drawImage(n, live_.table().after());
    const QRectF pic = pictureRect(), pane = panes().back();
    const double k = n.width() / pic.width();
    const QRectF seen((pane.x() - pic.x()) * k + n.x(), (pane.y() - pic.y()) * k + n.y(), pane.width() * k,
                      pane.height() * k);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(Qt::white, 1.5));
    painter.drawRect(seen.intersected(n));
}

// What is still coming is told: a small clock filling up, and words.
void ViewingTable::paintClock(QPainter& painter) {
    if (live_.table().fresh() >= 1) return;
    const QString text = live_.table().rightView() == View::Encoded ? tr("encoding…")
                         : live_.table().after().isNull()           ? tr("working…")
                                                                    : tr("older pixels");
    const QRectF box(width() - 130, 12, 118, 22);
    painter.fillRect(box, QColor(40, 40, 40, 210));
    painter.setPen(QPen(Qt::white, 1.4));
    painter.setBrush(Qt::NoBrush);
    const QRectF face(box.left() + 6, box.top() + 5, 12, 12);
    painter.drawEllipse(face);
    painter.setBrush(Qt::white);
    painter.drawPie(face, 90 * 16, static_cast<int>(-live_.table().fresh() * 360 * 16));
    painter.setFont(words(8));
    painter.drawText(box.adjusted(24, 0, -4, 0), Qt::AlignVCenter, text);
}

void ViewingTable::paintLabels(QPainter& painter) {
    const auto all = panes();
    painter.setFont(words(8.5));
    const auto label = [&](const QRectF& where, Qt::Alignment side, const QString& text) {
        QRectF r = painter.fontMetrics().boundingRect(text);
        r.setSize(r.size() + QSizeF(12, 6));
        r.moveBottom(where.bottom() - 4);
        if (side == Qt::AlignLeft)
            r.moveLeft(std::max(where.left(), 6.0) + 4);
        else
            r.moveRight(std::min(where.right(), width() - 6.0) - 4);
        painter.fillRect(r, QColor(40, 40, 40, 190));
        painter.setPen(Qt::white);
        painter.drawText(r, Qt::AlignCenter, text);
    };
    // The usual pair needs no explaining.
    const bool usual = live_.table().leftView() == View::Original && live_.table().rightView() == View::Result;
    const QString before = usual ? tr("Before") : viewName(live_.table().leftView()),
                  as = usual ? tr("After") : viewName(live_.table().rightView());
    const auto target = project_.targetOnTable();
    const QString after = target ? tr("%1, for %2").arg(as, QString::fromStdString(target->title)) : as;
    const QRectF whole = pictureIn(all[0]).intersected(all[0]);
    switch (compare_) {
    case Compare::Pair:
        label(whole, Qt::AlignLeft, before);
        label(pictureIn(all[1]).intersected(all[1]), Qt::AlignRight, flipped_ ? before : after);
        break;
    case Compare::Flip:
        label(whole, Qt::AlignRight, flipped_ ? before : tr("%1: hold F for %2").arg(after, before.toLower()));
        break;
    case Compare::Difference: label(whole, Qt::AlignRight, flipped_ ? before : tr("Difference ×%1").arg(gain_)); break;
    case Compare::Wipe:
        label(whole, Qt::AlignLeft, before);
        if (!flipped_) label(whole, Qt::AlignRight, after);
    }
}

} // namespace ulm::app
