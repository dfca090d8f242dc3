#include "core/engine/engine.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

namespace ulm {

Picture Engine::pull(const Stage& stage, std::int64_t frame, const Rect& wanted, const CancelToken& cancel, Keep keep) {
    const Rect region = wanted.intersected(stage.format().frame());
    if (region.empty()) throw std::logic_error("Engine::pull: the region lies outside the frame");
    if (frame < 0 || frame >= stage.frames()) throw std::logic_error("Engine::pull: there is no such frame");
    cancel.check();
    if (keep == Keep::Inputs || !stage.worthKeeping()) return computeRegion(stage, frame, region, cancel);
    if (auto kept = cache_.findOrClaim(stage.key(), frame, region, cancel)) return *kept;
    try {
        const Picture result = computeRegion(stage, frame, region, cancel);
        cache_.finish(stage.key(), frame, region, result);
        return result;
    } catch (...) {
        cache_.abandon(stage.key(), frame, region);
        throw;
    }
}

Picture Engine::computeRegion(const Stage& stage, std::int64_t frame, const Rect& region, const CancelToken& cancel) {
    std::vector<Picture> in;
    for (const Need& need : stage.needs(frame, region))
        in.push_back(pull(*stage.inputs()[need.input], need.frame, need.region, cancel));
    for (const Need& need : stage.moreNeeds(frame, region, in))
        in.push_back(pull(*stage.inputs()[need.input], need.frame, need.region, cancel));
    cancel.check();
    Picture out = Picture::make(stage.format(), region);
    const auto start = std::chrono::steady_clock::now();
    guarded("", [&] { stage.compute(frame, in, out, cancel); }); // libraries' own exceptions end here
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    std::lock_guard lock(spentMutex_);
    Spent& s = spent_[stage.name()];
    s.seconds += took.count();
    ++s.calls;
    return out;
}

void Engine::pullTiles(const Stage& stage, std::int64_t frame, const Rect& wanted, int tile, int firstX, int firstY,
                       const CancelToken& cancel, const std::function<void(const Picture&)>& onTile) {
    const Rect region = wanted.intersected(stage.format().frame());
    std::vector<Rect> tiles;
    for (int y = region.y; y < region.bottom(); y += tile)
        for (int x = region.x; x < region.right(); x += tile)
            tiles.push_back(Rect{x, y, tile, tile}.intersected(region));
    const auto distance = [&](const Rect& r) {
        const double dx = r.x + r.w / 2 - firstX, dy = r.y + r.h / 2 - firstY;
        return dx * dx + dy * dy;
    };
    std::ranges::sort(tiles, {}, distance);
    // One counter for all workers: tiles start strictly in order, which a split range would not promise.
    std::atomic<std::size_t> next{0};
    const int workers = std::min(tbb::this_task_arena::max_concurrency(), static_cast<int>(tiles.size()));
    tbb::parallel_for(0, workers, [&](int) {
        for (std::size_t i; (i = next++) < tiles.size();) onTile(pull(stage, frame, tiles[i], cancel));
    });
}

std::map<std::string, Engine::Spent> Engine::spent() const {
    std::lock_guard lock(spentMutex_);
    return spent_;
}

} // namespace ulm
