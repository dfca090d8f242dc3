#pragma once

#include "app/runlist/run_queue.h"
#include "core/proof/proof.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QProgressBar;
class QPushButton;

namespace ulm::app {

/// Before-and-after evidence of what was delivered: a page, or a clip of both. The proof is written beside the
/// delivered file, under a name of its own.
class ProofPage : public QWidget {
    Q_OBJECT
public:
    enum class Kind { Sheet, SideBySide, Wipe };
    ProofPage(Project& project, RunQueue& runs, QWidget* parent = nullptr);
    void make(Kind kind);
    /// Chooses this item of the run list, and makes its page.
    void makeFor(int run);
    bool busy() const { return busy_; }
    /// The proof made last; empty before.
    const QString& made() const { return made_; }

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void refresh();
    void showPicture();
    const RunItem* chosen() const;

    Project& project_;
    RunQueue& runs_;
    QListWidget* list_;
    QLabel *picture_, *state_;
    QProgressBar* bar_;
    QPushButton *cancel_, *folder_;
    std::vector<QPushButton*> makers_;
    std::vector<int> rows_; ///< run items that the list shows
    QImage sheet_;
    QString made_;
    bool busy_ = false;
    CancelToken stop_;
    LatestWorker worker_;
};

} // namespace ulm::app
