#pragma once

#include "app/project/project.h"
#include "app/runlist/run_queue.h"

#include <QMainWindow>

class QStackedWidget;
class QToolButton;

namespace ulm::app {

class BenchPage;
class ErrorNote;
class ProofPage;
class RunListPage;
class TrialsPage;

/// The rail at the left, the pages, and what belongs to all of them: errors, drops, keys.
class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    /// `folder`: where the session is kept; empty keeps nothing.
    explicit MainWindow(const QString& folder, QWidget* parent = nullptr);
    ~MainWindow() override;
    void restore();

    Project& project() { return project_; }
    RunQueue& runs() { return runs_; }
    BenchPage& bench() { return *bench_; }
    ErrorNote& errors() { return *errors_; }
    enum Page { kBench, kTrials, kRunList, kProof, kKeys };
    void showPage(int page);
    TrialsPage& trials() { return *trials_; }
    ProofPage& proof() { return *proof_; }
    void setNight(bool night);
    void addToRunList();                ///< the clip on the Bench
    int addToRunList(const ClipEntry&); ///< how many runs it added

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void closeEvent(QCloseEvent*) override;

private:
    bool mayClose();
    QWidget* makeRail();
    void paintRail();
    void chooseFiles();
    void addShortcuts();
    void toggleKeys();
    void openPreferences();

    Project project_;
    RunQueue runs_;
    QStackedWidget* pages_;
    BenchPage* bench_;
    TrialsPage* trials_;
    RunListPage* runList_;
    ProofPage* proof_;
    ErrorNote* errors_;
    std::vector<QToolButton*> rail_;
    int beforeKeys_ = 0; ///< page that the keys were asked for on
};

} // namespace ulm::app
