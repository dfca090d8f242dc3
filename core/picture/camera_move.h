#pragma once

namespace ulm {

/// How the whole picture moved from one frame to the next, around its middle: to the right and down in lengths of its
/// longer side, clockwise in radians, larger as a natural logarithm.
struct CameraMove {
    float x = 0, y = 0, turn = 0, grow = 0;
};

} // namespace ulm
