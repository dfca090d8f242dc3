#pragma once

#include "core/inspect/shots.h"
#include "core/media/clip.h"

namespace ulm {

/// How a clip moves in time.
struct Movement {
    std::vector<float> change; ///< per frame: mean change from the one before, 8-bit steps
    double shake = 0;          ///< root mean square of the camera's tremble around its smoothed path, source pixels
    double speed = 0;          ///< median movement of the whole picture, source pixels a frame
    double judder = 0;         ///< unevenness of movement from frame to frame, % of it; 0 smooth
    bool fast = false;         ///< most of the picture changes much from frame to frame
    double confidence = 0;     ///< of judder: share of frames whose movement is understood, [0, 1]
    double cameraTrust = 0; ///< of shake: share of frames on which the camera's movement is told from the rest, [0, 1]
    std::int64_t shakiest = 0;       ///< frame
    std::vector<std::int64_t> jumps; ///< frames on which a steady movement jumps as if one were missing before it
};

/// `breaks`: frames that do not follow the one before (cuts, and starts of separately sampled runs).
Movement findMovement(const std::vector<Thumbprint>& prints, const std::vector<std::int64_t>& breaks,
                      const std::vector<std::int64_t>& duplicates, double fps, int width, int height);

/// What the container's timestamps say.
struct Timing {
    double unevenShare = 0;         ///< % of frames whose time differs by more than a quarter from the usual
    std::vector<std::int64_t> gaps; ///< frames before which at least one frame's time is missing
    std::int64_t missing = 0;       ///< frames that would fill the gaps
    double filmed = 0;              ///< frames a second outside the gaps; 0: fewer than three frames
};
Timing findTiming(const Clip& clip);

} // namespace ulm
