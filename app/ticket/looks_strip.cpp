#include "app/ticket/looks_strip.h"

#include "app/tasks/image.h"
#include "app/widgets/theme.h"
#include "core/pipeline/look.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

constexpr int kHigh = 68, kWidest = 110, kNarrowest = 46; // widget pixels of a picture, of a button
constexpr int kMost = 60;                                 // looks a folder
constexpr qint64 kKeptBytes = qint64(4) << 20;            // larger files are read anew each time

QStringList tablesIn(const QString& folder) {
    QStringList all;
    if (folder.isEmpty()) return all;
    for (const QFileInfo& f :
         QDir(folder).entryInfoList({"*.cube"}, QDir::Files | QDir::Readable, QDir::Name | QDir::IgnoreCase))
        all << f.absoluteFilePath();
    return all;
}

} // namespace

LooksStrip::LooksStrip(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("looks");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 2, 0, 2);
    all->setSpacing(2);
    auto* scroll = new QScrollArea;
    scroll->setObjectName("looksView");
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidgetResizable(true);
    scroll->setFixedHeight(kHigh + 40);
    auto* inner = new QWidget;
    row_ = new QHBoxLayout(inner);
    row_->setContentsMargins(0, 0, 0, 0);
    row_->setSpacing(2);
    scroll->setWidget(inner);
    all->addWidget(scroll);
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &LooksStrip::refresh);
    connect(&live_.deliveries(), &DeliveryModel::changed, this, &LooksStrip::stale);
    connect(&project_, &Project::playheadChanged, this, &LooksStrip::stale);
    connect(&project_, &Project::looksChanged, this, [this] { gather(), stale(); });
}

void LooksStrip::showEvent(QShowEvent*) {
    gather();
    stale();
}

// Only what changed on disk makes new buttons.
void LooksStrip::gather() {
    QStringList files = {""};
    const QString now = QString::fromStdString(project_.shownTicket().finish.table);
    qsizetype left = 0; // not shown
    for (const QString& folder : {project_.ownLooks(), project_.looksFolder()}) {
        const QStringList tables = tablesIn(folder);
        left += std::max<qsizetype>(0, tables.size() - kMost);
        for (const QString& f : tables.mid(0, kMost))
            if (!files.contains(f)) files << f;
    }
    if (!now.isEmpty() && !files.contains(now)) files.insert(1, now);
    if (files == files_) return;
    files_ = files;
    buttons_.clear();
    while (QLayoutItem* item = row_->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
    for (const QString& f : files_) {
        auto* b = new QToolButton;
        b->setObjectName("look." + (f.isEmpty() ? QString("none") : QFileInfo(f).completeBaseName()));
        b->setCheckable(true);
        b->setAutoRaise(true);
        b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        b->setFont(words(8));
        const QString name = f.isEmpty() ? tr("None") : QFileInfo(f).completeBaseName();
        b->setText(QFontMetrics(b->font()).elidedText(name, Qt::ElideMiddle, kWidest));
        b->setAccessibleName(tr("Look: %1").arg(name));
        connect(b, &QToolButton::clicked, this, [this, f] { choose(f); });
        row_->addWidget(b);
        buttons_.push_back(b);
    }
    if (left > 0) row_->addWidget(new QLabel(tr("%1 more in the folder are not shown").arg(left)));
    row_->addStretch();
}

// Of one that was looked at before and has not changed; on the worker's thread.
LookTablePtr LooksStrip::tableOf(const QString& file) {
    if (file.isEmpty()) return nullptr;
    const QFileInfo now(file);
    const Table state{now.size(), now.lastModified(), nullptr};
    if (const auto known = tables_.find(file);
        known != tables_.end() && known->size == state.size && known->written == state.written)
        return known->table;
    const LookTablePtr table = readLookTable(file.toStdString());
    if (state.size <= kKeptBytes) tables_[file] = {state.size, state.written, table};
    return table;
}

void LooksStrip::choose(const QString& file) {
    project_.edit([&](Ticket& t) {
        t.finish.table = file.toStdString();
        if (!file.isEmpty()) t.finish.on = true;
    });
    stale(); // the marks follow the ticket, not the click
}

void LooksStrip::stale() {
    fresh_ = false;
    if (!isVisible()) return;
    const QString now = QString::fromStdString(project_.shownTicket().finish.table);
    if (!now.isEmpty() && !files_.contains(now)) gather();
    for (std::size_t i = 0; i < buttons_.size(); ++i) buttons_[i]->setChecked(files_[qsizetype(i)] == now);
    later_.start(250);
}

void LooksStrip::refresh() {
    const DeliveryPtr& d = live_.deliveries().onTable();
    const std::uint64_t round = ++round_;
    if (!isVisible() || !d) return worker_.stop(), void();
    if (live_.spots().busy() || live_.table().busy()) return later_.start(100);
    const QPointer<QObject> self(this);
    worker_.submit([this, self, round, d, files = files_, stage = live_.deliveries().stage(),
                    ratio = devicePixelRatioF()](const CancelToken& cancel) {
        try {
            const QSize size = QSize(d->size().w, d->size().h).scaled(kWidest, kHigh, Qt::KeepAspectRatio);
            const Picture sample = sampleFor(*d, project_.engine(), stage, int(size.width() * ratio), cancel);
            for (const QString& gone : tables_.keys())
                if (!files.contains(gone)) tables_.remove(gone);
            for (qsizetype i = 0; i < files.size(); ++i) {
                cancel.check();
                QImage image;
                QString wrong;
                try {
                    image = toImage(inLook(sample, d->ticket, tableOf(files[i])));
                } catch (const Error& e) {
                    wrong = QString::fromStdString(e.reason);
                }
                image.setDevicePixelRatio(ratio);
                onInterface(self, [this, round, i, image, wrong, size] {
                    if (round != round_ || std::size_t(i) >= buttons_.size()) return;
                    QToolButton* b = buttons_[std::size_t(i)];
                    b->setEnabled(wrong.isEmpty());
                    b->setToolTip(!wrong.isEmpty()
                                      ? onTip(tr("%1 cannot be used: %2").arg(QFileInfo(files_[i]).fileName(), wrong))
                                  : files_[i].isEmpty() ? tr("Light and colour without a table")
                                                        : onTip(QFileInfo(files_[i]).completeBaseName()));
                    b->setIconSize({std::max(size.width(), kNarrowest), size.height()});
                    b->setIcon(wrong.isEmpty() ? QIcon(QPixmap::fromImage(image)) : QIcon());
                    fresh_ = i + 1 == files_.size();
                });
            }
        } catch (const Cancelled&) {
        } catch (const Error&) { // the table tells what is wrong
        }
    });
}

} // namespace ulm::app
