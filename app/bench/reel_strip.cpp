#include "app/bench/reel_strip.h"

#include "app/bench/sentences.h"
#include "app/tasks/image.h"
#include "app/widgets/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

namespace ulm::app {
namespace {
constexpr int kThumbs = 44;

QString counted(std::size_t n, const QString& one, const QString& many) { return n == 1 ? one : many.arg(n); }
} // namespace

ReelStrip::ReelStrip(Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("reelStrip");
    setFixedHeight(98);
    setAccessibleName(tr("Reel strip"));
    setToolTip(
        tr("Click the pictures to go there; drag below them to mark a stretch (I and O mark its ends, X clears it)."));
    connect(&project_, &Project::currentChanged, this, &ReelStrip::loadThumbnails);
    connect(&project_, &Project::playheadChanged, this, qOverload<>(&QWidget::update));
    connect(&project_, &Project::ticketChanged, this, qOverload<>(&QWidget::update));
    connect(&project_, &Project::inspectionChanged, this, qOverload<>(&QWidget::update));
}

ReelStrip::~ReelStrip() = default;

int ReelStrip::xOfFrame(std::int64_t f) const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return 0;
    const double end = c->clip->secondsAt(c->clip->frameCount());
    return static_cast<int>(std::lround(c->clip->secondsAt(f) / end * (width() - 1)));
}

std::int64_t ReelStrip::frameAtX(int x) const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return 0;
    const double end = c->clip->secondsAt(c->clip->frameCount());
    return c->clip->frameAt(std::clamp(double(x) / std::max(1, width() - 1), 0.0, 1.0) * end);
}

void ReelStrip::loadThumbnails() {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) {
        shown_.clear();
        thumbnails_.clear();
        worker_.stop();
        return update();
    }
    const PictureFormat f{c->clip->facts().video.width, c->clip->facts().video.height};
    const int tall = kThumbs, wide = std::max(16, tall * f.width / f.height),
              count = std::clamp(width() / wide + 1, 1, 64);
    if (shown_ == c->path && static_cast<int>(thumbnails_.size()) == count) return;
    shown_ = c->path;
    thumbnails_.assign(static_cast<std::size_t>(count), QImage());
    const std::uint64_t round = ++round_;
    const QPointer<QObject> self(this);
    const double ratio = devicePixelRatioF();
    worker_.submit([this, self, round, count, wide, tall, ratio, clip = c->clip](const CancelToken& cancel) {
        try {
            const auto source = std::make_shared<SourceStage>(
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Slices, std::size_t(8) << 20));
            const StagePtr rgb = asRgb(source);
            Engine once(0);
            for (int i = 0; i < count; ++i) {
                const std::int64_t n = clip->frameCount() * i / count;
                const QImage image =
                    toImage(once.pull(*rgb, n, source->format().frame(), cancel))
                        .scaled(QSize(wide, tall) * ratio, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
                onInterface(self, [this, round, i, image] {
                    if (round != round_ || i >= static_cast<int>(thumbnails_.size())) return;
                    thumbnails_[static_cast<std::size_t>(i)] = image;
                    update();
                });
            }
        } catch (const Cancelled&) {
        } catch (const Error&) { // opening the clip has told what is wrong
        }
    });
    update();
}

std::pair<std::int64_t, std::int64_t> ReelStrip::stretchFrames() const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip || !c->ticket.stretch.on) return {0, -1};
    return {c->clip->frameAt(c->ticket.stretch.from), c->clip->frameAt(c->ticket.stretch.to - 1e-4)};
}

void ReelStrip::markStretch(std::int64_t a, std::int64_t b, bool done) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    if (b < a) std::swap(a, b);
    Ticket t = c->ticket;
    t.stretch = {true, c->clip->secondsAt(a), c->clip->secondsAt(b + 1)};
    project_.change(t, "stretch");
    if (done) project_.endStroke();
}

void ReelStrip::clearStretch() {
    const ClipEntry* c = project_.currentClip();
    if (!c) return;
    Ticket t = c->ticket;
    t.stretch = {};
    project_.change(t);
}

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
    p.fillRect(QRect(0, 0, width(), kThumbs), t.surround);
    for (std::size_t i = 0; i < thumbnails_.size(); ++i) {
        const int x = static_cast<int>(i) * width() / static_cast<int>(thumbnails_.size()),
                  right = static_cast<int>(i + 1) * width() / static_cast<int>(thumbnails_.size());
        if (!thumbnails_[i].isNull()) p.drawImage(QRect(x, 0, right - x - 1, kThumbs), thumbnails_[i]);
    }
    const int top = traceTop(), bottom = height() - 18;
    const auto [a, b] = stretchFrames();
    if (b >= a) {
        const QRect r(xOfFrame(a), 0, std::max(2, xOfFrame(b + 1) - xOfFrame(a)), bottom);
        QColor wash = t.elm;
        wash.setAlpha(60);
        p.fillRect(r, wash);
        p.setPen(t.ink);
        p.drawRect(r.adjusted(0, 0, -1, -1));
    }
    if (c->inspection && c->inspection->motion.size() > 1) {
        const auto& m = c->inspection->motion;
        float most = 1;
        for (const float v : m) most = std::max(most, v);
        QPainterPath path;
        for (std::size_t i = 0; i < m.size(); ++i) {
            const QPointF at(xOfFrame(static_cast<std::int64_t>(i)),
                             bottom - 3 - std::sqrt(m[i] / most) * (bottom - top - 6));
            if (i)
                path.lineTo(at);
            else
                path.moveTo(at);
        }
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(t.slate, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
        p.setRenderHint(QPainter::Antialiasing, false);
        for (const auto d : c->inspection->duplicates) p.fillRect(QRect(xOfFrame(d), bottom - 4, 2, 4), t.ember);
        p.setPen(QPen(t.ink, 1, Qt::DashLine));
        for (const auto cut : c->inspection->cuts) p.drawLine(xOfFrame(cut), kThumbs, xOfFrame(cut), bottom);
    }
    const int x = xOfFrame(c->playhead);
    p.fillRect(QRect(x - 1, 0, 2, bottom + 2), t.ember);
    p.setPen(t.ink);
    p.setFont(figures(8.5));
    const QRect foot(8, bottom, width() - 16, height() - bottom);
    p.drawText(foot, Qt::AlignVCenter | Qt::AlignLeft,
               tr("%1  frame %2 of %3")
                   .arg(timeText(c->clip->secondsAt(c->playhead)))
                   .arg(c->playhead + 1)
                   .arg(c->clip->frameCount()));
    p.setFont(words(8));
    p.setPen(t.faint);
    QString right = tr("motion");
    if (c->inspection) {
        if (!c->inspection->cuts.empty())
            right += counted(c->inspection->cuts.size(), tr(" · 1 cut"), tr(" · %1 cuts"));
        if (!c->inspection->duplicates.empty())
            right += counted(c->inspection->duplicates.size(), tr(" · 1 repeated frame"), tr(" · %1 repeated frames"));
    }
    if (b >= a)
        right = tr("stretch %1 to %2 · ").arg(timeText(c->ticket.stretch.from), timeText(c->ticket.stretch.to)) + right;
    p.drawText(foot, Qt::AlignVCenter | Qt::AlignRight, right);
    p.setPen(t.line);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
}

void ReelStrip::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    const std::int64_t f = frameAtX(static_cast<int>(e->position().x()));
    if (e->position().y() < traceTop()) {
        drag_ = Drag::Playhead;
        project_.setPlayhead(f);
        return;
    }
    drag_ = Drag::Mark;
    const auto [a, b] = stretchFrames();
    const int x = static_cast<int>(e->position().x());
    // Near an end, the other end holds still.
    if (b >= a && std::abs(x - xOfFrame(a)) < 6)
        anchor_ = b;
    else if (b >= a && std::abs(x - xOfFrame(b + 1)) < 6)
        anchor_ = a;
    else
        anchor_ = f;
}

void ReelStrip::mouseMoveEvent(QMouseEvent* e) {
    const std::int64_t f = frameAtX(static_cast<int>(e->position().x()));
    if (drag_ == Drag::Playhead) project_.setPlayhead(f);
    if (drag_ == Drag::Mark) markStretch(anchor_, f, false);
}

void ReelStrip::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Mark) project_.endStroke();
    drag_ = Drag::None;
}

void ReelStrip::resizeEvent(QResizeEvent*) { loadThumbnails(); }

} // namespace ulm::app
