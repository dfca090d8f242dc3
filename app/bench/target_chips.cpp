#include "app/bench/target_chips.h"

#include "app/bench/sentences.h"
#include "app/widgets/theme.h"
#include "core/deliver/export.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>

namespace ulm::app {
namespace {

double soundBytes(const ClipEntry& c, double seconds) {
    if (!c.ticket.sound.on || c.ticket.sound.mode == "drop") return 0;
    double bits = 0;
    for (const AudioFacts& a : c.clip->facts().audio) bits += a.bitrate > 0 ? double(a.bitrate) : 192000;
    return bits / 8 * seconds;
}

} // namespace

FitState fitOf(const Target& target, const ClipEntry& c, const LiveModel& live) {
    FitState s;
    const Pipeline* p = live.pipeline();
    if (!c.clip || !p) return s;
    const double seconds = p->seconds();
    if (target.maxSeconds > 0 && seconds > target.maxSeconds + 0.01) {
        s.verdict = FitState::Verdict::Over;
        s.words = TargetChip::tr("%1 s too long").arg(seconds - target.maxSeconds, 0, 'f', 1);
        s.share = 1;
        return s;
    }
    if (!live.forecast()) return s;
    // The target may ask for another size than the ticket's: bytes follow area, a little slower.
    double scale = 1;
    try {
        const FramingPlan other = framingOf(fitToTarget(c.ticket, target, c.clip->facts()), c.clip->facts().video);
        scale = std::pow(double(other.width) * other.height / (double(p->plan.width) * p->plan.height), 0.8);
    } catch (const Error&) {
        s.verdict = FitState::Verdict::Over;
        s.words = TargetChip::tr("cannot be framed for it");
        return s;
    }
    const Ticket::Deliver& d = c.ticket.deliver;
    const double rest = soundBytes(c, seconds) + 3000 + 20.0 * double(p->frames.size());
    const double crf = d.rate == "size" ? crfFor("best") : crfFor(d.quality);
    double bytes = live.forecast()->bytesAt(crf) * scale + rest;
    if (d.rate == "variable" || d.rate == "constant") bytes = d.bitrate * 125 * seconds + rest;
    if (d.rate == "size") bytes = std::min(bytes, d.sizeMb * 1e6);
    const double floor = live.forecast()->bytesAt(kFloorCrf) * scale + rest;
    if (target.maxMb <= 0) {
        s.verdict = FitState::Verdict::Fits;
        s.words = TargetChip::tr("about %1").arg(byteText(bytes));
        s.share = 0.5;
        return s;
    }
    const double limit = target.maxMb * 1e6;
    const auto ofLimit = [&](double b) {
        return TargetChip::tr("%1 of %2 MB").arg(b / 1e6, 0, 'f', b < 1e6 ? 2 : 1).arg(target.maxMb, 0, 'g', 4);
    };
    s.share = bytes / limit;
    if (bytes <= limit) {
        s.verdict = FitState::Verdict::Fits;
        s.words = ofLimit(bytes);
    } else if (floor <= limit) {
        s.verdict = FitState::Verdict::Squeezed;
        s.words = TargetChip::tr("squeezed into %1 MB").arg(target.maxMb, 0, 'g', 4);
    } else {
        s.verdict = FitState::Verdict::Over;
        s.words = TargetChip::tr("%1 MB over").arg((floor - limit) / 1e6, 0, 'f', 1);
    }
    return s;
}

TargetChip::TargetChip(const Target& target, Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), target_(target), project_(project), live_(live) {
    setObjectName("target." + QString::fromStdString(target.name));
    setAccessibleName(QString::fromStdString(target.title));
    setFixedHeight(32);
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::TabFocus);
    setToolTip(tr("Click to deliver to %1. The gauge shows what the file will be, before any encode.")
                   .arg(QString::fromStdString(target.title)));
    connect(&live_, &LiveModel::forecastUpdated, this, [this] {
        updateGeometry();
        update();
    });
}

FitState TargetChip::state() const {
    const ClipEntry* c = project_.currentClip();
    return c ? fitOf(target_, *c, live_) : FitState{};
}

QSize TargetChip::sizeHint() const {
    const int title = QFontMetrics(words(9, true)).horizontalAdvance(QString::fromStdString(target_.title));
    const FitState s = state();
    const int text = QFontMetrics(figures(8.5)).horizontalAdvance(s.words.isEmpty() ? tr("forecasting…") : s.words);
    return {title + text + 118, 32};
}

void TargetChip::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const bool chosen = project_.chosen().contains(target_.name);
    p.fillRect(rect(), chosen ? t.paperOpen : t.paper);
    p.setPen(QPen(chosen ? t.elm : t.line, chosen ? 2 : 1));
    p.drawRect(rect().adjusted(chosen ? 1 : 0, chosen ? 1 : 0, -1, -1));
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(3, 3, -4, -4));
    }
    // The box that says whether this target is delivered to.
    const QRect tick(9, 10, 12, 12);
    p.setPen(QPen(t.ink, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(tick);
    if (chosen) {
        p.setPen(QPen(t.ink, 2));
        p.drawPolyline(QPolygon({{11, 16}, {14, 19}, {19, 12}}));
    }
    p.setPen(t.ink);
    p.setFont(words(9, true));
    const QString title = QString::fromStdString(target_.title);
    const int tw = p.fontMetrics().horizontalAdvance(title);
    p.drawText(QRect(29, 0, tw + 4, height()), Qt::AlignVCenter, title);
    const FitState s = state();
    const QRect bar(29 + tw + 10, 14, 46, 5);
    const bool over = s.verdict == FitState::Verdict::Over;
    p.fillRect(bar, t.paperLine);
    if (s.verdict != FitState::Verdict::Unknown)
        p.fillRect(
            QRect(bar.left(), bar.top(), static_cast<int>(bar.width() * std::clamp(s.share, 0.04, 1.0)), bar.height()),
            over ? t.ember : t.elm);
    p.setFont(figures(8.5));
    p.setPen(over ? t.emberInk : t.ink);
    const QString mark = over                                       ? "▲ "
                         : s.verdict == FitState::Verdict::Squeezed ? "◆ "
                         : s.verdict == FitState::Verdict::Fits     ? "● "
                                                                    : "";
    p.drawText(QRect(bar.right() + 8, 0, width() - bar.right() - 12, height()), Qt::AlignVCenter,
               s.verdict == FitState::Verdict::Unknown ? (project_.currentClip() ? tr("forecasting…") : QString())
                                                       : mark + s.words);
}

void TargetChip::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (!project_.chosen().erase(target_.name)) project_.chosen().insert(target_.name);
    project_.keepSoon();
    update();
    Q_EMIT toggled();
}

void TargetChip::keyPressEvent(QKeyEvent* e) {
    if (e->key() != Qt::Key_Space && e->key() != Qt::Key_Return) return QWidget::keyPressEvent(e);
    if (!project_.chosen().erase(target_.name)) project_.chosen().insert(target_.name);
    project_.keepSoon();
    update();
    Q_EMIT toggled();
}

TargetBar::TargetBar(Project& project, LiveModel& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("targetBar");
    setFixedHeight(48);
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(14, 8, 14, 8);
    all->setSpacing(8);
    auto* inside = new QWidget;
    chips_ = new QHBoxLayout(inside);
    chips_->setContentsMargins(0, 0, 0, 0);
    chips_->setSpacing(8);
    all->addWidget(inside);
    auto* more = new QToolButton;
    more->setObjectName("chooseTargets");
    more->setText(tr("Destinations"));
    more->setToolTip(tr("Choose which destinations are watched here"));
    connect(more, &QToolButton::clicked, this, &TargetBar::chooseWatched);
    all->addWidget(more);
    all->addStretch();
    run_ = new QPushButton;
    run_->setObjectName("addToRunList");
    run_->setProperty("main", true);
    run_->setMinimumHeight(32);
    run_->setToolTip(tr("Render this clip (Ctrl+Return): once for each ticked destination, or as the ticket says where "
                        "none is ticked"));
    connect(run_, &QPushButton::clicked, this, &TargetBar::runWanted);
    all->addWidget(run_);
    connect(&project_, &Project::currentChanged, this, &TargetBar::refresh);
    connect(&live_, &LiveModel::forecastUpdated, this, &TargetBar::noteFit);
    refresh();
}

// The shelf shows how a clip last stood, also while another one is on the Bench.
void TargetBar::noteFit() {
    ClipEntry* c = project_.currentClip();
    if (!c || !live_.forecast()) return;
    int fit = 0;
    for (const Target& t : project_.targets()) {
        if (!project_.watched().contains(t.name)) continue;
        const auto verdict = fitOf(t, *c, live_).verdict;
        if (verdict == FitState::Verdict::Over) fit = -1;
        if (fit == 0 && verdict != FitState::Verdict::Unknown) fit = 1;
    }
    if (fit == c->fit) return;
    c->fit = fit;
    Q_EMIT project_.shelfChanged();
}

void TargetBar::refresh() {
    while (QLayoutItem* item = chips_->takeAt(0)) {
        item->widget()->deleteLater();
        item->widget()->hide();
        delete item;
    }
    const auto label = [this] {
        const auto n = std::ranges::count_if(project_.targets(), [&](const Target& t) {
            return project_.watched().contains(t.name) && project_.chosen().contains(t.name);
        });
        run_->setText(n > 1 ? tr("Add %1 to run list").arg(n) : tr("Add to run list"));
        run_->setEnabled(project_.currentClip() && project_.currentClip()->clip);
    };
    for (const Target& t : project_.targets()) {
        if (!project_.watched().contains(t.name)) continue;
        auto* chip = new TargetChip(t, project_, live_);
        connect(chip, &TargetChip::toggled, this, label);
        chips_->addWidget(chip);
    }
    label();
}

void TargetBar::chooseWatched() {
    QMenu menu(this);
    for (const Target& t : project_.targets()) {
        QAction* a = menu.addAction(QString::fromStdString(t.title));
        a->setCheckable(true);
        a->setChecked(project_.watched().contains(t.name));
        connect(a, &QAction::toggled, this, [this, name = t.name](bool on) {
            if (on)
                project_.watched().insert(name);
            else
                project_.watched().erase(name), project_.chosen().erase(name);
            project_.keepSoon();
            refresh();
        });
    }
    menu.exec(QCursor::pos());
}

} // namespace ulm::app
