#include "core/engine/region_cache.h"

namespace ulm {

std::optional<RegionCache::Entries::iterator> RegionCache::covering(const Place& place, const Rect& region) {
    const auto found = index_.find(place);
    if (found == index_.end()) return std::nullopt;
    std::optional<Entries::iterator> pending;
    for (const auto& it : found->second) {
        if (!it->region.contains(region)) continue;
        if (it->picture) return it;
        // Waiting for a far larger region than the one asked for would cost more than computing this one.
        if (it->region.pixels() <= 2 * region.pixels()) pending = it;
    }
    return pending;
}

std::optional<Picture> RegionCache::findOrClaim(Key stage, std::int64_t frame, const Rect& region,
                                                const CancelToken& cancel) {
    const Place place{stage, frame};
    std::unique_lock lock(mutex_);
    for (;;) {
        const auto it = covering(place, region);
        if (!it) break;
        if ((*it)->picture) {
            entries_.splice(entries_.begin(), entries_, *it);
            return (*it)->picture->view(region);
        }
        ready_.wait_for(lock, std::chrono::milliseconds(20)); // nobody wakes those who are cancelled
        cancel.check();
    }
    entries_.push_front({place, region, std::nullopt, 0});
    index_[place].push_back(entries_.begin());
    return std::nullopt;
}

std::optional<Picture> RegionCache::peek(Key stage, std::int64_t frame, const Rect& region) {
    std::lock_guard lock(mutex_);
    const auto it = covering({stage, frame}, region);
    if (!it || !(*it)->picture) return std::nullopt;
    return (*it)->picture->view(region);
}

RegionCache::Entries::iterator RegionCache::claimed(const Place& place, const Rect& region) {
    for (const auto& it : index_.at(place))
        if (!it->picture && it->region == region) return it;
    throw std::logic_error("RegionCache: a region was finished that was never claimed");
}

void RegionCache::finish(Key stage, std::int64_t frame, const Rect& region, const Picture& result) {
    std::lock_guard lock(mutex_);
    const auto it = claimed({stage, frame}, region);
    it->picture = result;
    it->bytes = result.bufferBytes();
    bytes_ += it->bytes;
    trim();
    ready_.notify_all();
}

void RegionCache::abandon(Key stage, std::int64_t frame, const Rect& region) {
    std::lock_guard lock(mutex_);
    drop(claimed({stage, frame}, region));
    ready_.notify_all();
}

void RegionCache::drop(Entries::iterator it) {
    const auto at = index_.find(it->place);
    std::erase(at->second, it);
    if (at->second.empty()) index_.erase(at);
    bytes_ -= it->bytes;
    entries_.erase(it);
}

void RegionCache::trim() {
    auto it = entries_.end();
    while (bytes_ > budget_ && it != entries_.begin()) {
        --it;
        if (!it->picture) continue; // being computed
        const auto victim = it++;
        drop(victim);
    }
}

std::size_t RegionCache::bytes() const {
    std::lock_guard lock(mutex_);
    return bytes_;
}

std::size_t RegionCache::budget() const {
    std::lock_guard lock(mutex_);
    return budget_;
}

void RegionCache::setBudget(std::size_t bytes) {
    std::lock_guard lock(mutex_);
    budget_ = bytes;
    trim();
}

void RegionCache::clear() {
    std::lock_guard lock(mutex_);
    for (auto it = entries_.begin(); it != entries_.end();) {
        const auto here = it++;
        if (here->picture) drop(here);
    }
}

} // namespace ulm
