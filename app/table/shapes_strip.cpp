#include "app/table/shapes_strip.h"

#include "app/tasks/image.h"
#include "app/widgets/theme.h"

#include <QMouseEvent>
#include <QPainter>

namespace ulm::app {
namespace {
constexpr int kHeight = 128, kPicture = 92, kGap = 14, kWords = 30;
}

ShapesStrip::ShapesStrip(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("shapesStrip");
    setAccessibleName(tr("The clip in all ticked shapes"));
    setToolTip(
        tr("What each ticked destination shows of the clip, before any treatment. Click one to put it on the table."));
    setFixedHeight(kHeight);
    setCursor(Qt::PointingHandCursor);
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &ShapesStrip::refresh);
    connect(&live_.deliveries(), &DeliveryModel::changed, this, &ShapesStrip::gather);
    connect(&project_, &Project::targetsChanged, this, &ShapesStrip::gather);
    connect(&project_, &Project::playheadChanged, this, [this] { later_.start(20); });
    gather();
}

void ShapesStrip::setWanted(bool on) {
    wanted_ = on;
    gather();
}

void ShapesStrip::gather() {
    std::vector<Shape> now{{"", tr("Ticket alone"), live_.deliveries().of(""), {}, {}, -1}};
    for (const Target& t : project_.ticked())
        now.push_back({t.name, QString::fromStdString(t.title), live_.deliveries().of(t.name), {}, {}, -1});
    std::erase_if(now, [](const Shape& s) { return !s.delivery; });
    std::vector<Key> different;
    for (const Shape& s : now)
        if (!s.target.empty() && std::ranges::find(different, s.delivery->before->key()) == different.end())
            different.push_back(s.delivery->before->key());
    shapes_ = different.size();
    const QString clip = project_.currentClip() ? project_.currentClip()->path : QString();
    for (Shape& s : now) {
        s.of = clip + QString::number(s.delivery->before->key());
        for (const Shape& old : all_)
            if (old.of == s.of) s.picture = old.picture, s.frame = old.frame;
    }
    all_ = std::move(now);
    setVisible(wanted() && !all_.empty());
    update();
    later_.start(20);
}

void ShapesStrip::showEvent(QShowEvent*) { later_.start(0); }

void ShapesStrip::refresh() {
    const ClipEntry* c = project_.currentClip();
    const std::uint64_t round = ++round_;
    if (!isVisible() || !c || !c->clip) return worker_.stop(), void();
    const QPointer<QObject> self(this);
    worker_.submit([this, self, round, all = all_, playhead = c->playhead,
                    side = int(kPicture * devicePixelRatioF())](const CancelToken& cancel) {
        try {
            for (std::size_t i = 0; i < all.size(); ++i) {
                if (all[i].frame == playhead) continue; // a treatment changed, not the shape
                const Delivery& d = *all[i].delivery;
                const StagePtr rgb = asRgb(d.before);
                const QImage image =
                    wholeImage(project_.engine(), *rgb, d.clock.stageOf(playhead), cancel, Engine::Keep::Inputs)
                        .scaled(QSize(4 * side, side), Qt::KeepAspectRatio, Qt::SmoothTransformation);
                onInterface(self, [this, round, i, image, playhead] {
                    if (round != round_ || i >= all_.size()) return;
                    all_[i].picture = image;
                    all_[i].frame = playhead;
                    update();
                });
            }
        } catch (const Error&) { // cancelled, or the table tells what is wrong
        }
    });
}

QRect ShapesStrip::boxOf(const std::string& target) const {
    int x = kGap;
    for (const Shape& s : all_) {
        const QSize size =
            QSize(s.delivery->size().w, s.delivery->size().h).scaled(4 * kPicture, kPicture, Qt::KeepAspectRatio);
        const int wide = std::max({size.width(), QFontMetrics(words(8.5, true)).horizontalAdvance(s.title), 60});
        if (s.target == target) return {x, 4, wide, kHeight - 6};
        x += wide + kGap;
    }
    return {};
}

const QImage& ShapesStrip::pictureOf(const std::string& target) const {
    static const QImage none;
    const auto it = std::ranges::find(all_, target, &Shape::target);
    return it == all_.end() ? none : it->picture;
}

void ShapesStrip::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.fillRect(rect(), t.surround);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    for (const Shape& s : all_) {
        const QRect box = boxOf(s.target);
        QRect pic(
            QPoint(box.x(), box.y()),
            QSize(s.delivery->size().w, s.delivery->size().h).scaled(4 * kPicture, kPicture, Qt::KeepAspectRatio));
        pic.moveTop(box.y() + (kPicture - pic.height()) / 2);
        p.fillRect(pic, QColor(0, 0, 0, 60));
        if (!s.picture.isNull()) p.drawImage(pic, s.picture);
        const bool here = s.target == project_.onTable();
        if (here) { // a frame in white and dark shows on any picture
            p.setPen(QPen(QColor(30, 30, 30), 1));
            p.drawRect(pic.adjusted(-3, -3, 2, 2));
            p.setPen(QPen(Qt::white, 2));
            p.drawRect(pic.adjusted(-1, -1, 0, 0));
        }
        p.setPen(t.surroundInk);
        p.setFont(words(8.5, here));
        p.drawText(QRect(box.x(), box.bottom() - kWords + 2, box.width() + kGap, 15), Qt::AlignLeft, s.title);
        p.setFont(figures(7.5));
        p.drawText(QRect(box.x(), box.bottom() - kWords + 17, box.width() + kGap, 13), Qt::AlignLeft,
                   QString::fromStdString(sizeText(s.delivery->size())));
    }
}

void ShapesStrip::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    for (const Shape& s : all_)
        if (boxOf(s.target).contains(e->pos())) return project_.putOnTable(s.target);
}

} // namespace ulm::app
