#include "app/trials/trials_page.h"

#include "app/widgets/fitted_text.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QDialog>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <numeric>

namespace ulm::app {
namespace {

constexpr int kHead = 146, kLeft = 92, kNarrow = 8, kGap = 8;
constexpr int kLeastSide = 116, kComputed = 192; // of cells: what can be judged; delivered pixels that are computed

QString rankName(RankBy by) {
    switch (by) {
    case RankBy::Faults: return TrialsPage::tr("fewest faults left");
    case RankBy::Texture: return TrialsPage::tr("most texture kept");
    case RankBy::Edge: return TrialsPage::tr("crispest edges");
    case RankBy::Picks: return TrialsPage::tr("your picks");
    case RankBy::Error: return TrialsPage::tr("expected error");
    }
    return {};
}

// What the expected error mostly comes from.
QString mostOf(const TrialMeasure& m) {
    const std::pair<double, QString> parts[] = {{m.noise, TrialsPage::tr("noise")},
                                                {m.blocks, TrialsPage::tr("blocks")},
                                                {m.ringing, TrialsPage::tr("ringing")},
                                                {m.added, TrialsPage::tr("sharpened")}};
    return std::ranges::max_element(parts, {}, &std::pair<double, QString>::first)->second;
}

} // namespace

TrialsGrid::TrialsGrid(TrialsModel& model, QWidget* parent) : QWidget(parent), model_(model) {
    setObjectName("trialsGrid");
    setAccessibleName(tr("Grid of trials"));
    setFocusPolicy(Qt::StrongFocus);
    connect(&model_, &TrialsModel::changed, this, [this] {
        spot_ = std::min(spot_, static_cast<int>(model_.spots().size()) - 1);
        chosen_ = std::min(chosen_, std::max(0, int(model_.order().size()) - 1));
        updateGeometry();
        setMinimumSize(sizeHint());
        update();
    });
}

TrialsGrid::Layout TrialsGrid::layout() const {
    const int columns = static_cast<int>(model_.candidates().size()) + 1;
    const QWidget* around = parentWidget();
    const int wide = around ? around->width() : 1100, high = around ? around->height() : 600;
    // As large as the window allows, and never below what can be judged nor above what is computed.
    if (spot_ < 0) return {std::clamp((wide - kLeft) / columns - kGap, kLeastSide, kComputed), columns};
    Layout best{kLeastSide, columns};
    for (int across = 1; across <= columns; ++across) {
        const int down = (columns + across - 1) / across,
                  side = std::min((wide - kNarrow) / across - kGap, high / down - kHead - kGap);
        if (std::min(side, kComputed * zoom_) > best.side) best = {std::min(side, kComputed * zoom_), across};
    }
    return best;
}

std::vector<int> TrialsGrid::rows() const {
    if (spot_ >= 0) return {spot_};
    std::vector<int> all(model_.spots().size());
    std::iota(all.begin(), all.end(), 0);
    return all;
}

QPoint TrialsGrid::corner(int column) const {
    const Layout l = layout();
    const int at = column + 1, down = at / l.across;
    return {(spot_ < 0 ? kLeft : kNarrow) + at % l.across * (l.side + kGap), down * (kHead + l.side + kGap)};
}

QSize TrialsGrid::sizeHint() const {
    const Layout l = layout();
    const int columns = static_cast<int>(model_.candidates().size()) + 1, down = (columns + l.across - 1) / l.across;
    return {(spot_ < 0 ? kLeft : kNarrow) + l.across * (l.side + kGap),
            down * (kHead + static_cast<int>(rows().size()) * (l.side + kGap)) + 6};
}

QRect TrialsGrid::cellRect(int column, int row) const {
    const int down = spot_ < 0 ? row : 0;
    if (spot_ >= 0 && row != spot_) return {};
    return QRect(corner(column) + QPoint(0, kHead + down * (side() + kGap)), QSize(side(), side()));
}

QRect TrialsGrid::headRect(int column) const { return QRect(corner(column), QSize(side(), kHead - 34)); }

QRect TrialsGrid::adoptRect(int column) const {
    return QRect(corner(column) + QPoint(0, kHead - 32), QSize(side(), 26));
}

void TrialsGrid::setZoom(int zoom) {
    zoom_ = zoom;
    setMinimumSize(sizeHint());
    update();
    Q_EMIT viewChanged();
}

void TrialsGrid::setSpot(int spot) {
    spot_ = std::clamp(spot, -1, static_cast<int>(model_.spots().size()) - 1);
    setMinimumSize(sizeHint());
    update();
    Q_EMIT viewChanged();
}

void TrialsGrid::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    const auto picture = [&](const QRect& box, const QImage& image) {
        p.fillRect(box, t.surround);
        if (image.isNull()) {
            p.setPen(t.surroundInk);
            p.setFont(words(8));
            p.drawText(box, Qt::AlignCenter, tr("working…"));
            return;
        }
        // Delivered pixels, each as many of the screen's as the zoom says; the middle of what was computed.
        const QSizeF shown = QSizeF(box.size()) * devicePixelRatioF() / zoom_;
        p.setRenderHint(QPainter::SmoothPixmapTransform, false);
        p.drawImage(QRectF(box), image,
                    QRectF(QPointF((image.width() - shown.width()) / 2, (image.height() - shown.height()) / 2), shown));
    };
    const std::vector<int> rows = this->rows();
    p.setPen(t.ink);
    p.setFont(words(9, true));
    if (!rows.empty()) p.drawText(headRect(-1), Qt::AlignBottom | Qt::AlignLeft, tr("Before"));
    for (const int r : rows) {
        p.setPen(t.ink);
        p.setFont(words(8.5, true));
        const QRect first = cellRect(-1, r);
        if (spot_ >= 0)
            p.drawText(headRect(-1), Qt::AlignTop | Qt::AlignLeft,
                       QString("%1  %2").arg(QChar('A' + r)).arg(faultName(model_.spots()[std::size_t(r)].what)));
        else
            p.drawText(QRect(4, first.y(), kLeft - 10, first.height()), Qt::AlignVCenter | Qt::TextWordWrap,
                       QString("%1  %2").arg(QChar('A' + r)).arg(faultName(model_.spots()[std::size_t(r)].what)));
        picture(first, model_.before(std::size_t(r)));
    }
    for (int c = 0; c < static_cast<int>(model_.order().size()); ++c) {
        const std::size_t k = model_.order()[std::size_t(c)];
        const QRect head = headRect(c);
        if (c == chosen_ && hasFocus()) {
            p.setPen(QPen(t.ink, 1, Qt::DotLine));
            p.drawRect(head.adjusted(-3, 0, 2, 32));
        }
        p.setPen(t.ink);
        p.setFont(words(9, true));
        const QString name =
            model_.blind() ? QString(QChar('P' + c)) : QString::fromStdString(model_.candidates()[k].name);
        p.drawText(head, Qt::AlignTop | Qt::AlignLeft, p.fontMetrics().elidedText(name, Qt::ElideRight, head.width()));
        if (!model_.blind()) {
            p.setFont(words(7.5));
            p.setPen(t.faint);
            const QRect values = head.adjusted(0, 17, 0, -46); // the whole frame's title has all
            p.drawText(values, Qt::AlignTop,
                       fittedLines(QString::fromStdString(model_.candidates()[k].told), p.font(), values.width(),
                                   values.height())
                           .join('\n'));
            if (model_.complete(k)) {
                const TrialMeasure m = model_.mean(k);
                p.setFont(figures(7.5));
                p.setPen(t.ink);
                p.drawText(head, Qt::AlignBottom | Qt::AlignLeft,
                           tr("error %1: %2\nfaults %3 %\ntexture %4 %")
                               .arg(m.error(), 0, 'f', 1)
                               .arg(mostOf(m))
                               .arg(m.faults, 0, 'f', 0)
                               .arg(m.texture, 0, 'f', 0));
                if (model_.allPicks())
                    p.drawText(head, Qt::AlignBottom | Qt::AlignRight, tr("%1 picks").arg(model_.picks(k)));
            }
            const QRect b = adoptRect(c);
            p.fillRect(b, t.paper);
            p.setPen(t.line);
            p.drawRect(b.adjusted(0, 0, -1, -1));
            p.setPen(t.ink);
            p.setFont(words(8.5));
            p.drawText(b, Qt::AlignCenter, tr("Adopt"));
        }
        for (const int r : rows) {
            const bool held = c == heldColumn_ && r == heldRow_;
            picture(cellRect(c, r), held ? model_.before(std::size_t(r)) : model_.cell(k, std::size_t(r)).picture);
            if (held) {
                p.setPen(Qt::white);
                p.setFont(words(8));
                p.drawText(cellRect(c, r).adjusted(6, 4, -4, -4), Qt::AlignTop | Qt::AlignLeft, tr("before"));
            }
        }
    }
}

void TrialsGrid::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    for (int c = 0; c < static_cast<int>(model_.order().size()); ++c) {
        const std::size_t k = model_.order()[std::size_t(c)];
        if (!model_.blind() && adoptRect(c).contains(e->pos())) {
            model_.adopt(k);
            return Q_EMIT adopted();
        }
        if (!model_.blind() && headRect(c).contains(e->pos())) return model_.askWholeFrame(k);
        for (const int r : rows())
            if (cellRect(c, r).contains(e->pos())) {
                if (model_.blind()) return model_.pick(k);
                heldColumn_ = c, heldRow_ = r;
                update();
            }
    }
}

void TrialsGrid::mouseReleaseEvent(QMouseEvent*) {
    heldColumn_ = heldRow_ = -1;
    update();
}

void TrialsGrid::keyPressEvent(QKeyEvent* e) {
    const int columns = static_cast<int>(model_.order().size());
    if (columns == 0) return QWidget::keyPressEvent(e);
    const std::size_t k = model_.order()[std::size_t(chosen_)];
    switch (e->key()) {
    case Qt::Key_Left: chosen_ = std::max(0, chosen_ - 1); break;
    case Qt::Key_Right: chosen_ = std::min(columns - 1, chosen_ + 1); break;
    case Qt::Key_Up: setSpot(spot_ - 1); break;
    case Qt::Key_Down: setSpot(spot_ + 1); break;
    case Qt::Key_1: setZoom(1); break;
    case Qt::Key_2: setZoom(2); break;
    case Qt::Key_4: setZoom(4); break;
    case Qt::Key_Space: model_.blind() ? model_.pick(k) : model_.askWholeFrame(k); break;
    case Qt::Key_Return:
        if (model_.blind()) return;
        model_.adopt(k);
        Q_EMIT adopted();
        break;
    default: return QWidget::keyPressEvent(e);
    }
    update();
}

TrialsPage::TrialsPage(Project& project, Live& live, QWidget* parent) : QWidget(parent), project_(project) {
    setObjectName("trialsPage");
    model_ = new TrialsModel(project, live, this);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(18, 14, 18, 14);
    all->setSpacing(10);
    auto* bar = new QHBoxLayout;
    auto* title = new QLabel(tr("Trials"));
    title->setFont(words(13, true));
    bar->addWidget(title);
    bar->addSpacing(14);
    auto* advice = new QPushButton(tr("Try what advice suggests"));
    advice->setObjectName("trials.advice");
    connect(advice, &QPushButton::clicked, model_, &TrialsModel::tryAdvice);
    bar->addWidget(advice);
    auto* ramps = new QPushButton(tr("Try five values of… ▾"));
    ramps->setObjectName("trials.ramp");
    connect(ramps, &QPushButton::clicked, this, [this, ramps] {
        QMenu menu(this);
        for (const TicketKey* k : rampKeys())
            menu.addAction(QString::fromStdString(k->name), this, [this, key = k->path] { model_->tryRamp(key); });
        menu.exec(ramps->mapToGlobal(QPoint(0, ramps->height())));
    });
    bar->addWidget(ramps);
    state_ = new QLabel;
    state_->setObjectName("trials.state");
    state_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // it gives way: the window stays as narrow
    bar->addSpacing(10);
    bar->addWidget(state_, 1);
    spot_ = new QToolButton;
    spot_->setObjectName("trials.spot");
    spot_->setToolTip(tr("All spots, or one as large as the window allows (↑ ↓)"));
    connect(spot_, &QToolButton::clicked, this, [this] {
        QMenu menu(this);
        menu.addAction(tr("All spots"), this, [this] { grid_->setSpot(-1); });
        for (int i = 0; i < static_cast<int>(model_->spots().size()); ++i)
            menu.addAction(QString("%1  %2").arg(QChar('A' + i)).arg(faultName(model_->spots()[std::size_t(i)].what)),
                           this, [this, i] { grid_->setSpot(i); });
        menu.exec(spot_->mapToGlobal(QPoint(0, spot_->height())));
    });
    bar->addWidget(spot_);
    zoom_ = new QToolButton;
    zoom_->setObjectName("trials.zoom");
    zoom_->setToolTip(tr("How large delivered pixels are shown (1, 2, 4)"));
    connect(zoom_, &QToolButton::clicked, this, [this] { grid_->setZoom(grid_->zoom() == 4 ? 1 : grid_->zoom() * 2); });
    bar->addWidget(zoom_);
    rank_ = new QToolButton;
    rank_->setObjectName("trials.rank");
    connect(rank_, &QToolButton::clicked, this, [this] {
        QMenu menu(this);
        for (const RankBy by : {RankBy::Error, RankBy::Faults, RankBy::Texture, RankBy::Edge, RankBy::Picks})
            menu.addAction(rankName(by), this, [this, by] { model_->setRankBy(by); });
        menu.exec(rank_->mapToGlobal(QPoint(0, rank_->height())));
    });
    bar->addWidget(rank_);
    blind_ = new QPushButton;
    blind_->setObjectName("trials.blind");
    blind_->setToolTip(
        tr("Hides which is which and shuffles: click what looks best, as often as you like, then reveal"));
    connect(blind_, &QPushButton::clicked, this, [this] { model_->setBlind(!model_->blind()); });
    bar->addWidget(blind_);
    save_ = new QPushButton(tr("Save as PNG…"));
    save_->setObjectName("trials.save");
    connect(save_, &QPushButton::clicked, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (!c) return;
        const QString f = QFileDialog::getSaveFileName(this, tr("Save the grid"),
                                                       c->path.section('.', 0, -2) + "-trials.png", tr("PNG (*.png)"));
        if (!f.isEmpty()) exportSheet(f);
    });
    bar->addWidget(save_);
    all->addLayout(bar);
    empty_ = new QLabel;
    empty_->setWordWrap(true);
    empty_->setAlignment(Qt::AlignCenter);
    all->addWidget(empty_, 1);
    scroll_ = new QScrollArea;
    scroll_->setWidgetResizable(true);
    grid_ = new TrialsGrid(*model_);
    scroll_->setWidget(grid_);
    all->addWidget(scroll_, 1);
    connect(grid_, &TrialsGrid::adopted, this, &TrialsPage::adopted);
    connect(grid_, &TrialsGrid::viewChanged, this, &TrialsPage::refresh);
    connect(model_, &TrialsModel::changed, this, &TrialsPage::refresh);
    connect(&project_, &Project::currentChanged, this, &TrialsPage::refresh);
    connect(&project_, &Project::inspectionChanged, this, &TrialsPage::refresh);
    connect(model_, &TrialsModel::wholeFrame, this, [this](std::size_t k, const QImage& image) {
        auto* d = new QDialog(this);
        d->setObjectName("wholeFrame");
        d->setAttribute(Qt::WA_DeleteOnClose);
        d->setWindowTitle(QString::fromStdString(model_->candidates()[k].name));
        auto* box = new QVBoxLayout(d);
        box->setContentsMargins(0, 0, 0, 0);
        auto* l = new QLabel;
        l->setPixmap(QPixmap::fromImage(image.scaled(size() * 0.94, Qt::KeepAspectRatio, Qt::SmoothTransformation)));
        box->addWidget(l);
        d->show();
    });
    refresh();
}

void TrialsPage::exportSheet(const QString& path) {
    if (!model_->sheet().save(path, "PNG"))
        Q_EMIT project_.problem(path, tr("The grid cannot be written there."),
                                tr("Choose another folder, or make room on the disk."));
}

void TrialsPage::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Theme::now().chrome);
}

void TrialsPage::refresh() {
    const ClipEntry* c = project_.currentClip();
    const bool ready = c && c->clip && c->inspection && !c->spots.empty(), any = !model_->candidates().empty();
    findChild<QPushButton*>("trials.advice")->setEnabled(ready);
    findChild<QPushButton*>("trials.ramp")->setEnabled(ready);
    rank_->setText(tr("By %1 ▾").arg(rankName(model_->rankBy())));
    rank_->setVisible(any && !model_->blind());
    zoom_->setVisible(any);
    zoom_->setText(tr("%1 %").arg(100 * grid_->zoom()));
    spot_->setVisible(any);
    spot_->setText(grid_->spot() < 0 ? tr("All spots ▾") : tr("Spot %1 ▾").arg(QChar('A' + grid_->spot())));
    blind_->setVisible(any);
    blind_->setEnabled(model_->share() >= 1);
    blind_->setText(model_->blind() ? tr("Reveal") : tr("Judge blind"));
    save_->setVisible(any);
    save_->setEnabled(any && model_->share() >= 1 && !model_->blind());
    scroll_->setVisible(any);
    empty_->setVisible(!any);
    empty_->setText(
        !c       ? tr("Drop a clip anywhere first.")
        : !ready ? tr("%1 is still being looked over: trials are made on its spots.").arg(c->name())
                 : tr("Several treatments of %1 side by side, on its spots.\nTry what advice suggests in several "
                      "strengths, or five values of one control.\nAdopt the one that looks best.")
                       .arg(c->name()));
    state_->setText(
        !any              ? QString()
        : model_->blind() ? tr("Click what looks best. %1 picks so far.").arg(model_->allPicks())
        : model_->share() < 1
            ? tr("%1 of %2 computed")
                  .arg(std::lround(model_->share() * double(model_->candidates().size() * model_->spots().size())))
                  .arg(model_->candidates().size() * model_->spots().size())
            : tr("Hold a cell: untreated. Click a name: whole frame."));
    grid_->setMinimumSize(grid_->sizeHint());
    update();
}

} // namespace ulm::app
