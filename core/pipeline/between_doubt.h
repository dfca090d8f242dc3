#pragma once

#include "core/pipeline/delivery.h"

namespace ulm {

/// How doubtful pictures in between are, from a frame of the clip on to the next that is kept.
struct BetweenDoubt {
    std::int64_t frame = 0;
    double steps = 0; ///< 8-bit steps: the error to be expected on the worst fiftieth of the picture
};

/// From here on a picture in between is worth a look: two of three such err by 20 steps and more there, and half of
/// those that do are found.
inline constexpr double kDoubtful = 16;

/// Where a delivery makes pictures in between; of very many, evenly chosen ones.
struct DoubtPlan {
    StagePtr paths;                   ///< see pathsHalfWay(): frame k belongs to frames[k]; null where none are made
    std::vector<std::int64_t> frames; ///< of the clip, ascending
};
DoubtPlan doubtPlan(const Delivery&, std::size_t most, const CancelToken&);

/// Of frame k of a plan. Errors: as the engine.
BetweenDoubt doubtAt(Engine&, const DoubtPlan&, std::size_t k, const CancelToken&);

/// Where movement leads from the frame that is shown to the next, and how doubtful that is, whatever the delivery makes
/// of it: see betweenPaths(). Empty at the end of the clip.
std::optional<Picture> pathsAt(Engine&, const Delivery&, std::int64_t stage, const CancelToken&);

} // namespace ulm
