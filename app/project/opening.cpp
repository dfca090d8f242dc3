// Clips are opened and looked over beside the window, and again where their files were written anew.
#include "app/project/log.h"
#include "app/project/project.h"
#include "app/tasks/background.h"
#include "app/tasks/image.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/pipeline/delivery.h"

#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>

namespace ulm::app {
namespace {

// Near the middle, and soon decoded: a key frame, where one lies in the middle half.
std::int64_t firstLook(const Clip& c) {
    const std::int64_t middle = c.frameCount() / 2;
    for (std::int64_t away = 0; away <= middle / 2; ++away)
        for (const std::int64_t n : {middle - away, middle + away})
            if (n < c.frameCount() && c.frames()[static_cast<std::size_t>(n)].key) return n;
    return middle;
}

// Spots that a person placed stay where there still is a picture; the others are chosen anew.
void keepOwnSpots(std::vector<Spot>& spots, const Clip& clip) {
    const VideoFacts& v = clip.facts().video;
    std::erase_if(spots, [&](const Spot& s) {
        return s.automatic || s.frame >= clip.frameCount() || s.x >= v.width || s.y >= v.height;
    });
}

} // namespace

void Project::openInBackground(const std::shared_ptr<ClipEntry>& entry, Opening how) {
    entry->opening = true;
    const QPointer<QObject> self(this);
    inBackground(Lane::Quick, [this, self, entry, how, cancel = entry->work] {
        ClipPtr clip;
        std::optional<Ticket> beside;
        std::optional<Error> failed;
        FileState state = FileState::of(entry->path.toStdString());
        try {
            clip = Clip::openVideo(entry->path.toStdString(), cancel);
            state = clip->state();
            // A ticket that lies beside the clip under its name belongs to it.
            const QString ticket =
                QFileInfo(entry->path).path() + "/" + QFileInfo(entry->path).completeBaseName() + ".ticket.json";
            if (how == Opening::New && QFileInfo::exists(ticket)) beside = loadTicket(ticket.toStdString());
        } catch (const Error& e) {
            failed = e;
        } catch (const std::exception& e) {
            failed = Error(Fault::Input, entry->path.toStdString(), e.what(), "");
        }
        onInterface(self, [=, this] {
            entry->opening = false;
            entry->opened = entry->seen = state;
            if (indexOf(entry.get()) < 0 || closing_.cancelled()) return;
            if (failed && !clip) return notOpened(entry, how, *failed);
            if (failed) tell(*failed);
            if (beside) entry->ticket = *beside;
            opened(entry, how, clip);
        });
    });
}

void Project::notOpened(const std::shared_ptr<ClipEntry>& entry, Opening how, const Error& why) {
    entry->problem = QString::fromStdString(why.reason);
    entry->clip.reset(), entry->reader.reset(), entry->inspection.reset();
    entry->fit = 0;
    const int index = indexOf(entry.get());
    const bool shown = index == current_, isNew = how == Opening::New;
    // What is being written anew may not be whole yet: its card and its ticket say so until it is.
    if (how != Opening::Again) Q_EMIT problem(entry->path, entry->problem, QString::fromStdString(why.remedy));
    if (isNew) drop(index), keepSoon();
    Q_EMIT shelfChanged();
    if (shown || isNew) Q_EMIT currentChanged();
}

void Project::opened(const std::shared_ptr<ClipEntry>& entry, Opening how, const ClipPtr& clip) {
    const int index = indexOf(entry.get());
    const bool isNew = how == Opening::New;
    logLine((how == Opening::Again ? "opened again " : "opened ") + entry->path);
    entry->clip = clip;
    entry->reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(48) << 20);
    entry->problem.clear();
    if (how == Opening::Again) { // nothing that was found of the other file holds
        entry->inspection.reset(), entry->partial.reset();
        entry->notInspected.clear();
        entry->inspecting = 0, entry->fit = 0;
        entry->readAgain = QTime::currentTime();
        keepOwnSpots(entry->spots, *clip);
    }
    entry->playhead = std::clamp<std::int64_t>(entry->playhead, 0, clip->frameCount() - 1);
    if (isNew && entry->playhead == 0) entry->playhead = firstLook(*clip);
    if (current_ < 0) current_ = index;
    Q_EMIT shelfChanged();
    if (index == current_) Q_EMIT currentChanged();
    if (isNew && std::exchange(showNew_, false)) setCurrent(index);
    keepSoon();
    // The first picture comes first: what follows would compete with it for the processor.
    QTimer::singleShot(250, this, [this, entry, clip] {
        if (entry->clip != clip) return;
        drawThumbnail(entry);
        inspect(entry);
    });
}

// Clips are often made anew under their names while they are on the shelf. Looked for again and again, since notices of
// the file system do not come from every disk, and only beside the window, since a slow one may take its time.
void Project::lookForRewritten() {
    if (looks_ || clips_.empty()) return;
    looks_ = true;
    const QPointer<QObject> self(this);
    std::vector<std::string> paths;
    for (const auto& c : clips_) paths.push_back(c->path.toStdString());
    inBackground(Lane::Quick, [this, self, clips = clips_, paths] {
        std::vector<FileState> found;
        for (const std::string& p : paths) found.push_back(FileState::of(p));
        onInterface(self, [this, clips, found] {
            looks_ = false;
            for (std::size_t i = 0; i < clips.size(); ++i) {
                const auto& c = clips[i];
                if (indexOf(c.get()) < 0 || c->opening || !found[i].isThere() || found[i] == c->opened) continue;
                // What still changes is still being written.
                if (found[i] != std::exchange(c->seen, found[i])) continue;
                c->work.cancel();
                c->work = CancelToken();
                openInBackground(c, c->opened.isThere() ? Opening::Again : Opening::Kept);
            }
        });
    });
}

void Project::drawThumbnail(const std::shared_ptr<ClipEntry>& entry) {
    const QPointer<QObject> self(this);
    inBackground(Lane::Thumbnails, [this, self, entry, cancel = entry->work, clip = entry->clip] {
        try {
            const auto source = std::make_shared<SourceStage>(
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 1 << 20));
            Engine once(0);
            const QImage small = wholeImage(once, *asRgb(source), firstLook(*clip), cancel)
                                     .scaled(160, 90, Qt::KeepAspectRatio, Qt::SmoothTransformation);
            onInterface(self, [=, this] {
                if (entry->clip != clip) return;
                entry->thumbnail = small;
                Q_EMIT shelfChanged();
            });
        } catch (const Error&) { // the table and the inspection tell what cannot be decoded
        }
    });
}

QString Project::inspectionFile(const ClipEntry& entry) const {
    if (file_.isEmpty()) return {};
    const QByteArray name = QCryptographicHash::hash(entry.identity().toUtf8(), QCryptographicHash::Sha1);
    return QFileInfo(file_).path() + "/inspections/" + name.toHex() + ".json";
}

void Project::inspect(const std::shared_ptr<ClipEntry>& entry) {
    const QPointer<QObject> self(this);
    const auto still = [entry, clip = entry->clip] { return entry->clip == clip; }; // its file is the same
    inBackground(Lane::Long,
                 [this, self, entry, still, cancel = entry->work, clip = entry->clip, file = inspectionFile(*entry)] {
                     try {
                         std::shared_ptr<Inspection> found;
                         if (!file.isEmpty() && QFileInfo::exists(file)) try {
                                 found = std::make_shared<Inspection>(
                                     inspectionFromJson(readJsonFile(file.toStdString()), file.toStdString()));
                             } catch (const Error&) { // of an older version, or damaged: looked over anew
                             }
                         if (!found) {
                             double told = -1; // that it began is told at once
                             InspectWatch watch;
                             watch.onProgress = [&](double done) {
                                 if (done - told < 0.05) return;
                                 told = done;
                                 onInterface(self, [=, this] {
                                     if (!still()) return;
                                     entry->inspecting = std::max(done, 0.001);
                                     if (const int i = indexOf(entry.get()); i >= 0) Q_EMIT inspectionChanged(i);
                                 });
                             };
                             watch.onPartial = [&](const Inspection& soFar) {
                                 onInterface(self, [entry, still, part = std::make_shared<const Inspection>(soFar)] {
                                     if (still()) entry->partial = part;
                                 });
                             };
                             found = std::make_shared<Inspection>(inspectClip(clip, cancel, watch));
                             if (!file.isEmpty()) {
                                 QDir().mkpath(QFileInfo(file).path());
                                 writeFileWhole(file.toStdString(), toJson(*found, clip->facts()).dump());
                             }
                         }
                         onInterface(self, [=, this] {
                             if (!still()) return;
                             entry->inspection = found;
                             entry->partial.reset();
                             entry->inspecting = 0;
                             const int i = indexOf(entry.get());
                             if (i < 0) return;
                             Q_EMIT inspectionChanged(i);
                             keepSoon();
                         });
                     } catch (const Error& e) {
                         if (e.fault == Fault::Cancelled) return;
                         onInterface(self, [=, this] {
                             if (!still()) return;
                             entry->notInspected = QString::fromStdString(e.reason);
                             entry->inspecting = 0;
                             if (const int i = indexOf(entry.get()); i >= 0) Q_EMIT inspectionChanged(i);
                             tell(Error(e.fault, entry->path.toStdString(), e.reason, e.remedy));
                         });
                     }
                 });
}

} // namespace ulm::app
