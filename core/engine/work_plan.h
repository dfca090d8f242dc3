#pragma once

#include <cstdint>

namespace ulm {

/// What this process may take of the machine. Decoders, encoders, OpenCV, TBB, caches and renders keep to it.
struct WorkPlan {
    int cores = 1;           ///< threads that work at once, [1, 64]
    std::int64_t memory = 0; ///< bytes, about; ≥ 512 MB
    bool operator==(const WorkPlan&) const = default;
};

/// All of the machine's cores, at most 16, and three quarters of its memory.
WorkPlan usualPlan();
/// The plan in force: usualPlan() until another was set.
WorkPlan workPlan();
/// Takes hold of what is opened from then on, and of all parallel work at once. Values outside their ranges are
/// clipped. Thread safe.
void setWorkPlan(WorkPlan);

/// `wanted` bytes for a cache, or its share of the plan where that is less.
std::size_t cacheShare(std::size_t wanted, double share);

/// Bytes that the system could give now; the plan's where that is less, or where the system does not say.
std::int64_t memoryToTake();

} // namespace ulm
