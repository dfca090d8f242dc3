#include "app/proof/proof_page.h"

#include "app/widgets/theme.h"
#include "core/deliver/output_file.h"

#include <QDesktopServices>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QUrl>
#include <QVBoxLayout>

namespace ulm::app {

ProofPage::ProofPage(Project& project, RunQueue& runs, QWidget* parent)
    : QWidget(parent), project_(project), runs_(runs) {
    setObjectName("proofPage");
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(18, 14, 18, 14);
    all->setSpacing(16);
    auto* left = new QVBoxLayout;
    auto* title = new QLabel(tr("Proof"));
    title->setFont(words(13, true));
    left->addWidget(title);
    auto* about =
        new QLabel(tr("What was done to a clip, and what it bought: a page of crops and readings, or a clip of both."));
    about->setWordWrap(true);
    left->addWidget(about);
    list_ = new QListWidget;
    list_->setObjectName("proof.list");
    list_->setAccessibleName(tr("Delivered clips"));
    left->addWidget(list_, 1);
    for (const auto& [name, object, kind] : {std::tuple{tr("Make a page (PNG)"), "proof.sheet", Kind::Sheet},
                                             {tr("Make a side-by-side clip"), "proof.side", Kind::SideBySide},
                                             {tr("Make a clip with a moving divider"), "proof.wipe", Kind::Wipe}}) {
        auto* b = new QPushButton(name);
        b->setObjectName(object);
        connect(b, &QPushButton::clicked, this, [this, kind = kind] { make(kind); });
        left->addWidget(b);
        makers_.push_back(b);
    }
    makers_[0]->setProperty("main", true);
    bar_ = new QProgressBar;
    bar_->setTextVisible(false);
    bar_->setFixedHeight(6);
    bar_->setRange(0, 1000);
    left->addWidget(bar_);
    state_ = new QLabel;
    state_->setObjectName("proof.state");
    state_->setWordWrap(true);
    left->addWidget(state_);
    cancel_ = new QPushButton(tr("Cancel"));
    cancel_->setObjectName("proof.cancel");
    connect(cancel_, &QPushButton::clicked, this, [this] {
        worker_.stop();
        stop_.cancel();
    });
    left->addWidget(cancel_);
    folder_ = new QPushButton(tr("Open the folder"));
    connect(folder_, &QPushButton::clicked, this,
            [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(made_).path())); });
    left->addWidget(folder_);
    auto* side = new QWidget;
    side->setFixedWidth(300);
    side->setLayout(left);
    left->setContentsMargins(0, 0, 0, 0);
    all->addWidget(side);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    picture_ = new QLabel;
    picture_->setObjectName("proof.picture");
    picture_->setAlignment(Qt::AlignTop | Qt::AlignHCenter);
    picture_->setWordWrap(true);
    scroll->setWidget(picture_);
    all->addWidget(scroll, 1);
    connect(&runs_, &RunQueue::changed, this, &ProofPage::refresh);
    connect(list_, &QListWidget::currentRowChanged, this, [this] {
        if (!busy_) state_->clear();
    });
    refresh();
}

const RunItem* ProofPage::chosen() const {
    const int row = list_->currentRow();
    if (row < 0 || row >= static_cast<int>(rows_.size())) return nullptr;
    return &runs_.items()[static_cast<std::size_t>(rows_[static_cast<std::size_t>(row)])];
}

void ProofPage::refresh() {
    const QString before = list_->currentItem() ? list_->currentItem()->toolTip() : QString();
    list_->clear();
    rows_.clear();
    for (std::size_t i = 0; i < runs_.items().size(); ++i) {
        const RunItem& r = runs_.items()[i];
        if (r.state != RunItem::State::Done) continue;
        rows_.push_back(static_cast<int>(i));
        auto* item = new QListWidgetItem(QFileInfo(r.output).fileName(), list_);
        item->setToolTip(onTip(r.output));
        if (r.output == before) list_->setCurrentItem(item);
    }
    if (list_->currentRow() < 0 && list_->count()) list_->setCurrentRow(list_->count() - 1);
    for (QPushButton* b : makers_) b->setEnabled(!busy_ && list_->count() > 0);
    bar_->setVisible(busy_);
    cancel_->setVisible(busy_);
    folder_->setVisible(!busy_ && !made_.isEmpty());
    if (sheet_.isNull())
        picture_->setText(list_->count() ? tr("Choose a delivered clip and make a page.")
                                         : tr("Nothing is delivered yet.\nAdd a clip to the run list; once it is done, "
                                              "its proof is made here."));
}

void ProofPage::makeFor(int run) {
    refresh();
    const auto row = std::ranges::find(rows_, run);
    if (row == rows_.end()) return;
    list_->setCurrentRow(static_cast<int>(row - rows_.begin()));
    make(Kind::Sheet);
}

void ProofPage::make(Kind kind) {
    const RunItem* r = chosen();
    if (!r || busy_) return;
    busy_ = true;
    stop_ = CancelToken();
    state_->setText(tr("Looking at both…"));
    bar_->setValue(0);
    ProofJob job;
    job.source = r->clip.toStdString();
    job.result = r->output.toStdString();
    const QString stem = QFileInfo(r->output).path() + "/" + QFileInfo(r->output).completeBaseName();
    const QString path = QString::fromStdString(freeName((stem + (kind == Kind::Sheet  ? "-proof.png"
                                                                  : kind == Kind::Wipe ? "-wipe.mp4"
                                                                                       : "-both.mp4"))
                                                             .toStdString()));
    // The person's own spots are the places to show.
    for (int i = 0; i < project_.count(); ++i) {
        const ClipEntry& c = project_.at(i);
        if (c.path != r->clip) continue;
        if (c.inspection) job.inspection = *c.inspection;
        if (std::ranges::any_of(c.spots, [](const Spot& s) { return !s.automatic; }))
            for (const Spot& s : c.spots)
                job.places.push_back({s.what.toStdString(), s.follows ? c.playhead : s.frame, int(s.x), int(s.y), 1});
    }
    refresh();
    const QPointer<QObject> self(this);
    worker_.submit([this, self, job, path, kind, ticket = r->ticket, target = r->target,
                    stop = stop_](const CancelToken&) mutable {
        QString told;
        Error failed(Fault::Cancelled, "", "", "");
        bool done = false;
        try {
            job.ticket = ticket;
            job.target = target; // it may have changed size and shape on the way
            double last = 0;
            const auto progress = [&](double d) {
                if (d - last < 0.005 && d < 1) return;
                last = d;
                onInterface(self, [this, d] {
                    bar_->setValue(static_cast<int>(1000 * d));
                    state_->setText(tr("%1 % done").arg(std::lround(100 * d)));
                });
            };
            if (kind == Kind::Sheet)
                writeProofSheet(job, path.toStdString(), stop, progress);
            else
                writeProofMovie(job, kind == Kind::Wipe ? ProofMovie::Wipe : ProofMovie::SideBySide, path.toStdString(),
                                stop, progress);
            done = true;
        } catch (const Error& e) {
            failed = e;
        } catch (const std::exception& e) {
            failed = Error(Fault::Output, path.toStdString(), e.what(), "");
        }
        onInterface(self, [=, this] {
            busy_ = false;
            if (done) {
                made_ = path;
                state_->setText(tr("Written: %1").arg(QFileInfo(path).fileName()));
                if (kind == Kind::Sheet) sheet_ = QImage(path), showPicture();
            } else if (failed.fault == Fault::Cancelled)
                state_->setText(tr("Cancelled; nothing was left behind."));
            else {
                state_->setText(tr("Not made."));
                Q_EMIT project_.problem(QString::fromStdString(failed.file), QString::fromStdString(failed.reason),
                                        QString::fromStdString(failed.remedy));
            }
            refresh();
        });
    });
}

void ProofPage::showPicture() {
    if (sheet_.isNull()) return;
    const int wide = std::max(200, width() - 380);
    picture_->setPixmap(
        QPixmap::fromImage(sheet_.width() > wide ? sheet_.scaledToWidth(wide, Qt::SmoothTransformation) : sheet_));
}

void ProofPage::resizeEvent(QResizeEvent*) { showPicture(); }

void ProofPage::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Theme::now().chrome);
}

} // namespace ulm::app
