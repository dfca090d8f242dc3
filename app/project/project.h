#pragma once

#include "core/base/claim.h"
#include "core/base/file_state.h"
#include "core/engine/engine.h"
#include "core/engine/work_plan.h"
#include "core/inspect/inspection.h"
#include "core/media/decoder.h"
#include "core/target/target.h"
#include "core/ticket/ticket.h"

#include <QImage>
#include <QObject>
#include <QString>
#include <QTime>
#include <QTimer>
#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <set>
#include <vector>

namespace ulm {
class KnownForecasts;
}

namespace ulm::app {

/// A magnified place: pinned to a frame and a position of the upright source.
struct Spot {
    QString what; ///< as WatchPlace has it; "yours" for one that a person placed
    std::int64_t frame = 0;
    double x = 0, y = 0;
    bool automatic = false; ///< chosen by the readings: chosen anew when the frame's crop leaves it behind
    bool follows = false;   ///< shows the playhead's frame instead of its own
    int magnification = 1;  ///< 1 or 2: delivered pixels are shown this many times as large
    int height = 0;         ///< of its window, set by dragging its lower border; 0: an equal share
    bool operator==(const Spot&) const = default;
};

/// A clip on the shelf, with everything a person did to it.
struct ClipEntry {
    QString path;
    ClipPtr clip;                        ///< null while opening, or where it cannot be opened
    QString problem;                     ///< why not
    std::shared_ptr<FrameReader> reader; ///< for single frames
    FileState opened, seen;              ///< its file as it was opened, and as it was found since
    bool opening = false;
    QTime readAgain;  ///< when it was opened anew because its file was another one; null: never
    CancelToken work; ///< on the file as it was opened
    Ticket ticket;
    /// What undo and redo bring back.
    struct State {
        Ticket ticket;
        std::vector<std::pair<double, double>> stretches;
    };
    std::vector<State> past, future;
    /// Takes the last of these, and becomes it.
    void bringBack(std::vector<State>& from);
    std::shared_ptr<const Inspection> inspection; ///< null until it was looked over
    std::shared_ptr<const Inspection> partial;    ///< what is known while it runs
    double inspecting = 0;                        ///< 0…1 while it runs
    QString notInspected;                         ///< why it could not be looked over
    std::optional<Ticket> kept;                   ///< another ticket to hold this one against
    std::vector<std::pair<double, double>>
        stretches; ///< further marked stretches, seconds; the ticket's own is not among them
    std::vector<Spot> spots;
    std::int64_t playhead = 0;
    QImage thumbnail;
    int fit = 0; ///< how it last stood against the watched targets: 1 fits them all, −1 is over one, 0 not known

    QString name() const;
    /// Of this file as it was opened: another one where it was written anew.
    QString identity() const;
    const Readings& readings() const { return known().readings; }
    /// What was found so far; null before anything was.
    const Inspection* found() const { return inspection ? inspection.get() : partial.get(); }
    /// What was found; an empty inspection before that.
    const Inspection& known() const;
};

/// The clips, their tickets, the destinations that are watched. Everything is kept on disk as it changes, so that
/// neither closing nor a crash loses it.
class Project : public QObject {
    Q_OBJECT
public:
    /// `folder`: where the session is kept; made if missing. Empty: nothing is kept (tests).
    /// Where another window has that session open, this one keeps one of its own beside it, and says so.
    explicit Project(const QString& folder, QObject* parent = nullptr);
    ~Project() override;

    /// Where tables that were made for clips are kept: beside the session.
    QString looksFolder() const;
    /// A folder of one's own looks, kept with the session; empty: none.
    const QString& ownLooks() const { return ownLooks_; }
    void setOwnLooks(const QString& folder);
    /// Where results go, kept with the session; empty: each beside its clip.
    const QString& resultsFolder() const { return resultsFolder_; }
    void setResultsFolder(const QString& folder);
    /// Reopens what the last session held.
    void restore();
    /// Files and folders; those on the shelf already are only selected. The first that opens comes on the table, unless
    /// another clip is chosen before.
    void addFiles(const QStringList& paths);
    /// Takes clips off the shelf; their files stay. The last ones taken off together can be brought back as they were:
    /// by bringClipsBack(), or by undo() while nothing was changed since; redo() then takes them off again.
    void takeOff(std::vector<int> indices);
    QStringList takenOff() const; ///< names of those
    void bringClipsBack();
    /// Whether a clip's file was not there when the session was opened.
    bool isLost(int index) const;
    /// A lost clip lies at `path` now; others that are lost and lie beside it under their names are found with it.
    void findAgain(int index, const QString& path);
    int count() const { return static_cast<int>(clips_.size()); }
    ClipEntry& at(int index) { return *clips_[static_cast<std::size_t>(index)]; }
    const ClipEntry& at(int index) const { return *clips_[static_cast<std::size_t>(index)]; }
    int current() const { return current_; }
    /// A clip's name; with what tells it from others of that name: its ending, or its folder.
    QString nameOf(int index) const;
    const ClipEntry* currentClip() const { return const_cast<Project*>(this)->currentClip(); }
    ClipEntry* currentClip() { return current_ >= 0 ? clips_[static_cast<std::size_t>(current_)].get() : nullptr; }
    void setCurrent(int index);

    /// The current clip's ticket as it holds for the destination on the table.
    Ticket shownTicket() const;
    /// Changes it there: what the destination has of its own is changed for it alone, all else for all.
    void edit(const std::function<void(Ticket&)>& change, const QString& stroke = {});
    /// Changes the current clip's ticket. Changes with the same non-empty `stroke` in a row make one step to undo.
    void change(const Ticket& ticket, const QString& stroke = {});
    /// The next change starts a new step to undo, even with the same stroke.
    void endStroke() { stroke_.clear(); }
    void undo();
    void redo();
    void setPlayhead(std::int64_t frame);
    void setSpots(const std::vector<Spot>& spots);
    /// Keeps the current ticket to compare others with; swaps the two; forgets it.
    void keepTicket();
    void swapKept();
    void forgetKept();
    /// Further stretches beside the ticket's own.
    void setStretches(std::vector<std::pair<double, double>> stretches);
    /// Puts the settings ("step.key", value) on the tickets of the clips at these places; each can be undone there.
    void setOn(const std::vector<int>& clips, const std::map<std::string, std::string>& settings);
    /// Copies one step (a key of ticketSteps()), or the whole ticket where it is empty, from the current clip.
    void copyTicketTo(const std::vector<int>& clips, const std::string& step);
    /// Chooses spots by the readings inside `windows` (upright source pixels), unless a person placed some.
    void chooseSpots(const std::vector<Rect>& windows, int apart);

    const std::vector<Target>& targets() const { return targets_; }
    const Target* target(const std::string& name) const;              ///< null where there is none
    void reloadTargets();                                             ///< after a card was made, changed or removed
    const std::set<std::string>& watched() const { return watched_; } ///< targets shown as chips
    const std::set<std::string>& chosen() const { return chosen_; }   ///< targets that "Add to run list" delivers to
    void setWatched(const std::string& name, bool on);
    void setWatched(const std::set<std::string>& names);
    void setChosen(const std::string& name, bool on);
    void setChosen(const std::set<std::string>& names);
    /// The watched and chosen ones, in the order of targets().
    std::vector<Target> ticked() const;
    /// The destination whose delivery the Bench shows; empty: none, the ticket alone.
    const std::string& onTable() const { return onTable_; }
    std::optional<Target> targetOnTable() const;
    void putOnTable(const std::string& name);
    bool night() const { return night_; }
    void setNight(bool night) { night_ = night, keepSoon(); }
    /// Of a phone's screen, device pixels; 0: not set yet.
    double phoneHeight() const { return phoneHeight_; }
    void setPhoneHeight(double pixels) { phoneHeight_ = pixels, keepSoon(); }
    /// The window's place and size as Qt saves them; empty: not known.
    const QByteArray& windowPlace() const { return windowPlace_; }
    void setWindowPlace(const QByteArray& place) { windowPlace_ = place, keepSoon(); }

    /// What the program may take of the machine; kept with the session.
    void setPlan(const WorkPlan& plan);
    /// Reports an error; from any thread.
    void tell(const Error& e);

    Engine& engine() { return engine_; }
    /// What gauges and runs both go by.
    const std::shared_ptr<KnownForecasts>& forecasts() const { return forecasts_; }
    /// Set while a delivery is rendered: work ahead of need then waits.
    std::atomic<bool> rendering{false};
    /// Part of the session that the run list keeps.
    nlohmann::json runs;
    void keepSoon();
    void keepNow();

signals:
    void shelfChanged();
    void clipMoved(const QString& from, const QString& to); ///< a lost one was found
    void currentChanged();
    void ticketChanged();
    void onTableChanged();
    void targetsChanged(); ///< which are watched or chosen
    void playheadMoved();  ///< the playhead itself, before playheadChanged()
    void playheadChanged();
    void stretchesChanged();
    void looksChanged(); ///< the folder of one's own
    void spotsChanged();
    void inspectionChanged(int index);
    void problem(const QString& file, const QString& reason, const QString& remedy);

private:
    struct TakenOff {
        int place;
        bool current;
        std::shared_ptr<ClipEntry> entry;
    };
    void openSession(const QString& folder);
    void drop(int index); ///< tells nobody
    void takeOffAgain();  ///< what was brought back last
    void ticketStep();    ///< undo and redo are of tickets from now on
    /// Brought in now; on the shelf already; open, but its file was written anew.
    enum class Opening { New, Kept, Again };
    void openInBackground(const std::shared_ptr<ClipEntry>& entry, Opening how);
    void opened(const std::shared_ptr<ClipEntry>& entry, Opening how, const ClipPtr& clip);
    void notOpened(const std::shared_ptr<ClipEntry>& entry, Opening how, const Error& why);
    void lookForRewritten();
    void drawThumbnail(const std::shared_ptr<ClipEntry>& entry);
    void inspect(const std::shared_ptr<ClipEntry>& entry);
    QString inspectionFile(const ClipEntry& entry) const; ///< empty where nothing is kept
    int indexOf(const ClipEntry* entry) const;
    void setTicketOf(int clip, const Ticket& ticket);
    void take(const QString& path);
    nlohmann::json session() const;

    QString file_;
    std::optional<Claim> claim_; ///< on the session's folder
    std::optional<WorkPlan> plan_;
    std::vector<std::shared_ptr<ClipEntry>> clips_;
    int current_ = -1;
    bool showNew_ = false; ///< the first that opens of what was brought in comes on the table
    std::vector<TakenOff> takenOff_;
    bool undoBringsBack_ = false;
    std::vector<std::shared_ptr<ClipEntry>> redoTakesOff_;
    QString stroke_;
    std::vector<Target> targets_;
    std::set<std::string> watched_, chosen_;
    std::string onTable_;
    QString ownLooks_, resultsFolder_;
    bool night_ = false;
    double phoneHeight_ = 0;
    QByteArray windowPlace_;
    Engine engine_;
    std::shared_ptr<KnownForecasts> forecasts_;
    CancelToken closing_;
    QTimer keep_, looking_;
    bool looks_ = false; ///< for rewritten files, just now
    std::mutex writing_;
    std::uint64_t keepNumber_ = 0, written_ = 0;
};

} // namespace ulm::app
