// Clips taken off the shelf, and brought back as they were.
#include "app/project/project.h"

#include <algorithm>

namespace ulm::app {

void Project::drop(int index) {
    clips_.erase(clips_.begin() + index);
    if (current_ >= index && current_ > 0) --current_;
    current_ = std::min(current_, count() - 1);
}

void Project::takeOff(std::vector<int> indices) {
    std::ranges::sort(indices);
    indices.erase(std::ranges::unique(indices).begin(), indices.end());
    std::erase_if(indices, [&](int i) { return i < 0 || i >= count(); });
    if (indices.empty()) return;
    for (const TakenOff& t : takenOff_) t.entry->work.cancel();
    takenOff_.clear();
    for (const int i : indices) {
        const auto& entry = clips_[std::size_t(i)];
        if (entry->reader) entry->reader->rest();
        takenOff_.push_back({i, i == current_, entry});
    }
    for (std::size_t k = indices.size(); k-- > 0;) drop(indices[k]);
    undoBringsBack_ = true;
    redoTakesOff_.clear();
    Q_EMIT shelfChanged();
    Q_EMIT currentChanged();
    keepSoon();
}

QStringList Project::takenOff() const {
    QStringList all;
    for (const TakenOff& t : takenOff_) all << t.entry->name();
    return all;
}

void Project::bringClipsBack() {
    ticketStep();
    int shown = -1;
    for (const TakenOff& t : std::exchange(takenOff_, {})) {
        // One that was added again meanwhile stays as it is now.
        if (std::ranges::any_of(clips_, [&](const auto& c) { return c->path == t.entry->path; })) continue;
        const int place = std::min(t.place, count());
        clips_.insert(clips_.begin() + place, t.entry);
        redoTakesOff_.push_back(t.entry);
        if (current_ >= place) ++current_;
        if (shown < 0 || t.current) shown = place;
        // That it was opened was told to nobody; looking it over went on meanwhile.
        if (!t.entry->clip && t.entry->problem.isEmpty()) openInBackground(t.entry, Opening::Kept);
    }
    if (shown >= 0) current_ = shown;
    stroke_.clear();
    Q_EMIT shelfChanged();
    Q_EMIT currentChanged();
    keepSoon();
}

void Project::takeOffAgain() {
    std::vector<int> places;
    for (const auto& entry : redoTakesOff_) places.push_back(indexOf(entry.get()));
    redoTakesOff_.clear();
    takeOff(places);
}

void Project::ticketStep() {
    undoBringsBack_ = false;
    redoTakesOff_.clear();
}

} // namespace ulm::app
