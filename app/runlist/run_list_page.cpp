#include "app/runlist/run_list_page.h"

#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QDesktopServices>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

QString stateWord(const RunItem& r) {
    switch (r.state) {
    case RunItem::State::Waiting: return RunRow::tr("waiting");
    case RunItem::State::Running:
        return r.progress.phase == "measuring"     ? RunRow::tr("measuring")
               : r.progress.phase == "forecasting" ? RunRow::tr("forecasting the size")
               : r.progress.phase == "fitting"     ? RunRow::tr("fitting the size")
                                                   : RunRow::tr("rendering");
    case RunItem::State::Done: return RunRow::tr("done");
    case RunItem::State::Failed: return RunRow::tr("not done");
    default: return RunRow::tr("cancelled");
    }
}

// "~/clips"
QString folderText(const QString& path) {
    const QString folder = QDir::toNativeSeparators(path), home = QDir::homePath();
    return folder == home || folder.startsWith(home + "/") ? "~" + folder.mid(home.size()) : folder;
}

// "out.mp4 in ~/clips": what it is called, and where.
QString placeText(const QString& path) {
    const QFileInfo f(path);
    return RunRow::tr("%1 in %2").arg(f.fileName(), folderText(f.absolutePath()));
}

const QRect kName(42, 30, 420, 16); // where a row tells it

} // namespace

RunRow::RunRow(int index, RunQueue& queue, QWidget* parent) : QWidget(parent), index_(index), queue_(queue) {
    const RunItem& r = queue.items()[static_cast<std::size_t>(index)];
    setObjectName(QString("run.%1").arg(index));
    setFixedHeight(64);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 12, 0);
    row->addStretch();
    const auto add = [&](const QString& picture, const QString& object, const QString& tip, auto what) {
        auto* b = new QToolButton;
        b->setIcon(icon(picture, Theme::now().ink));
        b->setIconSize({18, 18});
        b->setToolTip(tip);
        b->setAccessibleName(tip);
        b->setObjectName(QString("%1.%2").arg(object).arg(index));
        connect(b, &QToolButton::clicked, this, what);
        row->addWidget(b);
    };
    const bool open = isOpen(r);
    add("name", "nameRun", r.state == RunItem::State::Done ? tr("Rename the file") : tr("Name the result"),
        [this] { editName(); });
    if (open) add("stop", "cancelRun", tr("Cancel"), [this] { queue_.cancel(index_); });
    if (r.state == RunItem::State::Done)
        add("proof", "proofRun", tr("Before and after"), [this] { Q_EMIT queue_.proofWanted(index_); });
    if (r.state == RunItem::State::Done)
        add("folder", "openFolder", tr("Open the folder"),
            [path = r.output] { QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(path).path())); });
    if (isGivenUp(r)) add("again", "againRun", tr("Try again"), [this] { queue_.again(index_); });
    if (!open) add("stop", "removeRun", tr("Take off the list (the file stays)"), [this] { queue_.remove(index_); });
}

void RunRow::editName(const std::optional<QString>& text) {
    if (name_) return;
    name_ = new QLineEdit(text.value_or(QFileInfo(item().output).completeBaseName()), this);
    name_->setObjectName(QString("runName.%1").arg(index_));
    name_->setAccessibleName(tr("Name of the result"));
    name_->setFont(words(8.5));
    name_->setGeometry(kName.adjusted(-4, -4, -60, 6));
    name_->installEventFilter(this);
    name_->show();
    name_->setFocus();
    if (!text) name_->selectAll();
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const bool entered = name_->hasFocus(); // and not left for something else
        const QString typed = *leaveName();
        if (!queue_.rename(index_, typed) && entered) editName(typed);
    });
}

std::optional<QString> RunRow::leaveName() {
    if (!name_) return std::nullopt;
    QLineEdit* const left = std::exchange(name_, nullptr);
    left->disconnect(this); // where it loses the focus now it is not finished
    left->setObjectName({});
    left->hide();
    left->deleteLater();
    return left->text();
}

void RunRow::mouseDoubleClickEvent(QMouseEvent* e) {
    if (kName.adjusted(0, -4, 0, 4).contains(e->pos())) editName();
}

bool RunRow::eventFilter(QObject* o, QEvent* e) {
    const bool left = o == name_ && (e->type() == QEvent::KeyPress || e->type() == QEvent::ShortcutOverride) &&
                      static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape;
    if (!left) return QWidget::eventFilter(o, e);
    e->accept();
    if (e->type() == QEvent::KeyPress) leaveName();
    return true;
}

void RunRow::paintEvent(QPaintEvent*) {
    if (index_ >= static_cast<int>(queue_.items().size())) return;
    const Theme& t = Theme::now();
    const RunItem& r = queue_.items()[static_cast<std::size_t>(index_)];
    QPainter p(this);
    p.fillRect(rect(), t.paper);
    p.setPen(t.paperLine);
    p.drawLine(0, height() - 1, width(), height() - 1);
    const bool failed = r.state == RunItem::State::Failed;
    const QString mark = r.state == RunItem::State::Done        ? "●"
                         : failed                               ? "▲"
                         : r.state == RunItem::State::Running   ? "▶"
                         : r.state == RunItem::State::Cancelled ? "×"
                                                                : "○";
    p.setFont(words(10));
    p.setPen(failed ? t.emberInk : r.state == RunItem::State::Done ? t.elm : t.ink);
    p.drawText(QRect(14, 8, 20, 20), Qt::AlignCenter, mark);
    p.setPen(t.ink);
    p.setFont(words(9.75, true));
    const QString title = QFileInfo(r.clip).completeBaseName() +
                          (r.target ? tr(" for %1").arg(QString::fromStdString(r.target->title)) : "");
    p.drawText(QRect(42, 8, 420, 20), Qt::AlignVCenter, title);
    p.setFont(words(8.5));
    p.setPen(t.faint);
    p.drawText(kName, Qt::AlignVCenter,
               p.fontMetrics().elidedText(placeText(r.output), Qt::ElideMiddle, kName.width()));
    const int x = std::max(480, width() / 2), w = width() - x - 110;
    p.setFont(words(9));
    p.setPen(failed ? t.emberInk : t.ink);
    if (r.state == RunItem::State::Running && r.progress.total > 0) {
        const double share = double(r.progress.done) / double(r.progress.total);
        p.drawText(QRect(x, 8, w, 20), Qt::AlignVCenter, stateWord(r));
        const QRect bar(x, 34, w, 8);
        p.fillRect(bar, t.paperLine);
        p.fillRect(QRect(bar.left(), bar.top(), static_cast<int>(bar.width() * share), bar.height()), t.elm);
        p.setFont(figures(8.5));
        QString right = QString("%1 %").arg(static_cast<int>(share * 100));
        if (r.progress.fps > 0) right = tr("%1 fps").arg(r.progress.fps, 0, 'f', 1) + "  " + right;
        p.drawText(QRect(x, 8, w, 20), Qt::AlignVCenter | Qt::AlignRight, right);
        p.setFont(words(8.5));
        p.setPen(t.faint);
        p.drawText(QRect(x, 44, w, 16), Qt::AlignVCenter, leftText(r.progress.left));
    } else {
        p.drawText(QRect(x, 6, w, height() - 12), Qt::AlignVCenter | Qt::TextWordWrap,
                   r.words.isEmpty() ? stateWord(r) : stateWord(r) + ": " + r.words);
    }
}

RunListPage::RunListPage(RunQueue& queue, QWidget* parent) : QWidget(parent), queue_(queue) {
    setObjectName("runListPage");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(24, 18, 24, 18);
    auto* title = new QLabel(tr("Run list"));
    title->setFont(words(14, true));
    summary_ = new QLabel;
    summary_->setObjectName("runSummary");
    all->addWidget(title);
    all->addWidget(summary_);
    all->addLayout(makePlace());
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    auto* inside = new QWidget;
    rows_ = new QVBoxLayout(inside);
    rows_->setContentsMargins(0, 8, 0, 0);
    rows_->setSpacing(0);
    rows_->setAlignment(Qt::AlignTop);
    scroll->setWidget(inside);
    all->addWidget(scroll, 1);
    connect(&queue_, &RunQueue::changed, this, &RunListPage::refresh);
    connect(&queue_, &RunQueue::progressed, this, [this](int i) {
        if (RunRow* row = rowOf(i)) row->update();
    });
    refresh();
}

QLayout* RunListPage::makePlace() {
    auto* row = new QHBoxLayout;
    place_ = new QLabel;
    place_->setObjectName("runPlace");
    row->addWidget(place_);
    auto* choose = new QPushButton(tr("Choose a folder…"));
    choose->setObjectName("runFolder");
    choose->setToolTip(tr("Where results go from now on, those that wait too"));
    connect(choose, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Where are results to go?"), queue_.folder());
        if (!folder.isEmpty()) queue_.setFolder(folder);
    });
    row->addWidget(choose);
    beside_ = new QPushButton(tr("Beside their clips"));
    beside_->setObjectName("runBeside");
    connect(beside_, &QPushButton::clicked, this, [this] { queue_.setFolder({}); });
    row->addWidget(beside_);
    row->addStretch();
    cancelAll_ = new QPushButton(tr("Cancel all"));
    cancelAll_->setObjectName("cancelAll");
    connect(cancelAll_, &QPushButton::clicked, &queue_, &RunQueue::cancelAll);
    row->addWidget(cancelAll_);
    again_ = new QPushButton(tr("Try all again"));
    again_->setObjectName("allAgain");
    again_->setToolTip(tr("What was cancelled or not done waits once more"));
    connect(again_, &QPushButton::clicked, &queue_, &RunQueue::allAgain);
    row->addWidget(again_);
    clear_ = new QPushButton(tr("Clear what is finished"));
    clear_->setObjectName("clearFinished");
    clear_->setToolTip(tr("Takes it off the list; the files stay"));
    connect(clear_, &QPushButton::clicked, &queue_, &RunQueue::removeFinished);
    row->addWidget(clear_);
    return row;
}

RunRow* RunListPage::rowOf(int index) { return findChild<RunRow*>(QString("run.%1").arg(index)); }

void RunListPage::refresh() {
    // A name that is being typed goes on when another run ends.
    std::optional<std::pair<int, QString>> typed;
    for (int i = 0; i < static_cast<int>(queue_.items().size()); ++i)
        if (RunRow* row = rowOf(i))
            if (const auto text = row->leaveName()) typed = {i, *text};
    while (QLayoutItem* item = rows_->takeAt(0)) {
        QWidget* const old = item->widget(); // one of its buttons may still be pressed
        const auto parts = old->findChildren<QWidget*>();
        for (QWidget* part : parts) part->setObjectName({});
        old->setObjectName({});
        old->hide();
        old->deleteLater();
        delete item;
    }
    int done = 0, open = 0, givenUp = 0;
    for (std::size_t i = 0; i < queue_.items().size(); ++i) {
        rows_->addWidget(new RunRow(static_cast<int>(i), queue_));
        const auto s = queue_.items()[i].state;
        done += s == RunItem::State::Done;
        open += isOpen(queue_.items()[i]);
        givenUp += isGivenUp(queue_.items()[i]);
    }
    summary_->setText(queue_.items().empty()
                          ? tr("Nothing is to be rendered. On the Bench, tick the destinations a clip goes to and "
                               "press “Add to run list”.")
                          : tr("%1 to go, %2 done.").arg(open).arg(done));
    if (typed)
        if (RunRow* row = rowOf(typed->first)) row->editName(typed->second);
    cancelAll_->setVisible(open > 1);
    again_->setVisible(givenUp > 1);
    clear_->setVisible(static_cast<int>(queue_.items().size()) - open > 1);
    const QString folder = queue_.folder();
    beside_->setVisible(!folder.isEmpty());
    place_->setText(folder.isEmpty() ? tr("Results go beside their clips; nothing is ever overwritten.")
                                     : tr("Results go to %1; nothing is ever overwritten.").arg(folderText(folder)));
}

} // namespace ulm::app
