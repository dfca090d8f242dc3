#include "app/bench/spots_column.h"

#include "app/bench/sentences.h"
#include "app/widgets/theme.h"

#include <QContextMenuEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

namespace ulm::app {
namespace {

constexpr int kWidth = 236, kCaption = 24;

QString faultName(const QString& what) {
    if (what == "Blocks") return SpotView::tr("Blocks");
    if (what == "Noise") return SpotView::tr("Noise");
    if (what == "Edge") return SpotView::tr("Edge width");
    if (what == "Texture") return SpotView::tr("Blocks in texture");
    return SpotView::tr("Blocks, your spot");
}

} // namespace

SpotView::SpotView(int index, Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), index_(index), project_(project), live_(live) {
    setObjectName(QString("spot.%1").arg(QChar('A' + index)));
    setAccessibleName(tr("Spot %1").arg(QChar('A' + index)));
    setToolTip(tr("Drag the line to compare; drag elsewhere to move the spot; double-click to go to its frame; "
                  "right-click for more."));
    setMouseTracking(true);
    connect(&live_, &LiveModel::spotsUpdated, this, qOverload<>(&QWidget::update));
    connect(&project_, &Project::playheadChanged, this, qOverload<>(&QWidget::update));
}

QRect SpotView::square() const { return {0, 0, width(), height() - kCaption}; }

bool SpotView::isFresh() const {
    return index_ < static_cast<int>(live_.spots().size()) && live_.spots()[static_cast<std::size_t>(index_)].fresh;
}

void SpotView::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const QRect box = square();
    p.fillRect(box, t.surround);
    const ClipEntry* c = project_.currentClip();
    const auto i = static_cast<std::size_t>(index_);
    if (!c || i >= live_.spots().size() || i >= c->spots.size()) return;
    const SpotPicture& s = live_.spots()[i];
    const double k = magnification_ / devicePixelRatioF();
    const int line = static_cast<int>(std::lround(divider_ * box.width()));
    if (!s.after.isNull()) {
        QRectF at(0, 0, s.after.width() * k, s.after.height() * k);
        at.moveCenter(QRectF(box).center());
        at.moveTo(std::round(at.x()), std::round(at.y()));
        p.save();
        p.setClipRect(box);
        p.drawImage(at, s.after);
        p.setClipRect(QRect(0, 0, line, box.height()));
        p.drawImage(at, s.before);
        p.restore();
        p.fillRect(QRect(line - 1, 0, 1, box.height()), Qt::white);
        if (!s.fresh) { // old pixels are never passed off as new
            p.setPen(QPen(QColor(255, 255, 255, 150), 1));
            for (int x = -box.height(); x < box.width(); x += 14) p.drawLine(x, box.height(), x + box.height(), 0);
        }
    }
    const QRect tag(0, 0, 17, 17);
    p.fillRect(tag, t.paper);
    p.setPen(t.ink);
    p.setFont(figures(8.5));
    p.drawText(tag, Qt::AlignCenter, QChar('A' + index_));
    const QRect caption(0, box.height(), width(), kCaption);
    p.fillRect(caption, t.paper);
    p.setFont(words(8.5));
    const Spot& spot = c->spots[i];
    // A spot keeps its own frame; its time says so where that is not the frame on the table.
    const QString elsewhere = spot.frame == c->playhead ? QString() : timeText(c->clip->secondsAt(spot.frame));
    p.drawText(caption.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, faultName(spot.what));
    if (!elsewhere.isEmpty()) {
        p.setPen(t.faint);
        p.drawText(caption.adjusted(12 + p.fontMetrics().horizontalAdvance(faultName(spot.what)), 0, -8, 0),
                   Qt::AlignVCenter | Qt::AlignLeft, elsewhere);
        p.setPen(t.ink);
    }
    if (!s.after.isNull()) {
        const bool whole = spot.what != "Noise" && spot.what != "Edge";
        const auto told = [&](double v) { // a place without a clear edge has no edge width
            return spot.what == "Edge" && v == 0 ? QString("–") : QString::number(v, 'f', whole ? 0 : 1);
        };
        p.setFont(figures(8.5));
        p.drawText(caption.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignRight,
                   !s.fresh ? tr("working…") : QString("%1 → %2").arg(told(s.readingBefore), told(s.readingAfter)));
    }
}

void SpotView::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton || !square().contains(e->pos())) return;
    last_ = e->position();
    dividing_ = std::abs(e->position().x() - divider_ * width()) < 8;
    moving_ = !dividing_;
}

void SpotView::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton)) {
        setCursor(std::abs(e->position().x() - divider_ * width()) < 8 ? Qt::SplitHCursor : Qt::SizeAllCursor);
        return;
    }
    if (dividing_) {
        divider_ = std::clamp(e->position().x() / width(), 0.0, 1.0);
        update();
        return;
    }
    ClipEntry* c = project_.currentClip();
    if (!moving_ || !c || !live_.pipeline() || index_ >= static_cast<int>(c->spots.size())) return;
    const double k = magnification_ / devicePixelRatioF();
    const QPointF by = (e->position() - last_) / k;
    last_ = e->position();
    auto spots = c->spots;
    Spot& s = spots[static_cast<std::size_t>(index_)];
    const QPointF moved = live_.toSource(live_.toDelivered(s.x, s.y) - by);
    const PictureFormat& f = live_.pipeline()->source->format();
    s.automatic = false;
    s.x = std::clamp(moved.x(), 0.0, double(f.width - 1));
    s.y = std::clamp(moved.y(), 0.0, double(f.height - 1));
    project_.setSpots(spots);
}

void SpotView::mouseDoubleClickEvent(QMouseEvent*) {
    const ClipEntry* c = project_.currentClip();
    if (c && index_ < static_cast<int>(c->spots.size()))
        Q_EMIT frameWanted(c->spots[static_cast<std::size_t>(index_)].frame);
}

void SpotView::contextMenuEvent(QContextMenuEvent* e) {
    ClipEntry* c = project_.currentClip();
    if (!c || index_ >= static_cast<int>(c->spots.size())) return;
    QMenu menu(this);
    auto spots = c->spots;
    menu.addAction(tr("Go to its frame"), this,
                   [=, this] { Q_EMIT frameWanted(spots[static_cast<std::size_t>(index_)].frame); });
    menu.addAction(tr("Pin to the frame on the table"), this, [=, this]() mutable {
        spots[static_cast<std::size_t>(index_)].frame = c->playhead;
        spots[static_cast<std::size_t>(index_)].automatic = false;
        project_.setSpots(spots);
    });
    menu.addAction(tr("Remove this spot"), this, [=, this]() mutable {
        spots.erase(spots.begin() + index_);
        for (Spot& s : spots) s.automatic = false;
        project_.setSpots(spots);
    });
    menu.exec(e->globalPos());
}

SpotsColumn::SpotsColumn(Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setFixedWidth(kWidth - 28);
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(8);
    empty_ = new QLabel(tr("Spots appear here once the clip is looked over. Double-click the picture to add one."));
    empty_->setWordWrap(true);
    empty_->setAlignment(Qt::AlignTop);
    column_->addWidget(empty_);
    connect(&project_, &Project::spotsChanged, this, &SpotsColumn::refresh);
    connect(&project_, &Project::currentChanged, this, &SpotsColumn::refresh);
    refresh();
}

void SpotsColumn::refresh() {
    const ClipEntry* c = project_.currentClip();
    const int wanted = c ? std::min<int>(4, static_cast<int>(c->spots.size())) : 0;
    while (static_cast<int>(views_.size()) > wanted) {
        views_.back()->hide();
        views_.back()->deleteLater();
        views_.pop_back();
    }
    while (static_cast<int>(views_.size()) < wanted) {
        auto* v = new SpotView(static_cast<int>(views_.size()), project_, live_);
        connect(v, &SpotView::frameWanted, &project_, &Project::setPlayhead);
        views_.push_back(v);
        column_->addWidget(v, 1);
    }
    empty_->setVisible(wanted == 0);
    resizeEvent(nullptr);
}

void SpotsColumn::resizeEvent(QResizeEvent*) {
    if (views_.empty()) return;
    const int side = std::max(width(), height() / static_cast<int>(views_.size()) - kCaption);
    live_.setSpotSide(static_cast<int>(std::ceil(std::min(side, 320) * devicePixelRatioF() / magnification_)));
}

} // namespace ulm::app
