#pragma once

#include "core/engine/region_cache.h"

#include <functional>
#include <map>
#include <string>

namespace ulm {

/// Pulls regions through a graph of stages, keeping what is worth keeping. Thread safe; pull() itself uses the
/// calling thread only, so callers choose how to go parallel (over tiles, over frames, over spots).
class Engine {
public:
    explicit Engine(std::size_t cacheBytes) : cache_(cacheBytes) {}

    /// The samples of `region` (clipped to the frame, must not be empty) of frame `frame` of `stage`.
    /// Throws Cancelled, or what a stage throws (Error for unreadable input).
    /// keep: Inputs computes the region anew and keeps only what lies before it, for results used once.
    enum class Keep { All, Inputs };
    Picture pull(const Stage& stage, std::int64_t frame, const Rect& region, const CancelToken& cancel,
                 Keep keep = Keep::All);

    /// Calls `onTile` with every finished tile of `region` as it comes, from several threads at once, nearest to
    /// `first` (luma pixels) first. Returns when all are done. Throws as pull() does.
    void pullTiles(const Stage& stage, std::int64_t frame, const Rect& region, int tile, int firstX, int firstY,
                   const CancelToken& cancel, const std::function<void(const Picture&)>& onTile);

    RegionCache& cache() { return cache_; }

    /// Seconds spent inside each kind of stage so far, by name, and how often it ran.
    struct Spent {
        double seconds = 0;
        std::int64_t calls = 0;
    };
    std::map<std::string, Spent> spent() const;

private:
    Picture computeRegion(const Stage&, std::int64_t frame, const Rect&, const CancelToken&);

    RegionCache cache_;
    mutable std::mutex spentMutex_;
    std::map<std::string, Spent> spent_;
};

} // namespace ulm
