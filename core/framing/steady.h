#pragma once

#include "core/picture/affine.h"
#include "core/picture/camera_move.h"
#include "core/picture/size.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace ulm {

/// What a camera's path is to become.
struct SteadyWish {
    std::vector<CameraMove> moves;  ///< one a frame of the clip
    std::vector<std::int64_t> cuts; ///< first frames of shots
    double fps = 25;
    double strength = 0.5; ///< (0, 1]: 0.1 takes trembling out, 1 leaves only movements of many seconds
};

/// How each frame is moved, turned and enlarged so that the path is smooth.
struct SteadyPath {
    struct Place {
        double x = 0, y = 0, turn = 0, grow = 0; ///< as CameraMove; `grow` with what hides the borders
    };
    std::vector<Place> places;
    /// Where the camera is, from where its shot begins, as it was and as it is shown: across and down, in lengths of
    /// the longer side; the enlargement left out.
    std::vector<Point> was, is;
    std::vector<std::int64_t> cuts;
    std::uint64_t key = 0; ///< of the wish and the clip's size
    Size clip;
    double mostZoom = 1; ///< of all shots
    /// From the clip's displayed pixels to where they are shown, at an instant in frames.
    Affine at(double frame) const;
};
using SteadyPathPtr = std::shared_ptr<const SteadyPath>;

/// Each shot's path, the sum of its moves, is smoothed by a Gaussian of 0.1 s (0) to 3 s (1), longer the larger the
/// strength; each shot is enlarged by what just hides the borders, at most a quarter: where that does not suffice it is
/// smoothed less. The last paths are kept, so asking again is cheap.
SteadyPathPtr planSteady(const SteadyWish& wish, Size clip);

} // namespace ulm
