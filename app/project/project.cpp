#include "app/project/project.h"

#include "app/project/log.h"
#include "app/tasks/background.h"
#include "app/tasks/image.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/deliver/known_forecasts.h"
#include "core/deliver/output_file.h"
#include "core/media/clip_files.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/step.h"

#include <QDir>
#include <QFileInfo>
#include <QThread>

namespace ulm::app {
namespace {

using nlohmann::json;

json toJson(const Spot& s) {
    return {{"what", s.what.toStdString()},
            {"frame", s.frame},
            {"x", s.x},
            {"y", s.y},
            {"automatic", s.automatic},
            {"follows", s.follows},
            {"magnification", s.magnification},
            {"height", s.height}};
}

std::vector<Spot> spotsFrom(const json& j) {
    std::vector<Spot> all;
    if (j.is_array())
        for (const json& s : j)
            if (s.is_object())
                all.push_back({QString::fromStdString(s.value("what", "")), s.value("frame", std::int64_t(0)),
                               std::clamp(s.value("x", 0.0), 0.0, 16384.0), std::clamp(s.value("y", 0.0), 0.0, 16384.0),
                               s.value("automatic", false), s.value("follows", false),
                               std::clamp(s.value("magnification", 1), 1, 2),
                               std::clamp(s.value("height", 0), 0, 2000)});
    return all;
}

// What destinations have of their own of a step goes along.
void copyOwn(const std::string& step, const json& from, json& to) {
    if (to.contains("for"))
        for (auto& [target, steps] : to["for"].items()) steps.erase(step);
    if (from.contains("for"))
        for (const auto& [target, steps] : from["for"].items())
            if (steps.contains(step)) to["for"][target][step] = steps[step];
}

} // namespace

const Inspection& ClipEntry::known() const {
    static const Inspection nothing;
    return inspection ? *inspection : nothing;
}

QString ClipEntry::identity() const { return QString("%1|%2|%3").arg(path).arg(opened.bytes).arg(opened.written); }

QString ClipEntry::name() const { return QFileInfo(path).completeBaseName(); }

QString Project::nameOf(int index) const {
    const ClipEntry& c = at(index);
    const QFileInfo file(c.path);
    bool sameName = false, sameFile = false;
    for (int i = 0; i < count(); ++i)
        if (i != index && at(i).name() == c.name())
            sameName = true, sameFile = sameFile || QFileInfo(at(i).path).fileName() == file.fileName();
    return sameFile ? file.dir().dirName() + "/" + file.fileName() : sameName ? file.fileName() : c.name();
}

Project::Project(const QString& folder, QObject* parent)
    : QObject(parent), engine_(cacheShare(std::size_t(384) << 20, 0.25)),
      forecasts_(std::make_shared<KnownForecasts>()) {
    openSession(folder);
    onUncaught([self = QPointer<Project>(this)](const Error& e) {
        if (self) self->tell(e);
    });
    std::vector<std::string> problems;
    targets_ = loadTargets(targetFolders(), &problems);
    const bool own = std::ranges::any_of(targets_, [](const Target& t) { return !t.file.empty(); });
    for (const Target& t : targets_)
        if (watched_.size() < 3 && (!own || !t.file.empty())) watched_.insert(t.name);
    keep_.setSingleShot(true);
    keep_.setInterval(120);
    connect(&keep_, &QTimer::timeout, this, &Project::keepNow);
    connect(&looking_, &QTimer::timeout, this, &Project::lookForRewritten);
    looking_.start(1000);
    for (const auto& p : problems)
        QTimer::singleShot(0, this, [this, p] { Q_EMIT problem({}, QString::fromStdString(p), {}); });
}

void Project::openSession(const QString& folder) {
    if (folder.isEmpty()) return;
    QString own = folder;
    for (int n = 2; n < 100; ++n, own = folder + QString("/window-%1").arg(n - 1)) {
        QDir().mkpath(own);
        claim_ = Claim::on(own.toStdString());
        if (claim_) break;
    }
    if (own != folder)
        QTimer::singleShot(0, this, [this] {
            Q_EMIT problem({}, tr("another window has the session open: this one keeps one of its own"),
                           tr("Close the other window and start again to go on with its clips here."));
        });
    file_ = own + "/session.json";
    openLog(own);
    logLine("started, version " ULMWOOD_VERSION);
}

void Project::setPlan(const WorkPlan& plan) {
    plan_ = plan;
    setWorkPlan(plan);
    logLine(QString("plan: %1 cores, %2 MB").arg(plan.cores).arg(plan.memory >> 20));
    keepSoon();
}

Project::~Project() {
    closing_.cancel();
    for (const auto& c : clips_) c->work.cancel();
    for (const TakenOff& t : takenOff_) t.entry->work.cancel();
    if (keep_.isActive()) keepNow();
    finishBackground();
}

int Project::indexOf(const ClipEntry* entry) const {
    for (std::size_t i = 0; i < clips_.size(); ++i)
        if (clips_[i].get() == entry) return static_cast<int>(i);
    return -1;
}

void Project::restore() {
    if (file_.isEmpty() || !QFileInfo::exists(file_)) return;
    json j;
    try {
        j = readJsonFile(file_.toStdString());
        if (!j.is_object()) throw std::runtime_error("it holds no object");
        night_ = j.value("night", false);
        phoneHeight_ = std::clamp(j.value("phone_height", 0.0), 0.0, 8000.0);
        windowPlace_ = QByteArray::fromBase64(QByteArray::fromStdString(j.value("window", std::string())));
        if (j.contains("cores") && j.contains("memory_mb"))
            setPlan({j["cores"].get<int>(), std::clamp<std::int64_t>(j["memory_mb"], 0, 1 << 24) << 20});
        if (j.contains("watched") && j["watched"].is_array()) watched_ = j["watched"].get<std::set<std::string>>();
        if (j.contains("chosen") && j["chosen"].is_array()) chosen_ = j["chosen"].get<std::set<std::string>>();
        if (const auto name = j.value("on_table", std::string()); watched_.contains(name)) onTable_ = name;
        ownLooks_ = QString::fromStdString(j.value("looks", std::string()));
        resultsFolder_ = QString::fromStdString(j.value("results", std::string()));
        runs = j.value("runs", json::array());
        for (const json& c : j.value("clips", json::array())) {
            auto entry = std::make_shared<ClipEntry>();
            entry->path = QString::fromStdString(c.value("path", ""));
            entry->ticket = ticketFromJson(c.at("ticket"), file_.toStdString());
            entry->spots = spotsFrom(c.value("spots", json()));
            entry->playhead = c.value("playhead", std::int64_t(0));
            if (c.contains("kept")) entry->kept = ticketFromJson(c.at("kept"), file_.toStdString());
            if (c.contains("stretches"))
                entry->stretches = c.at("stretches").get<std::vector<std::pair<double, double>>>();
            clips_.push_back(entry);
        }
        current_ = std::clamp(j.value("current", -1), -1, count() - 1);
    } catch (const std::exception& e) {
        // The session file is ours: whatever is wrong with it must not keep the application from starting.
        const QString aside = QString::fromStdString(freeName((file_ + ".unreadable").toStdString()));
        QFile::rename(file_, aside);
        Q_EMIT problem(file_, tr("The last session could not be read (%1).").arg(e.what()),
                       tr("It was set aside as %1.").arg(QFileInfo(aside).fileName()));
        clips_.clear();
        current_ = -1;
    }
    for (const auto& entry : clips_) openInBackground(entry, Opening::Kept);
    Q_EMIT shelfChanged();
    Q_EMIT currentChanged();
}

void Project::addFiles(const QStringList& paths) {
    QStringList files;
    for (const QString& p : paths) try { // one bad folder does not keep the others from being opened
            for (const std::string& f : withFoldersOpened({p.toStdString()})) files << QString::fromStdString(f);
        } catch (const Error& e) {
            tell(e);
        }
    for (const QString& f : files) take(QFileInfo(f).absoluteFilePath());
    Q_EMIT shelfChanged();
    keepSoon();
}

void Project::take(const QString& path) {
    const auto same = std::ranges::find_if(clips_, [&](const auto& c) { return c->path == path; });
    if (same != clips_.end()) return setCurrent(static_cast<int>(same - clips_.begin()));
    for (int i = 0; i < count(); ++i) // one of that name was lost: this is it, and its ticket is kept
        if (isLost(i) && QFileInfo(at(i).path).fileName() == QFileInfo(path).fileName()) return findAgain(i, path);
    auto entry = std::make_shared<ClipEntry>();
    entry->path = path;
    clips_.push_back(entry);
    showNew_ = true;
    openInBackground(entry, Opening::New);
}

bool Project::isLost(int index) const { return !at(index).problem.isEmpty() && !QFileInfo::exists(at(index).path); }

void Project::findAgain(int index, const QString& path) {
    if (std::ranges::any_of(clips_, [&](const auto& c) { return c->path == path; }))
        return tell(Error(Fault::Usage, path.toStdString(), "it is on the shelf already",
                          "Take it off the shelf first, or choose another file."));
    const auto moved = [this](int i, const QString& to) {
        const QString from = std::exchange(at(i).path, to);
        at(i).problem.clear();
        Q_EMIT clipMoved(from, to);
        openInBackground(clips_[static_cast<std::size_t>(i)], Opening::Kept);
    };
    moved(index, path);
    for (int i = 0; i < count(); ++i) {
        const QString beside = QFileInfo(path).path() + "/" + QFileInfo(at(i).path).fileName();
        const bool taken = std::ranges::any_of(clips_, [&](const auto& c) { return c->path == beside; });
        if (isLost(i) && !taken && QFileInfo::exists(beside)) moved(i, beside);
    }
    Q_EMIT shelfChanged();
    Q_EMIT currentChanged();
    keepSoon();
}

QString Project::looksFolder() const {
    return (file_.isEmpty() ? QDir::tempPath() + "/ulmwood" : QFileInfo(file_).path()) + "/looks";
}

void Project::setCurrent(int index) {
    if (index < 0 || index >= count()) return;
    showNew_ = false; // a person has chosen meanwhile
    if (index == current_) return;
    // What is not looked at keeps neither decoder nor pictures.
    if (const ClipEntry* left = currentClip(); left && left->reader) left->reader->rest();
    current_ = index;
    stroke_.clear();
    Q_EMIT shelfChanged();
    Q_EMIT currentChanged();
    keepSoon();
}

void Project::change(const Ticket& ticket, const QString& stroke) {
    ClipEntry* c = currentClip();
    if (!c || ticket == c->ticket) return;
    if (stroke.isEmpty() || stroke != stroke_) {
        c->past.push_back({c->ticket, c->stretches});
        if (c->past.size() > 200) c->past.erase(c->past.begin());
    }
    stroke_ = stroke;
    ticketStep();
    c->future.clear();
    c->ticket = ticket;
    Q_EMIT ticketChanged();
    keepSoon();
}

Ticket Project::shownTicket() const {
    const ClipEntry* c = currentClip();
    return c ? ticketFor(c->ticket, onTable_) : Ticket{};
}

void Project::edit(const std::function<void(Ticket&)>& how, const QString& stroke) {
    const ClipEntry* c = currentClip();
    if (!c) return;
    Ticket t = shownTicket();
    how(t);
    change(withEdit(c->ticket, onTable_, t), stroke);
}

const Target* Project::target(const std::string& name) const {
    const auto it = std::ranges::find(targets_, name, &Target::name);
    return it == targets_.end() ? nullptr : &*it;
}

void Project::reloadTargets() {
    targets_ = loadTargets(targetFolders());
    auto names = watched_;
    std::erase_if(names, [&](const std::string& n) { return !target(n); });
    setWatched(names);
    Q_EMIT onTableChanged(); // its limits may be others now
}

void Project::setWatched(const std::set<std::string>& names) {
    watched_ = names;
    std::erase_if(chosen_, [&](const std::string& n) { return !watched_.contains(n); });
    if (!watched_.contains(onTable_)) putOnTable("");
    Q_EMIT targetsChanged();
    keepSoon();
}

void Project::setWatched(const std::string& name, bool on) {
    auto names = watched_;
    on ? void(names.insert(name)) : void(names.erase(name));
    setWatched(names);
}

void Project::setOwnLooks(const QString& folder) {
    ownLooks_ = folder;
    Q_EMIT looksChanged();
    keepSoon();
}

void Project::setResultsFolder(const QString& folder) {
    resultsFolder_ = folder;
    keepSoon();
}

void Project::setChosen(const std::set<std::string>& names) {
    chosen_ = names;
    Q_EMIT targetsChanged();
    keepSoon();
}

void Project::setChosen(const std::string& name, bool on) {
    auto names = chosen_;
    on ? void(names.insert(name)) : void(names.erase(name));
    setChosen(names);
}

std::vector<Target> Project::ticked() const {
    std::vector<Target> all;
    for (const Target& t : targets_)
        if (watched_.contains(t.name) && chosen_.contains(t.name)) all.push_back(t);
    return all;
}

std::optional<Target> Project::targetOnTable() const {
    const Target* t = target(onTable_);
    return t ? std::optional(*t) : std::nullopt;
}

void Project::putOnTable(const std::string& name) {
    if (name == onTable_) return;
    onTable_ = name;
    stroke_.clear();
    Q_EMIT onTableChanged();
    keepSoon();
}

void Project::tell(const Error& e) {
    if (QThread::currentThread() != thread()) return onInterface(this, [=, this] { tell(e); });
    const QString file = QString::fromStdString(e.file);
    const auto c = std::ranges::find(clips_, file, [](const auto& c) { return c->path; });
    // What reads on in a file that was written anew fails, and the clip is read again soon.
    if (c != clips_.end() && (*c)->clip && (*c)->clip->wasRewritten())
        return logLine("written anew: " + file + ": " + QString::fromStdString(e.reason));
    Q_EMIT problem(file, QString::fromStdString(e.reason), QString::fromStdString(e.remedy));
}

void ClipEntry::bringBack(std::vector<State>& from) {
    ticket = from.back().ticket, stretches = from.back().stretches;
    from.pop_back();
    // The ticket's own is not among the further ones.
    if (ticket.stretch.on) std::erase(stretches, std::pair(ticket.stretch.from, ticket.stretch.to));
}

void Project::undo() {
    if (undoBringsBack_) return bringClipsBack();
    ClipEntry* c = currentClip();
    if (!c || c->past.empty()) return;
    ticketStep();
    c->future.push_back({c->ticket, c->stretches});
    c->bringBack(c->past);
    stroke_.clear();
    Q_EMIT stretchesChanged();
    Q_EMIT ticketChanged();
    keepSoon();
}

void Project::redo() {
    if (!redoTakesOff_.empty()) return takeOffAgain();
    ClipEntry* c = currentClip();
    if (!c || c->future.empty()) return;
    c->past.push_back({c->ticket, c->stretches});
    c->bringBack(c->future);
    stroke_.clear();
    Q_EMIT stretchesChanged();
    Q_EMIT ticketChanged();
    keepSoon();
}

void Project::setPlayhead(std::int64_t frame) {
    ClipEntry* c = currentClip();
    if (!c || !c->clip) return;
    frame = std::clamp<std::int64_t>(frame, 0, c->clip->frameCount() - 1);
    if (frame == c->playhead) return;
    c->playhead = frame;
    Q_EMIT playheadMoved();
    Q_EMIT playheadChanged();
    keepSoon();
}

void Project::setSpots(const std::vector<Spot>& spots) {
    if (ClipEntry* c = currentClip()) {
        c->spots = spots;
        Q_EMIT spotsChanged();
        keepSoon();
    }
}

void Project::keepTicket() {
    if (ClipEntry* c = currentClip()) {
        c->kept = c->ticket;
        Q_EMIT ticketChanged();
        keepSoon();
    }
}

void Project::swapKept() {
    ClipEntry* c = currentClip();
    if (!c || !c->kept) return;
    const Ticket other = *c->kept;
    c->kept = c->ticket;
    change(other);
}

void Project::forgetKept() {
    if (ClipEntry* c = currentClip()) {
        c->kept.reset();
        Q_EMIT ticketChanged();
        keepSoon();
    }
}

void Project::setStretches(std::vector<std::pair<double, double>> stretches) {
    if (ClipEntry* c = currentClip()) {
        c->stretches = std::move(stretches);
        Q_EMIT stretchesChanged();
        keepSoon();
    }
}

void Project::setTicketOf(int clip, const Ticket& ticket) {
    if (clip < 0 || clip >= count()) return;
    if (clip == current_) return change(ticket);
    ClipEntry& c = at(clip);
    if (c.ticket == ticket) return;
    c.past.push_back({c.ticket, c.stretches});
    ticketStep();
    c.future.clear();
    c.ticket = ticket;
    Q_EMIT shelfChanged();
    keepSoon();
}

void Project::setOn(const std::vector<int>& clips, const std::map<std::string, std::string>& settings) {
    for (const int i : clips) {
        if (i < 0 || i >= count()) continue;
        Ticket t = at(i).ticket;
        for (const auto& [key, value] : settings) setByKey(t, key, value);
        setTicketOf(i, t);
    }
}

void Project::copyTicketTo(const std::vector<int>& clips, const std::string& step) {
    const ClipEntry* from = currentClip();
    if (!from) return;
    const json source = ulm::toJson(from->ticket);
    for (const int i : clips) {
        if (i < 0 || i >= count() || i == current_) continue;
        json to = ulm::toJson(at(i).ticket);
        for (const StepHead& s : stepHeads()) { // a stretch belongs to one clip's own time
            if (s.key == "stretch" || (!step.empty() && s.key != step)) continue;
            to[s.key] = source.at(s.key);
            copyOwn(s.key, source, to);
        }
        setTicketOf(i, ticketFromJson(to, from->path.toStdString()));
    }
}

void Project::chooseSpots(const std::vector<Rect>& windows, int apart) {
    ClipEntry* c = currentClip();
    if (!c || !c->inspection || !std::ranges::all_of(c->spots, &Spot::automatic)) return;
    std::vector<Spot> spots;
    for (const WatchPlace& p : choosePlaces(*c->inspection, windows, apart))
        if (spots.size() < 4)
            spots.push_back({QString::fromStdString(p.what), p.frame, double(p.x), double(p.y), true});
    if (spots != c->spots) setSpots(spots);
}

nlohmann::json Project::session() const {
    json clips = json::array();
    for (const auto& c : clips_) {
        json spots = json::array();
        for (const Spot& s : c->spots) spots.push_back(toJson(s));
        json one = {{"path", c->path.toStdString()},
                    {"ticket", ulm::toJson(c->ticket)},
                    {"spots", spots},
                    {"stretches", c->stretches},
                    {"playhead", c->playhead}};
        if (c->kept) one["kept"] = ulm::toJson(*c->kept);
        clips.push_back(one);
    }
    json all = {{"clips", clips},      {"current", current_}, {"night", night_},      {"phone_height", phoneHeight_},
                {"watched", watched_}, {"chosen", chosen_},   {"on_table", onTable_}, {"runs", runs}};
    if (!windowPlace_.isEmpty()) all["window"] = windowPlace_.toBase64().toStdString();
    if (!ownLooks_.isEmpty()) all["looks"] = ownLooks_.toStdString();
    if (!resultsFolder_.isEmpty()) all["results"] = resultsFolder_.toStdString();
    if (plan_) all["cores"] = plan_->cores, all["memory_mb"] = plan_->memory >> 20;
    return all;
}

void Project::keepSoon() {
    if (!file_.isEmpty() && !keep_.isActive()) keep_.start();
}

void Project::keepNow() {
    keep_.stop();
    if (file_.isEmpty()) return;
    const std::string text = session().dump(1), file = file_.toStdString();
    const QPointer<QObject> self(this);
    const auto write = [this, self, text, file, number = ++keepNumber_] {
        // One writer at a time, and never an older session over a newer one.
        std::lock_guard lock(writing_);
        if (number < written_) return;
        written_ = number;
        try {
            writeFileWhole(file, text);
        } catch (const Error& e) {
            const QString reason = QString::fromStdString(e.reason);
            onInterface(self, [=, this] {
                Q_EMIT problem(file_, tr("The session cannot be kept: %1").arg(reason),
                               tr("Make room on the disk; your work is safe while the window is open."));
            });
        }
    };
    if (closing_.cancelled())
        write();
    else
        inBackground(Lane::Quick, write);
}

} // namespace ulm::app
