#include "app/trials/trials_page.h"

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

namespace ulm::app {
namespace {

constexpr int kHead = 128, kLeft = 92, kGap = 8;

QString rankName(RankBy by) {
    switch (by) {
    case RankBy::Faults: return TrialsPage::tr("fewest faults left");
    case RankBy::Texture: return TrialsPage::tr("most texture kept");
    case RankBy::Edge: return TrialsPage::tr("crispest edges");
    case RankBy::Picks: return TrialsPage::tr("your picks");
    case RankBy::Balance: return TrialsPage::tr("balance of all");
    }
    return {};
}

} // namespace

TrialsGrid::TrialsGrid(TrialsModel& model, QWidget* parent) : QWidget(parent), model_(model) {
    setObjectName("trialsGrid");
    setAccessibleName(tr("Grid of trials"));
    setFocusPolicy(Qt::StrongFocus);
    connect(&model_, &TrialsModel::changed, this, [this] {
        chosen_ = std::min(chosen_, std::max(0, int(model_.order().size()) - 1));
        updateGeometry();
        setMinimumSize(sizeHint());
        update();
    });
}

int TrialsGrid::side() const {
    // As large as the window allows, and never below what can be judged.
    const int columns = static_cast<int>(model_.candidates().size()) + 1,
              wide = parentWidget() ? parentWidget()->width() : 1100;
    return std::clamp((wide - kLeft) / std::max(1, columns) - kGap, 116, 192);
}

QSize TrialsGrid::sizeHint() const {
    const int columns = static_cast<int>(model_.candidates().size()) + 1,
              rows = static_cast<int>(model_.spots().size());
    return {kLeft + columns * (side() + kGap), kHead + rows * (side() + kGap) + 6};
}

QRect TrialsGrid::cellRect(int column, int row) const {
    return {kLeft + (column + 1) * (side() + kGap), kHead + row * (side() + kGap), side(), side()};
}

QRect TrialsGrid::headRect(int column) const { return {kLeft + (column + 1) * (side() + kGap), 0, side(), kHead - 34}; }

QRect TrialsGrid::adoptRect(int column) const {
    return {kLeft + (column + 1) * (side() + kGap), kHead - 32, side(), 26};
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
        // Delivered pixels as they are, the middle of the cell.
        const QRectF from((image.width() - box.width() * devicePixelRatioF()) / 2.0,
                          (image.height() - box.height() * devicePixelRatioF()) / 2.0,
                          box.width() * devicePixelRatioF(), box.height() * devicePixelRatioF());
        p.drawImage(QRectF(box), image, from);
    };
    const int rows = static_cast<int>(model_.spots().size());
    p.setPen(t.ink);
    p.setFont(words(9, true));
    if (rows) p.drawText(headRect(-1), Qt::AlignBottom | Qt::AlignLeft, tr("Before"));
    for (int r = 0; r < rows; ++r) {
        p.setPen(t.ink);
        p.setFont(words(8.5, true));
        const QRect first = cellRect(-1, r);
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
            p.drawText(head.adjusted(0, 16, 0, -28), Qt::AlignTop | Qt::TextWordWrap,
                       QString::fromStdString(model_.candidates()[k].told));
            if (model_.complete(k)) {
                const TrialMeasure m = model_.mean(k);
                p.setFont(figures(7.5));
                p.setPen(t.ink);
                p.drawText(head, Qt::AlignBottom | Qt::AlignLeft,
                           tr("faults %1 %\ntexture %2 %").arg(m.faults, 0, 'f', 0).arg(m.texture, 0, 'f', 0));
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
        for (int r = 0; r < rows; ++r) {
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
        for (int r = 0; r < static_cast<int>(model_.spots().size()); ++r)
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
    bar->addSpacing(10);
    bar->addWidget(state_, 1);
    rank_ = new QToolButton;
    rank_->setObjectName("trials.rank");
    connect(rank_, &QToolButton::clicked, this, [this] {
        QMenu menu(this);
        for (const RankBy by : {RankBy::Balance, RankBy::Faults, RankBy::Texture, RankBy::Edge, RankBy::Picks})
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
    rank_->setText(tr("Ranked by %1 ▾").arg(rankName(model_->rankBy())));
    rank_->setVisible(any && !model_->blind());
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
            : tr("Hold a cell to see it untreated; click a name for the whole frame."));
    grid_->setMinimumSize(grid_->sizeHint());
    update();
}

} // namespace ulm::app
