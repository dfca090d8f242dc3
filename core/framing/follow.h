#pragma once

#include "core/framing/framing_plan.h"

#include <memory>
#include <vector>

namespace ulm {

/// A place that a person set: where the middle of the window is on a frame of the clip, fractions of the picture.
struct Pin {
    std::int64_t frame = 0;
    double x = 0.5, y = 0.5;
};

/// What a window on the clip is to follow.
struct FollowWish {
    struct Place {
        float x = 0.5f, y = 0.5f; ///< the subject's middle, fractions of the picture
        float w = 0, h = 0;       ///< and its extent
    };
    std::vector<Place> subject;     ///< one a frame of the clip, not empty
    std::vector<std::int64_t> cuts; ///< first frames of shots
    double fps = 25;
    bool moves = true;     ///< false: one place a shot
    std::vector<Pin> pins; ///< in order of frames; within its shot a pin counts for more than the subject
};

/// Where the window sits on every frame of the clip: 0 at the left or upper end of the room that the plan leaves, 1 at
/// the other end.
struct FollowedPath {
    struct Place {
        float x = 0.5f, y = 0.5f;
    };
    std::vector<Place> places;
    std::uint64_t key = 0; ///< of the wish and the room
    /// At an instant in frames; between two frames of one shot the way between them.
    Place at(double frame) const;
    std::vector<std::int64_t> cuts;
};
using FollowedPathPtr = std::shared_ptr<const FollowedPath>;

/// Plans the path of `window`, a size in fractions of the picture, shot by shot and over the whole shot at once.
/// Moving, it is made of stretches that stand still, go evenly or speed up evenly, as camera movements are: the sum of
/// its speed, acceleration and jerk is least (Grundmann, Kwatra & Essa, "Auto-directed video stabilization with robust
/// L1 optimal camera paths", CVPR 2011; solved by Clp), while the subject is kept in the window's middle and its speed
/// under 1.2 of the picture's side a second. The last paths are kept, so asking again is cheap.
FollowedPathPtr planFollow(const FollowWish& wish, double windowW, double windowH);

} // namespace ulm
