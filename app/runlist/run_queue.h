#pragma once

#include "app/project/project.h"
#include "app/tasks/background.h"
#include "core/deliver/export.h"

#include <QObject>

namespace ulm::app {

/// One delivery to be made, running, or done.
struct RunItem {
    enum class State { Waiting, Running, Done, Failed, Cancelled } state = State::Waiting;
    QString clip, output;
    Ticket ticket;
    std::optional<Target> target;
    ExportProgress progress;
    QString name;        ///< of the result, as a person chose it, without its ending; empty: by clip and destination
    QString words;       ///< the outcome: size and duration, or reason and remedy
    int interrupted = 0; ///< times that the program ended while this ran
};

/// Whether it waits or runs.
inline bool isOpen(const RunItem& r) {
    return r.state == RunItem::State::Waiting || r.state == RunItem::State::Running;
}
/// Whether it was given up, by a person or by an error.
inline bool isGivenUp(const RunItem& r) {
    return r.state == RunItem::State::Failed || r.state == RunItem::State::Cancelled;
}

/// Renders deliveries one after another in the background. Kept with the session: what was under way when the
/// application ended starts again from its beginning.
class RunQueue : public QObject {
    Q_OBJECT
public:
    explicit RunQueue(Project& project, QObject* parent = nullptr);
    ~RunQueue() override;
    void restore();

    /// Adds the clip on its ticket, for each given target, or once without one. Names never collide with files that
    /// exist or with other runs. What waits or runs already, the same clip on the same ticket for the same target, is
    /// not added once more. Returns how many were added.
    int add(const ClipEntry& clip, const std::vector<Target>& targets);
    const std::vector<RunItem>& items() const { return items_; }
    void cancel(int index);
    void remove(int index); ///< only what does not run
    void cancelAll();       ///< what waits, and what runs
    void removeFinished();  ///< all that neither waits nor runs; their files stay
    void again(int index);  ///< failed or cancelled: waits once more
    void allAgain();        ///< all that failed or were cancelled
    /// Names the result, or the file that is there already. Refused, with failed(): what is no name for a file, or
    /// another's. What runs gets it when it is done. False where it was refused.
    bool rename(int index, const QString& name);
    bool running() const { return running_ >= 0; }
    /// Where results go from now on, those that wait too; empty: each beside its clip.
    void setFolder(const QString& folder);
    const QString& folder() const { return project_.resultsFolder(); }

signals:
    void changed();
    void progressed(int index);
    void proofWanted(int index); ///< a person wants to see it before and after
    void failed(const QString& file, const QString& reason, const QString& remedy);

private:
    void startNext();
    void keep();
    QString outputName(const RunItem&) const;

    Project& project_;
    std::vector<RunItem> items_;
    int running_ = -1;
    std::uint64_t round_ = 0;
    LatestWorker worker_{10};
};

} // namespace ulm::app
