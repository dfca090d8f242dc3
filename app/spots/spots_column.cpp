#include "app/spots/spots_column.h"

#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QContextMenuEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>
#include <cmath>

namespace ulm::app {
namespace {
constexpr int kWidth = 208, kCaption = 24, kBorder = 5;
}

SpotView::SpotView(int index, Project& project, Live& live, QWidget* parent)
    : QWidget(parent), index_(index), project_(project), live_(live) {
    setObjectName(QString("spot.%1").arg(QChar('A' + index)));
    setAccessibleName(tr("Spot %1").arg(QChar('A' + index)));
    setToolTip(tr("Drag the line to compare; drag elsewhere to move the spot, its lower border to resize it; "
                  "double-click to go to its frame; right-click for more."));
    setMouseTracking(true);
    setMinimumHeight(70);
    connect(&live_.spots(), &SpotsModel::updated, this, qOverload<>(&QWidget::update));
    connect(&project_, &Project::playheadChanged, this, qOverload<>(&QWidget::update));
    connect(&loop_, &QTimer::timeout, this, [this] {
        ++shownInLoop_;
        update();
    });
}

const Spot* SpotView::spot() const {
    const ClipEntry* c = project_.currentClip();
    return c && index_ < static_cast<int>(c->spots.size()) ? &c->spots[static_cast<std::size_t>(index_)] : nullptr;
}

double SpotView::magnification() const { return (spot() ? spot()->magnification : 1) / devicePixelRatioF(); }

QRect SpotView::square() const { return {0, 0, width(), height() - kCaption}; }

void SpotView::askForPixels() {
    const QSizeF pixels = QSizeF(square().size()) / magnification();
    live_.spots().setSize(
        static_cast<std::size_t>(index_),
        {static_cast<int>(std::ceil(pixels.width())), std::min(400, static_cast<int>(std::ceil(pixels.height())))});
}

void SpotView::resizeEvent(QResizeEvent*) { askForPixels(); }

void SpotView::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const QRect box = square();
    p.fillRect(box, t.surround);
    const ClipEntry* c = project_.currentClip();
    const auto i = static_cast<std::size_t>(index_);
    if (!spot() || i >= live_.spots().pictures().size()) return;
    const Spot& spot = c->spots[i];
    const SpotPicture& s = live_.spots().pictures()[i];
    const bool loops = s.loopAfter.size() > 1 && s.loopBefore.size() == s.loopAfter.size();
    if (loops != loop_.isActive()) loops ? loop_.start(160) : loop_.stop();
    const QImage& after = loops ? s.loopAfter[shownInLoop_ % s.loopAfter.size()] : s.after;
    const QImage& before = loops ? s.loopBefore[shownInLoop_ % s.loopBefore.size()] : s.before;
    const double k = magnification();
    const int line = static_cast<int>(std::lround(divider_ * box.width()));
    if (!after.isNull()) {
        QRectF at(0, 0, after.width() * k, after.height() * k);
        at.moveCenter(QRectF(box).center());
        at.moveTo(std::round(at.x()), std::round(at.y()));
        p.save();
        p.setClipRect(box);
        p.drawImage(at, after);
        p.setClipRect(QRect(0, 0, line, box.height()));
        p.drawImage(at, before);
        p.restore();
        p.fillRect(QRect(line - 1, 0, 1, box.height()), Qt::white);
        if (!s.fresh) { // old pixels are never passed off as new
            p.setPen(QPen(QColor(255, 255, 255, 150), 1));
            for (int x = -box.height(); x < box.width(); x += 14) p.drawLine(x, box.height(), x + box.height(), 0);
        }
    }
    const auto tag = [&](const QRect& r, const QString& text) {
        p.fillRect(r, t.paper);
        p.setPen(t.ink);
        p.setFont(figures(8.5));
        p.drawText(r, Qt::AlignCenter, text);
    };
    tag({0, 0, 17, 17}, QChar('A' + index_));
    if (spot.magnification == 2) tag({box.right() - 41, 0, 42, 17}, "200 %");
    const QRect caption(0, box.height(), width(), kCaption);
    p.fillRect(caption, t.paper);
    p.setFont(words(8.5));
    // A spot keeps its own frame; its time says so where that is not the frame on the table.
    const QString elsewhere = spot.follows                ? tr("follows")
                              : spot.frame == c->playhead ? QString()
                                                          : timeText(c->clip->secondsAt(spot.frame));
    const QString name = faultName(spot.what);
    p.setPen(t.ink);
    p.drawText(caption.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, name);
    const int nameEnds = 12 + p.fontMetrics().horizontalAdvance(name);
    QString reading;
    if (!s.after.isNull())
        reading = !s.fresh ? tr("working…")
                           : QString("%1 → %2").arg(readingText(spot.what, s.readingBefore),
                                                    readingText(spot.what, s.readingAfter));
    p.setFont(figures(8.5));
    const int readingStarts = width() - 12 - p.fontMetrics().horizontalAdvance(reading);
    p.drawText(caption.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignRight, reading);
    p.setFont(words(8.5));
    p.setPen(t.faint);
    if (nameEnds + p.fontMetrics().horizontalAdvance(elsewhere) < readingStarts)
        p.drawText(caption.adjusted(nameEnds, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, elsewhere);
}

void SpotView::edit(const std::function<void(Spot&)>& change) {
    const ClipEntry* c = project_.currentClip();
    if (!spot()) return;
    auto spots = c->spots;
    Spot& s = spots[static_cast<std::size_t>(index_)];
    s.automatic = false;
    change(s);
    project_.setSpots(spots);
}

void SpotView::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    last_ = e->position();
    if (e->position().y() > height() - kBorder)
        drag_ = Drag::Height;
    else if (square().contains(e->pos()))
        drag_ = std::abs(e->position().x() - divider_ * width()) < 8 ? Drag::Divider : Drag::Move;
}

void SpotView::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton)) {
        setCursor(e->position().y() > height() - kBorder                 ? Qt::SplitVCursor
                  : !square().contains(e->pos())                         ? Qt::ArrowCursor
                  : std::abs(e->position().x() - divider_ * width()) < 8 ? Qt::SplitHCursor
                                                                         : Qt::SizeAllCursor);
        return;
    }
    if (drag_ == Drag::Divider) {
        divider_ = std::clamp(e->position().x() / width(), 0.0, 1.0);
        update();
    } else if (drag_ == Drag::Height) {
        edit([&](Spot& s) { s.height = std::clamp(static_cast<int>(e->position().y()), 70, 420); });
    } else if (drag_ == Drag::Move && spot() && live_.delivery()) {
        const QPointF by = (e->position() - last_) / magnification();
        last_ = e->position();
        const QPointF moved = live_.toSource(live_.toDelivered(spot()->x, spot()->y) - by);
        const PictureFormat& f = live_.delivery()->source->format();
        edit([&](Spot& s) {
            s.x = std::clamp(moved.x(), 0.0, double(f.width - 1));
            s.y = std::clamp(moved.y(), 0.0, double(f.height - 1));
        });
    }
}

void SpotView::mouseReleaseEvent(QMouseEvent*) { drag_ = Drag::None; }

void SpotView::mouseDoubleClickEvent(QMouseEvent*) {
    if (spot()) Q_EMIT frameWanted(spot()->frame);
}

void SpotView::contextMenuEvent(QContextMenuEvent* e) {
    if (!spot()) return;
    const Spot now = *spot();
    QMenu menu(this);
    menu.addAction(tr("Go to its frame"), this, [=, this] { Q_EMIT frameWanted(now.frame); });
    menu.addAction(tr("Pin to the frame on the table"), this, [this] {
        edit([this](Spot& s) { s.frame = project_.currentClip()->playhead, s.follows = false; });
    });
    QAction* follow = menu.addAction(tr("Follow the playhead"), this, [=, this] {
        edit([&](Spot& s) {
            if (s.follows) s.frame = project_.currentClip()->playhead; // stays on what it shows now
            s.follows = !s.follows;
        });
    });
    follow->setCheckable(true);
    follow->setChecked(now.follows);
    menu.addAction(now.magnification == 2 ? tr("Show at 100 %") : tr("Show at 200 %"), this, [=, this] {
        edit([](Spot& s) { s.magnification = 3 - s.magnification; });
        askForPixels();
    });
    menu.addSeparator();
    menu.addAction(tr("Remove this spot"), this, [this] {
        auto spots = project_.currentClip()->spots;
        spots.erase(spots.begin() + index_);
        for (Spot& s : spots) s.automatic = false;
        project_.setSpots(spots);
    });
    menu.addAction(tr("Choose all spots by the readings again"), this, [this] {
        auto spots = project_.currentClip()->spots;
        for (Spot& s : spots) s = {s.what, s.frame, s.x, s.y, true};
        project_.setSpots(spots);
        live_.spots().choose();
    });
    menu.exec(e->globalPos());
}

SpotsColumn::SpotsColumn(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("spotsColumn");
    setFixedWidth(kWidth);
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
    const int wanted = c ? std::min<int>(kMost, static_cast<int>(c->spots.size())) : 0;
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
        v->show();
    }
    for (std::size_t i = 0; i < views_.size(); ++i) { // a height that a person gave it counts before the equal shares
        const int height = c->spots[i].height;
        views_[i]->setMaximumHeight(height ? height : QWIDGETSIZE_MAX);
        views_[i]->setMinimumHeight(height ? height : 70);
    }
    column_->activate(); // before that a new one would ask for more pixels than it shows
    for (SpotView* v : views_) v->askForPixels();
    empty_->setVisible(wanted == 0);
}

} // namespace ulm::app
