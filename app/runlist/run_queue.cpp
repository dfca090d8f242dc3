#include "app/runlist/run_queue.h"

#include "app/project/log.h"
#include "app/words/sentences.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <cstring>

namespace ulm::app {
namespace {

constexpr auto kEnding = ".mp4";
constexpr int kLongestName = 200; // bytes; file systems take 255, of which the hidden part and a number need some

using nlohmann::json;

bool sameWork(const RunItem& a, const RunItem& b) {
    const auto card = [](const RunItem& r) { return r.target ? toJson(*r.target) : json(); };
    return a.clip == b.clip && a.ticket == b.ticket && card(a) == card(b);
}

} // namespace

RunQueue::RunQueue(Project& project, QObject* parent) : QObject(parent), project_(project) {
    connect(&project, &Project::clipMoved, this, [this](const QString& from, const QString& to) {
        for (RunItem& r : items_) {
            if (r.clip != from || r.state == RunItem::State::Running) continue;
            r.clip = to;
            if (r.state == RunItem::State::Waiting) r.output = outputName(r);
        }
        keep();
        Q_EMIT changed();
    });
}

RunQueue::~RunQueue() { worker_.stop(); }

// A name that no file has, and no other run that may still write one.
QString RunQueue::outputName(const RunItem& r) const {
    const QFileInfo clip(r.clip);
    const QString byRule =
        clip.completeBaseName() + "-" + (r.target ? QString::fromStdString(r.target->name) : QStringLiteral("ready"));
    const QString stem = (folder().isEmpty() ? clip.path() : folder()) + "/" + (r.name.isEmpty() ? byRule : r.name);
    for (int n = 1;; ++n) {
        const QString name = stem + (n > 1 ? QString("-%1").arg(n) : "") + kEnding;
        const bool taken = std::ranges::any_of(items_, [&](const RunItem& o) { return &o != &r && o.output == name; });
        if (!taken && !QFileInfo::exists(name)) return name;
    }
}

void RunQueue::setFolder(const QString& folder) {
    project_.setResultsFolder(folder);
    for (RunItem& r : items_)
        if (r.state == RunItem::State::Waiting) r.output = outputName(r);
    keep();
    Q_EMIT changed();
}

void RunQueue::restore() {
    if (!project_.runs.is_array()) return;
    for (const json& j : project_.runs) try {
            RunItem r;
            r.clip = QString::fromStdString(j.at("clip").get<std::string>());
            r.output = QString::fromStdString(j.at("output").get<std::string>());
            r.ticket = ticketFromJson(j.at("ticket"), "session");
            if (j.contains("target")) r.target = targetFromJson(j["target"], "session");
            const std::string state = j.value("state", "waiting");
            r.state = state == "done"        ? RunItem::State::Done
                      : state == "failed"    ? RunItem::State::Failed
                      : state == "cancelled" ? RunItem::State::Cancelled
                                             : RunItem::State::Waiting;
            r.words = QString::fromStdString(j.value("words", ""));
            r.name = QString::fromStdString(j.value("name", ""));
            r.interrupted = j.value("interrupted", 0);
            if (state == "running") {
                r.words = tr("Was interrupted; starts again.");
                // What may itself have ended the program is not started over and over.
                if (++r.interrupted > 1) {
                    r.state = RunItem::State::Failed;
                    r.words = tr("The program ended twice while this ran: it is not started by itself any more. Try it "
                                 "again alone, or with less: a smaller size, fewer steps.");
                }
            }
            items_.push_back(r);
        } catch (const std::exception&) { // an entry that makes no sense is left out; the others still run
        }
    Q_EMIT changed();
    startNext();
}

void RunQueue::keep() {
    json all = json::array();
    static const char* kStates[] = {"waiting", "running", "done", "failed", "cancelled"};
    for (const RunItem& r : items_) {
        json j = {{"clip", r.clip.toStdString()},   {"output", r.output.toStdString()},
                  {"ticket", toJson(r.ticket)},     {"state", kStates[static_cast<int>(r.state)]},
                  {"words", r.words.toStdString()}, {"interrupted", r.interrupted}};
        if (r.target) j["target"] = toJson(*r.target);
        if (!r.name.isEmpty()) j["name"] = r.name.toStdString();
        all.push_back(j);
    }
    project_.runs = all;
    project_.keepSoon();
}

int RunQueue::add(const ClipEntry& c, const std::vector<Target>& targets) {
    std::vector<std::optional<Target>> wanted(targets.begin(), targets.end());
    if (wanted.empty()) wanted.push_back(std::nullopt);
    int added = 0;
    for (const auto& t : wanted) {
        RunItem r;
        r.clip = c.path;
        r.ticket = c.ticket;
        r.target = t;
        if (std::ranges::any_of(items_, [&](const RunItem& o) { return isOpen(o) && sameWork(o, r); })) continue;
        r.output = outputName(r);
        items_.push_back(r);
        ++added;
    }
    keep();
    Q_EMIT changed();
    startNext();
    return added;
}

void RunQueue::startNext() {
    if (running_ >= 0) return;
    const auto next = std::ranges::find(items_, RunItem::State::Waiting, &RunItem::state);
    if (next == items_.end()) return;
    running_ = static_cast<int>(next - items_.begin());
    project_.rendering = true;
    next->state = RunItem::State::Running;
    next->words.clear();
    next->progress = {};
    if (QFileInfo::exists(next->output)) next->output = outputName(*next); // taken meanwhile
    const std::uint64_t round = ++round_;
    ExportJob job{next->clip.toStdString(), next->output.toStdString(), next->ticket, next->target};
    job.forecasts = project_.forecasts();
    for (int i = 0; i < project_.count(); ++i)
        if (const ClipEntry& c = project_.at(i); c.path == next->clip && c.clip && !c.clip->wasRewritten())
            job.inspection = c.inspection;
    keep();
    Q_EMIT changed();
    const QPointer<QObject> self(this);
    worker_.submit([this, self, job, round](const CancelToken& cancel) {
        RunItem::State state = RunItem::State::Failed;
        QString words, reason, remedy, output, file = QString::fromStdString(job.source);
        try {
            const ExportReport r = exportClip(job, cancel, [&](const ExportProgress& p) {
                onInterface(self, [=, this] {
                    if (round != round_ || running_ < 0) return;
                    items_[static_cast<std::size_t>(running_)].progress = p;
                    Q_EMIT progressed(running_);
                });
            });
            state = RunItem::State::Done;
            words = tr("%1, %2 s, %3")
                        .arg(byteText(double(r.bytes)))
                        .arg(r.seconds, 0, 'f', 1)
                        .arg(counted(std::size_t(r.frames), tr("1 frame"), tr("%1 frames")));
            if (r.limitBytes)
                words += tr("; %1 % of the limit").arg(100.0 * double(r.bytes) / double(r.limitBytes), 0, 'f', 1);
            if (r.lostFrames)
                words += counted(std::size_t(r.lostFrames), tr("; 1 frame was damaged in the source"),
                                 tr("; %1 frames were damaged in the source"));
            for (const std::string& remark : r.later) words += "; " + QString::fromStdString(remark);
            output = QString::fromStdString(r.output);
        } catch (const Cancelled&) {
            state = RunItem::State::Cancelled;
            words = tr("nothing was left behind");
        } catch (const Error& e) {
            reason = QString::fromStdString(e.reason);
            remedy = QString::fromStdString(e.remedy);
            if (!e.file.empty()) file = QString::fromStdString(e.file);
            words = reason + (remedy.isEmpty() ? "." : ". " + remedy);
        }
        onInterface(self, [=, this] {
            if (round != round_ || running_ < 0) return;
            RunItem& r = items_[static_cast<std::size_t>(running_)];
            r.state = state;
            r.words = words;
            r.interrupted = 0;
            if (!output.isEmpty()) { // its name may have been taken meanwhile, or it got another while it ran
                const bool renamed = r.output != QString::fromStdString(job.output);
                const QString wanted = renamed ? outputName(r) : output;
                r.output = renamed && QFile::rename(output, wanted) ? wanted : output;
            }
            logLine(r.clip + " → " + r.output + ": " + (state == RunItem::State::Cancelled ? "cancelled; " : "") +
                    words);
            running_ = -1;
            project_.rendering = false;
            keep();
            Q_EMIT changed();
            if (state == RunItem::State::Failed) Q_EMIT failed(file, reason, remedy);
            startNext();
        });
    });
}

void RunQueue::cancel(int i) {
    if (i < 0 || i >= static_cast<int>(items_.size())) return;
    RunItem& r = items_[static_cast<std::size_t>(i)];
    if (i == running_ && !worker_.stop()) return; // it tells when it has stopped
    if (r.state != RunItem::State::Waiting && r.state != RunItem::State::Running) return;
    r.state = RunItem::State::Cancelled;
    if (i == running_) running_ = -1, project_.rendering = false;
    keep();
    Q_EMIT changed();
    startNext();
}

void RunQueue::remove(int i) {
    if (i < 0 || i >= static_cast<int>(items_.size()) || i == running_) return;
    items_.erase(items_.begin() + i);
    if (running_ > i) --running_;
    keep();
    Q_EMIT changed();
}

void RunQueue::cancelAll() {
    for (RunItem& r : items_)
        if (r.state == RunItem::State::Waiting) r.state = RunItem::State::Cancelled;
    keep();
    Q_EMIT changed();
    cancel(running_);
}

void RunQueue::removeFinished() {
    for (int i = static_cast<int>(items_.size()) - 1; i >= 0; --i)
        if (!isOpen(items_[static_cast<std::size_t>(i)])) remove(i);
}

void RunQueue::allAgain() {
    for (int i = 0; i < static_cast<int>(items_.size()); ++i)
        if (isGivenUp(items_[static_cast<std::size_t>(i)])) again(i);
}

bool RunQueue::rename(int i, const QString& typed) {
    if (i < 0 || i >= static_cast<int>(items_.size())) return false;
    RunItem& r = items_[static_cast<std::size_t>(i)];
    const QFileInfo was(r.output);
    QString name = typed.trimmed();
    if (name.endsWith(kEnding, Qt::CaseInsensitive)) name.chop(static_cast<int>(std::strlen(kEnding)));
    if (name == was.completeBaseName()) return true;
    const QString output = was.path() + "/" + name + kEnding;
    const auto refuse = [&](const QString& reason, const QString& remedy) {
        Q_EMIT failed(r.output, reason, remedy);
        return false;
    };
    const bool odd =
        std::ranges::any_of(name, [](QChar c) { return c == '/' || c.category() == QChar::Other_Control; });
    if (name.isEmpty() || name.startsWith('.') || odd)
        return refuse(tr("it cannot be called “%1”").arg(typed),
                      tr("Choose a name without “/” that does not begin with a dot."));
    if (name.toUtf8().size() > kLongestName)
        return refuse(tr("its name would be too long"), tr("Choose a shorter one."));
    const bool wanted = std::ranges::any_of(items_, [&](const RunItem& o) { return &o != &r && o.output == output; });
    if (wanted || QFileInfo::exists(output))
        return refuse(tr("another file is called “%1”").arg(name + kEnding), tr("Choose another name."));
    if (r.state == RunItem::State::Done && !QFile::rename(r.output, output))
        return refuse(tr("it could not be renamed"),
                      tr("See whether it is still there, and whether its folder may be written to."));
    r.name = name, r.output = output;
    keep();
    Q_EMIT changed();
    return true;
}

void RunQueue::again(int i) {
    if (i < 0 || i >= static_cast<int>(items_.size()) || i == running_) return;
    RunItem& r = items_[static_cast<std::size_t>(i)];
    r.state = RunItem::State::Waiting;
    r.words.clear();
    r.interrupted = 0;
    r.output = outputName(r);
    keep();
    Q_EMIT changed();
    startNext();
}

} // namespace ulm::app
