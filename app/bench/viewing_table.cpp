#include "app/bench/viewing_table.h"

#include "app/widgets/theme.h"

#include <QAbstractButton>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWheelEvent>
#include <cmath>

namespace ulm::app {

ViewingTable::ViewingTable(Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("viewingTable");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 200);
    setAccessibleName(tr("Viewing table"));
    connect(&live_, &LiveModel::tableUpdated, this, qOverload<>(&QWidget::update));
    connect(&live_, &LiveModel::spotsUpdated, this, qOverload<>(&QWidget::update));
    connect(&live_, &LiveModel::pipelineChanged, this, [this] {
        // Upright pictures leave room at the sides: a pair fills it. What a person chose stays.
        const Pipeline* p = live_.pipeline();
        if (p && !chosenByHand_) {
            const Compare wanted = p->plan.height > p->plan.width ? Compare::Pair : Compare::Wipe;
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
    panTo(z == 0 ? QPointF() : pan_);
    Q_EMIT zoomChanged();
    update();
}

// A picture never leaves its pane: one that is larger covers it, a smaller one stays in the middle.
void ViewingTable::panTo(const QPointF& to) {
    if (const Pipeline* p = live_.pipeline()) {
        const QSizeF pane = panes().back().size() / scale();
        const double x = std::max(0.0, (p->plan.width - pane.width()) / 2),
                     y = std::max(0.0, (p->plan.height - pane.height()) / 2);
        pan_ = {std::clamp(to.x(), -x, x), std::clamp(to.y(), -y, y)};
    }
    update();
}

void ViewingTable::setFlipped(bool f) {
    if (f == flipped_) return;
    flipped_ = f;
    Q_EMIT flippedChanged();
    update();
}

void ViewingTable::showPlaying(const QImage& source) {
    playing_ = source;
    update();
}

std::vector<QRectF> ViewingTable::panes() const {
    const QRectF all = QRectF(rect()).adjusted(6, 6, -6, -6);
    if (compare_ != Compare::Pair || !playing_.isNull()) return {all};
    const double half = (all.width() - 8) / 2;
    return {QRectF(all.left(), all.top(), half, all.height()),
            QRectF(all.left() + half + 8, all.top(), half, all.height())};
}

double ViewingTable::scale() const {
    const Pipeline* p = live_.pipeline();
    if (!p) return 1;
    if (zoom_ > 0) return zoom_ / devicePixelRatioF();
    const QRectF pane = panes().back();
    return std::min(pane.width() / p->plan.width, pane.height() / p->plan.height);
}

QRectF ViewingTable::pictureIn(const QRectF& pane) const {
    const Pipeline* p = live_.pipeline();
    if (!p) return {};
    const double s = scale();
    QRectF r(0, 0, p->plan.width * s, p->plan.height * s);
    r.moveCenter(pane.center() - pan_ * s);
    return {std::round(r.x()), std::round(r.y()), r.width(), r.height()}; // whole pixels, or 100 % would be a blur
}

QRectF ViewingTable::pictureRect() const { return pictureIn(panes().back()); }

QPointF ViewingTable::deliveredAt(const QPointF& w) const {
    const auto all = panes();
    const QRectF r = pictureIn(all.size() == 2 && all[0].contains(w) ? all[0] : all.back());
    return (w - r.topLeft()) / scale();
}

void ViewingTable::paintPicture(QPainter& painter, const QRectF& pane, bool before) {
    const QImage& image = before ? live_.tableBefore() : live_.tableAfter();
    if (image.isNull()) return;
    painter.save();
    painter.setClipRect(pane, Qt::IntersectClip);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, scale() * devicePixelRatioF() < 0.999);
    painter.drawImage(pictureIn(pane), image);
    painter.restore();
}

void ViewingTable::paintMarks(QPainter& painter, const QRectF& picture) {
    const auto& spots = live_.spots();
    const ClipEntry* c = project_.currentClip();
    painter.setFont(figures(8));
    for (std::size_t i = 0; c && i < spots.size() && i < c->spots.size(); ++i) {
        const Rect r = spots[i].region;
        if (r.empty()) continue;
        const QRectF box(picture.x() + r.x * scale(), picture.y() + r.y * scale(), r.w * scale(), r.h * scale());
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 110), 3));
        painter.drawRect(box);
        painter.setPen(QPen(Qt::white, 1.2, c->spots[i].frame == c->playhead ? Qt::SolidLine : Qt::DashLine));
        painter.drawRect(box);
        const QRectF tag(box.left() - 1, box.top() - 15, 15, 14);
        painter.fillRect(tag, Qt::white);
        painter.setPen(Qt::black);
        painter.drawText(tag, Qt::AlignCenter, QChar('A' + static_cast<int>(i)));
    }
}

// What is still coming is told: a small clock filling up, and words.
void ViewingTable::paintClock(QPainter& painter) {
    if (live_.tableFresh() >= 1 || !playing_.isNull()) return;
    const QRectF box(width() - 130, 12, 118, 22);
    painter.fillRect(box, QColor(40, 40, 40, 210));
    painter.setPen(QPen(Qt::white, 1.4));
    painter.setBrush(Qt::NoBrush);
    const QRectF face(box.left() + 6, box.top() + 5, 12, 12);
    painter.drawEllipse(face);
    painter.setBrush(Qt::white);
    painter.drawPie(face, 90 * 16, static_cast<int>(-live_.tableFresh() * 360 * 16));
    painter.setFont(words(8));
    painter.drawText(box.adjusted(24, 0, -4, 0), Qt::AlignVCenter, tr("older pixels"));
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
    if (!live_.pipeline()) {
        painter.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
                         live_.problem().isEmpty() ? tr("Opening…") : live_.problem());
        return;
    }
    if (!playing_.isNull()) {
        // The original, in the place that the delivered picture will have.
        const FramingPlan& plan = live_.pipeline()->plan;
        const PictureFormat& stored = live_.pipeline()->source->format();
        const QRectF pic = pictureIn(panes().back());
        const double kx = double(playing_.width()) / stored.width, ky = double(playing_.height()) / stored.height;
        const QPointF a = live_.toSource({double(plan.x), double(plan.y)}),
                      b = live_.toSource({double(plan.x + plan.w), double(plan.y + plan.h)});
        painter.fillRect(pic, Qt::black);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(
            QRectF(pic.x() + plan.x * scale(), pic.y() + plan.y * scale(), plan.w * scale(), plan.h * scale()),
            playing_, QRectF(a.x() * kx, a.y() * ky, (b.x() - a.x()) * kx, (b.y() - a.y()) * ky));
        painter.setPen(t.surroundInk);
        painter.setFont(words(8.5));
        painter.drawText(rect().adjusted(12, 10, -12, -10), Qt::AlignTop | Qt::AlignLeft, tr("Playing the original"));
        return;
    }
    const auto all = panes();
    painter.setFont(words(8.5));
    if (compare_ == Compare::Pair) {
        paintPicture(painter, all[0], true);
        paintPicture(painter, all[1], flipped_);
        for (const QRectF& pane : all) {
            painter.save();
            painter.setClipRect(pane);
            paintMarks(painter, pictureIn(pane));
            painter.restore();
        }
    } else if (compare_ == Compare::Flip) {
        paintPicture(painter, all[0], flipped_);
        paintMarks(painter, pictureIn(all[0]));
    } else {
        const QRectF pic = pictureIn(all[0]);
        const double x = flipped_ ? pic.right() : std::round(pic.left() + divider_ * pic.width());
        paintPicture(painter, all[0], false);
        painter.save();
        painter.setClipRect(QRectF(0, 0, x, height()));
        paintPicture(painter, all[0], true);
        painter.restore();
        paintMarks(painter, pic);
        painter.fillRect(QRectF(x - 1, std::max(0.0, pic.top()), 2, std::min(pic.height(), double(height()))),
                         Qt::white);
        painter.fillRect(QRectF(x - 4, pic.center().y() - 14, 8, 28), Qt::white);
    }
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
    painter.setFont(words(8.5));
    if (compare_ == Compare::Pair) {
        label(pictureIn(all[0]).intersected(all[0]), Qt::AlignLeft, tr("Before"));
        label(pictureIn(all[1]).intersected(all[1]), Qt::AlignRight, flipped_ ? tr("Before") : tr("After"));
    } else if (compare_ == Compare::Flip) {
        label(pictureIn(all[0]).intersected(all[0]), Qt::AlignRight,
              flipped_ ? tr("Before") : tr("After: hold F for before"));
    } else {
        label(pictureIn(all[0]).intersected(all[0]), Qt::AlignLeft, tr("Before"));
        if (!flipped_) label(pictureIn(all[0]).intersected(all[0]), Qt::AlignRight, tr("After"));
    }
    paintClock(painter);
}

void ViewingTable::mousePressEvent(QMouseEvent* e) {
    last_ = e->position();
    const QRectF pic = pictureRect();
    const double x = pic.left() + divider_ * pic.width();
    if (e->button() == Qt::MiddleButton)
        drag_ = Drag::Pan;
    else if (e->button() != Qt::LeftButton)
        return;
    else if (e->modifiers() & Qt::ShiftModifier)
        drag_ = Drag::Crop;
    else if (compare_ == Compare::Wipe && std::abs(e->position().x() - x) < 10)
        drag_ = Drag::Divider;
    else if (compare_ == Compare::Flip && zoom_ == 0) {
        drag_ = Drag::Flip;
        setFlipped(true);
    } else if (zoom_ > 0)
        drag_ = Drag::Pan;
    else if (compare_ == Compare::Wipe) {
        drag_ = Drag::Divider;
        mouseMoveEvent(e);
    }
}

void ViewingTable::mouseMoveEvent(QMouseEvent* e) {
    const QRectF pic = pictureRect();
    const QPointF by = (e->position() - last_) / scale();
    if (drag_ == Drag::Divider) {
        divider_ = std::clamp((e->position().x() - pic.left()) / pic.width(), 0.0, 1.0);
        update();
    } else if (drag_ == Drag::Pan) {
        panTo(pan_ - by);
    } else if (drag_ == Drag::Crop) {
        Q_EMIT cropDragged(by, false);
    } else {
        const bool near =
            compare_ == Compare::Wipe && std::abs(e->position().x() - pic.left() - divider_ * pic.width()) < 10;
        setCursor(near ? Qt::SplitHCursor : zoom_ > 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
    }
    last_ = e->position();
    live_.setFocus(deliveredAt(e->position()));
}

void ViewingTable::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Flip) setFlipped(false);
    if (drag_ == Drag::Crop) Q_EMIT cropDragged({}, true);
    drag_ = Drag::None;
}

void ViewingTable::mouseDoubleClickEvent(QMouseEvent* e) {
    const Pipeline* p = live_.pipeline();
    const QPointF d = deliveredAt(e->position());
    if (p && QRectF(0, 0, p->plan.width, p->plan.height).contains(d)) Q_EMIT spotWanted(d);
}

void ViewingTable::wheelEvent(QWheelEvent* e) {
    if (!live_.pipeline()) return;
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

TablePanel::TablePanel(Project& project, LiveModel& live, QWidget* parent) : QWidget(parent) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* bar = new QWidget;
    bar->setObjectName("tableBar");
    bar->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(6, 0, 6, 0);
    row->setSpacing(2);
    table_ = new ViewingTable(project, live);
    const auto restyle = [bar] {
        bar->setStyleSheet("#tableBar{background:#5f5f5f} QToolButton{color:#ffffff;padding:5px "
                           "9px;border:none;border-bottom:2px solid transparent}"
                           "QToolButton:hover{background:#6c6c6c} QToolButton:checked{border-bottom:2px solid "
                           "#ffffff;font-weight:bold} QToolButton:focus{background:#6c6c6c}");
    };
    restyle();
    const auto add = [&](const QString& name, const QString& object, const QString& tip) {
        auto* b = new QToolButton;
        b->setText(name);
        b->setObjectName(object);
        b->setCheckable(true);
        b->setToolTip(tip);
        row->addWidget(b);
        return b;
    };
    auto* wipe = add(tr("Wipe"), "compare.wipe", tr("A divider: before left of it, after right of it (W)"));
    auto* pair = add(tr("Pair"), "compare.pair", tr("Before and after side by side, zoomed and moved together (E)"));
    auto* flip =
        add(tr("Flip"), "compare.flip", tr("The result; the original while F or the mouse button is held (R)"));
    row->addStretch();
    auto* fit = add(tr("Fit"), "zoom.fit", tr("The whole picture (0)"));
    auto* one = add(tr("100 %"), "zoom.100", tr("Delivered pixels as they are (1)"));
    auto* two = add(tr("200 %"), "zoom.200", tr("Every delivered pixel twice as large (2)"));
    all->addWidget(bar);
    all->addWidget(table_, 1);
    const auto mark = [=, this] {
        wipe->setChecked(table_->compare() == ViewingTable::Compare::Wipe);
        pair->setChecked(table_->compare() == ViewingTable::Compare::Pair);
        flip->setChecked(table_->compare() == ViewingTable::Compare::Flip);
        fit->setChecked(table_->zoom() == 0);
        one->setChecked(table_->zoom() == 1);
        two->setChecked(table_->zoom() == 2);
    };
    mark();
    connect(table_, &ViewingTable::compareChanged, this, mark);
    connect(table_, &ViewingTable::zoomChanged, this, mark);
    const auto on = [this](QToolButton* b, auto what) { connect(b, &QToolButton::clicked, this, what); };
    on(wipe, [this] { table_->setCompare(ViewingTable::Compare::Wipe); });
    on(pair, [this] { table_->setCompare(ViewingTable::Compare::Pair); });
    on(flip, [this] { table_->setCompare(ViewingTable::Compare::Flip); });
    on(fit, [this] { table_->setZoom(0); });
    on(one, [this] { table_->setZoom(1); });
    on(two, [this] { table_->setZoom(2); });
}

} // namespace ulm::app
