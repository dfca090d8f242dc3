#include "app/main_window.h"

#include "app/bench_page.h"
#include "app/project/dropped.h"
#include "app/proof/proof_page.h"
#include "app/runlist/run_list_page.h"
#include "app/table/table_panel.h"
#include "app/trials/trials_page.h"
#include "app/widgets/error_note.h"
#include "app/widgets/key_sheet.h"
#include "app/widgets/preferences.h"
#include "app/widgets/theme.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QShortcut>
#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {

MainWindow::MainWindow(const QString& folder, QWidget* parent)
    : QMainWindow(parent), project_(folder), runs_(project_) {
    setObjectName("mainWindow");
    setWindowTitle("Ulmwood");
    resize(1280, 800);
    setAcceptDrops(true);
    auto* centre = new QWidget;
    auto* row = new QHBoxLayout(centre);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(makeRail());
    auto* column = new QVBoxLayout;
    column->setSpacing(0);
    errors_ = new ErrorNote;
    column->addWidget(errors_);
    pages_ = new QStackedWidget;
    bench_ = new BenchPage(project_);
    runList_ = new RunListPage(runs_);
    trials_ = new TrialsPage(project_, bench_->live());
    proof_ = new ProofPage(project_, runs_);
    for (QWidget* page : std::initializer_list<QWidget*>{bench_, trials_, runList_, proof_, new KeySheet})
        pages_->addWidget(page);
    connect(trials_, &TrialsPage::adopted, this, [this] { showPage(kBench); });
    column->addWidget(pages_, 1);
    row->addLayout(column, 1);
    setCentralWidget(centre);
    connect(&project_, &Project::problem, errors_, &ErrorNote::tell);
    connect(&runs_, &RunQueue::failed, errors_, &ErrorNote::tell);
    connect(&runs_, &RunQueue::changed, this, &MainWindow::paintRail);
    connect(&runs_, &RunQueue::proofWanted, this, [this](int run) {
        showPage(kProof);
        proof_->makeFor(run);
    });
    connect(bench_, &BenchPage::filesWanted, this, &MainWindow::chooseFiles);
    connect(bench_, &BenchPage::runWanted, this, qOverload<>(&MainWindow::addToRunList));
    connect(bench_, &BenchPage::runsWanted, this, [this](const std::vector<int>& clips) {
        for (const int i : clips) addToRunList(project_.at(i));
    });
    connect(bench_, &BenchPage::fullTableChanged, this, [this](bool full) {
        findChild<QWidget*>("rail")->setVisible(!full);
        full ? showFullScreen() : showNormal();
    });
    addShortcuts();
    showPage(kBench);
}

MainWindow::~MainWindow() {
    delete centralWidget(); // pages hold references to the project: they go first
}

void MainWindow::restore() {
    project_.restore();
    runs_.restore();
    setNight(project_.night());
    if (!project_.windowPlace().isEmpty()) restoreGeometry(project_.windowPlace());
}

// A run under way is not given up by a slip.
bool MainWindow::mayClose() {
    const auto run = std::ranges::find(runs_.items(), RunItem::State::Running, &RunItem::state);
    if (run == runs_.items().end()) return true;
    QMessageBox asked(QMessageBox::Question, tr("Ulmwood"),
                      tr("%1 is being rendered.").arg(QFileInfo(run->output).fileName()), QMessageBox::NoButton, this);
    asked.setInformativeText(tr("It starts again from its beginning when Ulmwood is opened next time."));
    auto* go = asked.addButton(tr("Go on rendering"), QMessageBox::RejectRole);
    auto* close = asked.addButton(tr("Close"), QMessageBox::AcceptRole);
    asked.setDefaultButton(go);
    asked.setEscapeButton(go);
    const auto finished = [&] { return std::ranges::none_of(runs_.items(), isOpen); };
    connect(&runs_, &RunQueue::changed, &asked, [&] { // nothing is left to ask about
        if (finished()) asked.done(QDialog::Accepted);
    });
    asked.exec();
    return asked.clickedButton() == close || finished();
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!mayClose()) return e->ignore();
    if (!isFullScreen()) project_.setWindowPlace(saveGeometry());
    e->accept();
}

QWidget* MainWindow::makeRail() {
    auto* rail = new QWidget;
    rail->setObjectName("rail");
    rail->setAttribute(Qt::WA_StyledBackground);
    rail->setFixedWidth(58);
    auto* column = new QVBoxLayout(rail);
    column->setContentsMargins(0, 8, 0, 8);
    column->setSpacing(2);
    const auto add = [&](const QString& name, const QString& object, const QString& tip, auto what) {
        auto* b = new QToolButton;
        b->setObjectName(object);
        b->setText(name);
        b->setToolTip(tip);
        b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        b->setIconSize({22, 22});
        b->setFixedSize(58, 56);
        connect(b, &QToolButton::clicked, this, what);
        column->addWidget(b);
        rail_.push_back(b);
    };
    add(tr("Bench"), "rail.bench", tr("One clip, its ticket, its spots (Ctrl+1)"), [this] { showPage(kBench); });
    add(tr("Trials"), "rail.trials", tr("Several treatments side by side (Ctrl+2)"), [this] { showPage(kTrials); });
    add(tr("Run list"), "rail.runlist", tr("What is to be rendered, running and done (Ctrl+3)"),
        [this] { showPage(kRunList); });
    add(tr("Proof"), "rail.proof", tr("Before and after, to show and to keep (Ctrl+4)"), [this] { showPage(kProof); });
    column->addStretch();
    add(tr("Keys"), "rail.keys", tr("All shortcuts (?)"), [this] { toggleKeys(); });
    add(tr("Set up"), "rail.preferences", tr("Preferences: cores and memory (Ctrl+,)"), [this] { openPreferences(); });
    add(tr("Night"), "rail.night", tr("Day or night paper (Ctrl+N)"), [this] { setNight(!Theme::now().night); });
    return rail;
}

void MainWindow::paintRail() {
    if (!pages_) return;
    const Theme& t = Theme::now();
    static const char* icons[] = {"bench", "trials", "runlist", "proof", "keys", "preferences", "night"};
    for (std::size_t i = 0; i < rail_.size(); ++i) {
        const bool here = static_cast<int>(i) == pages_->currentIndex();
        rail_[i]->setIcon(icon(icons[i], t.ink));
        rail_[i]->setStyleSheet(
            QString("QToolButton{border:none;border-left:3px solid %1;background:%2;font-size:11px;%3} "
                    "QToolButton:focus{border-right:1px solid %4}")
                .arg(here ? t.elm.name() : "transparent", here ? t.chrome.name() : "transparent",
                     here ? "font-weight:bold" : "", t.ink.name()));
    }
    const auto open = std::ranges::count_if(runs_.items(), isOpen);
    rail_[kRunList]->setText(open ? tr("Runs: %1").arg(open) : tr("Run list"));
    rail_.back()->setText(t.night ? tr("Day") : tr("Night"));
    findChild<QWidget*>("rail")->setStyleSheet("#rail{background:" + t.chromeDeep.name() + ";border-right:1px solid " +
                                               t.line.name() + "}");
}

void MainWindow::showPage(int page) {
    pages_->setCurrentIndex(page);
    if (page == kBench) bench_->setFocus();
    paintRail();
}

void MainWindow::toggleKeys() {
    const int now = pages_->currentIndex();
    if (now != kKeys) beforeKeys_ = now;
    showPage(now == kKeys ? beforeKeys_ : kKeys);
}

void MainWindow::openPreferences() {
    Preferences dialog(this);
    connect(&dialog, &Preferences::planChanged, this, [this](const WorkPlan& plan) { project_.setPlan(plan); });
    dialog.exec();
}

void MainWindow::setNight(bool night) {
    project_.setNight(night);
    if (night != Theme::now().night) Theme::use(*qApp, night);
    paintRail();
    Q_EMIT project_.currentChanged(); // words that carry their own colours are written again
    Q_EMIT runs_.changed();
}

void MainWindow::chooseFiles() {
    const QStringList files = QFileDialog::getOpenFileNames(
        this, tr("Add clips"), project_.currentClip() ? QFileInfo(project_.currentClip()->path).path() : QString(),
        tr("Video (*.mp4 *.mov *.mkv *.webm *.avi *.m4v *.gif *.mpg *.ts *.3gp *.ogv);;All files (*)"));
    if (!files.isEmpty()) project_.addFiles(files);
}

void MainWindow::addToRunList() {
    const ClipEntry* c = project_.currentClip();
    if (c && c->clip && !addToRunList(*c))
        bench_->table().table().hint(tr("It is on the run list already, on this ticket: Ctrl+3 shows it."));
}

int MainWindow::addToRunList(const ClipEntry& c) {
    if (!c.clip) return 0;
    const std::vector<Target> targets = project_.ticked();
    int added = runs_.add(c, targets);
    // Each further stretch is a delivery of its own.
    for (const auto& [from, to] : c.stretches) {
        ClipEntry other = c;
        other.ticket.stretch.on = true;
        other.ticket.stretch.from = from, other.ticket.stretch.to = to;
        added += runs_.add(other, targets);
    }
    return added;
}

void MainWindow::addShortcuts() {
    const auto key = [this](const QKeySequence& k, auto what) {
        connect(new QShortcut(k, this), &QShortcut::activated, this, what);
    };
    key(QKeySequence::Open, [this] { chooseFiles(); });
    key(QKeySequence::Undo, [this] { project_.undo(); });
    key(QKeySequence("Ctrl+Shift+Z"), [this] { project_.redo(); });
    key(QKeySequence("Ctrl+Y"), [this] { project_.redo(); });
    key(QKeySequence("Ctrl+Return"), [this] { addToRunList(); });
    for (const int page : {kBench, kTrials, kRunList, kProof})
        key(QKeySequence(QString("Ctrl+%1").arg(page + 1)), [this, page] { showPage(page); });
    key(QKeySequence("Ctrl+N"), [this] { setNight(!Theme::now().night); });
    key(QKeySequence("Ctrl+Tab"), [this] {
        if (project_.count()) project_.setCurrent((project_.current() + 1) % project_.count());
    });
    key(QKeySequence("?"), [this] { toggleKeys(); });
    key(QKeySequence("Ctrl+,"), [this] { openPreferences(); });
    key(QKeySequence("Ctrl+Q"), [this] { close(); });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
    QStringList files;
    for (const QUrl& u : e->mimeData()->urls())
        if (u.isLocalFile()) files << u.toLocalFile();
    if (files.isEmpty())
        return errors_->tell({}, tr("only files on this computer can be dropped"),
                             tr("Save the clip to a folder first."));
    e->acceptProposedAction();
    QStringList clips;
    for (const QString& f : files) try {
            if (!takeDropped(project_, f, files)) clips << f;
        } catch (const Error& error) {
            project_.tell(error);
        }
    if (!clips.isEmpty()) project_.addFiles(clips);
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
    // Keys that no control took belong to the Bench.
    if (pages_->currentIndex() != kBench || !bench_->handleKey(*e)) e->ignore();
}

} // namespace ulm::app
