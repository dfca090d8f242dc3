#include "app/targets/target_chips.h"

#include "app/targets/chip_scroll.h"
#include "app/targets/own_card.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/deliver/export.h"
#include "core/target/own_target.h"

#include <QFile>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>

namespace ulm::app {
namespace {
constexpr QRect kTick(9, 10, 12, 12);
constexpr int kShapeX = 29, kShapeWide = 18; // the outline of what is delivered
constexpr int kTitleX = kShapeX + kShapeWide + 8, kRight = 10;
constexpr int kGap = 10, kGauge = 43; // between title and figure: nothing, or the gauge
} // namespace

TargetChip::TargetChip(const Target& target, Project& project, Live& live, QWidget* parent)
    : QWidget(parent), target_(target), project_(project), live_(live) {
    setObjectName("target." + QString::fromStdString(target.name));
    setAccessibleName(QString::fromStdString(target.title));
    setFixedHeight(32);
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::TabFocus);
    setToolTip(tr("Tick the box to deliver to %1; the first one ticked comes onto the table. A click elsewhere puts it "
                  "there: you see, judge and change what is "
                  "delivered there. The gauge tells what the file will be, before any encode.")
                   .arg(QString::fromStdString(target_.title)));
    connect(&live_.forecasts(), &ForecastModel::updated, this, [this] {
        updateGeometry();
        update();
    });
    for (const auto signal : {&Project::onTableChanged, &Project::targetsChanged})
        connect(&project_, signal, this, qOverload<>(&QWidget::update));
}

FitState TargetChip::state() const { return project_.currentClip() ? fitOf(target_, live_) : FitState{}; }

QSize TargetChip::sizeHint() const {
    const int title = QFontMetrics(words(9, true)).horizontalAdvance(QString::fromStdString(target_.title));
    const FitState s = state();
    const int text =
        QFontMetrics(figures(8.5)).horizontalAdvance(s.words.isEmpty() ? tr("forecasting…") : "● " + s.words);
    constexpr int kRounding = 4; // of widths of letters
    return {kTitleX + title + text + kRight + (s.share > 0 ? kGauge : kGap) + kRounding, 32};
}

// Tick, shape and figure; the title then has room for a few letters.
QSize TargetChip::minimumSizeHint() const { return {132, 32}; }

// The delivered shape as a small frame, filled while it is on the table.
void TargetChip::paintShape(QPainter& p, const QRect& box, bool onTable) {
    const Theme& t = Theme::now();
    const DeliveryPtr d = live_.deliveries().of(target_.name);
    if (!d) return;
    QRectF frame(QPointF(), QSizeF(d->size().w, d->size().h).scaled(QSizeF(box.size()), Qt::KeepAspectRatio));
    frame.moveCenter(QRectF(box).center());
    p.setPen(QPen(t.ink, 1.2));
    p.setBrush(onTable ? QBrush(t.ink) : QBrush(Qt::NoBrush));
    p.drawRect(frame);
    p.setBrush(Qt::NoBrush);
}

void TargetChip::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const bool chosen = project_.chosen().contains(target_.name), onTable = project_.onTable() == target_.name;
    p.fillRect(rect(), chosen || onTable ? t.paperOpen : t.paper);
    p.setPen(QPen(chosen ? t.elm : t.line, chosen ? 2 : 1));
    p.drawRect(rect().adjusted(chosen ? 1 : 0, chosen ? 1 : 0, -1, -1));
    if (onTable) p.fillRect(QRect(0, 0, width(), 4), t.ink); // an edge of the table's own ink
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(3, 3, -4, -4));
    }
    // The box that says whether this target is delivered to.
    p.setPen(QPen(t.ink, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(kTick);
    if (chosen) {
        p.setPen(QPen(t.ink, 2));
        p.drawPolyline(QPolygon({{11, 16}, {14, 19}, {19, 12}}));
    }
    paintShape(p, {kShapeX, 8, kShapeWide, 18}, onTable);
    const FitState s = state();
    const bool over = s.verdict == FitState::Verdict::Over, known = s.verdict != FitState::Verdict::Unknown;
    const QString mark = over                                       ? "▲ "
                         : s.verdict == FitState::Verdict::Squeezed ? "◆ "
                         : s.verdict == FitState::Verdict::Fits     ? "● "
                                                                    : "";
    const ClipEntry* c = project_.currentClip();
    QString told = known ? mark + s.words : c && c->problem.isEmpty() ? tr("forecasting…") : QString();
    // Where there is little room the figure stays: the gauge goes first, then most of the title.
    QString title = QString::fromStdString(target_.title);
    const QFontMetrics bold(words(9, true)), plain(figures(8.5));
    const int room = width() - kTitleX - kRight;
    const bool gauge = s.share > 0 && bold.horizontalAdvance(title) + plain.horizontalAdvance(told) + kGauge <= room;
    told = plain.elidedText(told, Qt::ElideRight, room - 36);
    const int toldWidth = plain.horizontalAdvance(told);
    if (!gauge) title = bold.elidedText(title, Qt::ElideRight, room - toldWidth - kGap);
    p.setPen(t.ink);
    p.setFont(words(9, true));
    const int titleWidth = bold.horizontalAdvance(title);
    p.drawText(QRect(kTitleX, 0, titleWidth + 4, height()), Qt::AlignVCenter, title);
    if (gauge) {
        QRect bar(kTitleX + titleWidth + 9, 14, 26, 5);
        p.fillRect(bar, t.paperLine);
        bar.setWidth(static_cast<int>(bar.width() * std::clamp(s.share, 0.04, 1.0)));
        p.fillRect(bar, over ? t.ember : t.elm);
    }
    p.setFont(figures(8.5));
    p.setPen(over ? t.emberInk : t.ink);
    p.drawText(QRect(kTitleX + titleWidth + (gauge ? kGauge : kGap), 0, toldWidth + 4, height()), Qt::AlignVCenter,
               told);
}

// What will be delivered is what is shown: the first destination ticked comes onto the table, and leaves it with its
// tick.
void TargetChip::tick() {
    const bool on = !project_.chosen().contains(target_.name);
    project_.setChosen(target_.name, on);
    if (on && project_.onTable().empty()) return project_.putOnTable(target_.name);
    if (on || project_.onTable() != target_.name) return;
    const std::vector<Target> left = project_.ticked();
    project_.putOnTable(left.empty() ? "" : left.front().name);
}

void TargetChip::putOnTable() { project_.putOnTable(project_.onTable() == target_.name ? "" : target_.name); }

void TargetChip::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    e->position().x() < kShapeX - 3 ? tick() : putOnTable();
}

void TargetChip::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Space)
        tick();
    else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        putOnTable();
    else
        QWidget::keyPressEvent(e);
}

TargetBar::TargetBar(Project& project, Live& live, QWidget* parent) : QWidget(parent), project_(project), live_(live) {
    setObjectName("targetBar");
    constexpr int kHeight = 48;
    setFixedHeight(kHeight);
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(14, 8, 14, 8);
    all->setSpacing(8);
    auto* inside = new QWidget;
    chips_ = new QHBoxLayout(inside);
    chips_->setContentsMargins(0, 0, 0, 0);
    chips_->setSpacing(8);
    auto* scroll = new ChipScroll(inside);
    connect(scroll, &ChipScroll::barHeightChanged, this, [this](int bar) { setFixedHeight(kHeight + bar); });
    all->addWidget(scroll);
    more_ = new QToolButton;
    more_->setObjectName("chooseTargets");
    more_->setText(tr("Destinations"));
    more_->setToolTip(tr("Choose which destinations are watched here"));
    connect(more_, &QToolButton::clicked, this, &TargetBar::chooseWatched);
    all->addWidget(more_);
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
    connect(&project_, &Project::targetsChanged, this, &TargetBar::refresh);
    connect(&live_.forecasts(), &ForecastModel::updated, this, &TargetBar::noteFit);
    refresh();
}

// The shelf shows how a clip last stood, also while another one is on the Bench.
void TargetBar::noteFit() {
    ClipEntry* c = project_.currentClip();
    if (!c || !live_.delivery()) return;
    int fit = 0;
    for (const Target& t : project_.targets()) {
        if (!project_.watched().contains(t.name)) continue;
        const auto verdict = fitOf(t, live_).verdict;
        if (verdict == FitState::Verdict::Unknown) return; // its forecast is still coming
        if (verdict == FitState::Verdict::Over) fit = -1;
        if (fit == 0) fit = 1;
    }
    if (fit == c->fit) return;
    c->fit = fit;
    Q_EMIT project_.shelfChanged();
}

void TargetBar::refresh() {
    const auto n = project_.ticked().size();
    run_->setText(n > 1 ? tr("Add %1 to run list").arg(n) : tr("Add to run list"));
    run_->setEnabled(project_.currentClip() && project_.currentClip()->clip);
    std::vector<std::string> watched;
    for (const Target& t : project_.targets())
        if (project_.watched().contains(t.name)) watched.push_back(toJson(t).dump());
    if (shown_ == watched) return; // chips keep the focus while they are ticked
    shown_ = watched;
    while (QLayoutItem* item = chips_->takeAt(0)) {
        item->widget()->deleteLater();
        item->widget()->hide();
        delete item;
    }
    for (const Target& t : project_.targets())
        if (project_.watched().contains(t.name)) chips_->addWidget(new TargetChip(t, project_, live_));
}

bool TargetBar::tick(int place) {
    const QLayoutItem* item = chips_->itemAt(place);
    if (item) qobject_cast<TargetChip*>(item->widget())->tick();
    return item;
}

void TargetBar::chooseWatched() {
    QMenu menu(this);
    for (const Target& t : project_.targets()) {
        QAction* a = menu.addAction(onButton(QString::fromStdString(t.title)));
        a->setCheckable(true);
        a->setChecked(project_.watched().contains(t.name));
        connect(a, &QAction::toggled, this, [this, name = t.name](bool on) { project_.setWatched(name, on); });
    }
    menu.addSeparator();
    menu.addAction(tr("Make your own…"), this, [this] {
        Target start = project_.targetOnTable().value_or(Target{.codecs = {"h264"}, .containers = {"mp4"}});
        start.name.clear(), start.file.clear();
        changeOwn(start);
    });
    QMenu* own = menu.addMenu(tr("Change your own"));
    for (const Target& t : project_.targets())
        if (isOwn(t))
            own->addAction(onButton(QString::fromStdString(t.title)) + "…", this, [this, t] { changeOwn(t); });
    own->setEnabled(!own->isEmpty());
    menu.exec(more_->mapToGlobal(QPoint()));
}

void TargetBar::changeOwn(const Target& from) {
    std::string name;
    OwnCard dialog(
        from,
        [&](const Target& t) -> QString {
            try {
                name = saveOwnTarget(t, project_.targets()).name;
                return {};
            } catch (const Error& e) {
                return QString::fromStdString(e.what());
            }
        },
        this);
    if (dialog.exec() != QDialog::Accepted) return;
    if (dialog.isRemoved() && !QFile::moveToTrash(QString::fromStdString(from.file)))
        return project_.tell(Error(Fault::Output, from.file, "it cannot be put in the trash",
                                   "Remove that file by hand, and start again."));
    project_.reloadTargets();
    if (!name.empty()) project_.setWatched(name, true);
}

} // namespace ulm::app
