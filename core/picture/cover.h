#pragma once

#include <vector>

namespace ulm {

/// A picture that lies over another: R'G'B' in [0, 1] times how much it covers, and how much that is, [0, 1]; row by
/// row, four a pixel.
struct Cover {
    int w = 0, h = 0;
    std::vector<float> rgba;
};

} // namespace ulm
