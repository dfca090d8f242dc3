#pragma once

#include "core/engine/stage.h"

#include <condition_variable>
#include <list>
#include <mutex>
#include <optional>
#include <unordered_map>

namespace ulm {

/// Computed regions, found again by (stage key, frame, any region that contains the one asked for), bounded by a
/// memory budget; the least recently used go first. A region being computed by one thread is awaited by others.
///
/// Why whole regions and not a fixed grid of tiles: a spot stays where it is while a slider moves, so its exact regions
/// come back again and again; rounding each one of a chain of stages out to grid tiles costs several times its area.
/// Thread safe.
class RegionCache {
public:
    explicit RegionCache(std::size_t budgetBytes) : budget_(budgetBytes) {}

    /// A kept picture covering `region`, narrowed to it. Otherwise empty, and the caller now owns the computation: it
    /// must call finish() or abandon() with the same arguments. Waits for a region that another computes; throws
    /// Cancelled where `cancel` says so meanwhile.
    std::optional<Picture> findOrClaim(Key stage, std::int64_t frame, const Rect& region, const CancelToken& cancel);
    void finish(Key stage, std::int64_t frame, const Rect& region, const Picture& result);
    void abandon(Key stage, std::int64_t frame, const Rect& region);

    /// A kept picture covering `region`, or nothing; never waits.
    std::optional<Picture> peek(Key stage, std::int64_t frame, const Rect& region);

    std::size_t bytes() const;
    std::size_t budget() const;
    void setBudget(std::size_t bytes);
    void clear();

private:
    struct Place {
        Key stage;
        std::int64_t frame;
        bool operator==(const Place&) const = default;
    };
    struct PlaceHash {
        std::size_t operator()(const Place& p) const {
            return p.stage ^ (static_cast<std::uint64_t>(p.frame) * 0x9E3779B97F4A7C15ull);
        }
    };
    struct Entry {
        Place place;
        Rect region;
        std::optional<Picture> picture; ///< empty while being computed
        std::size_t bytes = 0;
    };
    using Entries = std::list<Entry>;

    std::optional<Entries::iterator> covering(const Place&, const Rect&);
    Entries::iterator claimed(const Place&, const Rect&);
    void drop(Entries::iterator);
    void trim();

    mutable std::mutex mutex_;
    std::condition_variable ready_;
    std::size_t budget_, bytes_ = 0;
    Entries entries_; ///< most recently used first
    std::unordered_map<Place, std::vector<Entries::iterator>, PlaceHash> index_;
};

} // namespace ulm
