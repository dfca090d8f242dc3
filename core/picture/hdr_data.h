#pragma once

#include <array>

namespace ulm {

/// What an HDR movie says of the screen that it was graded on and of its brightest pictures (SMPTE ST 2086, CTA 861.3).
struct HdrData {
    struct Point {
        double x = 0, y = 0; ///< CIE 1931 chromaticity
        bool operator==(const Point&) const = default;
    };
    bool screen = false;              ///< the screen is told: its colours and its range
    std::array<Point, 3> primaries{}; ///< red, green, blue
    Point white;
    double darkest = 0, brightest = 0; ///< cd/m²
    int mostLight = 0, meanLight = 0; ///< of the brightest pixel, and the brightest picture's mean, cd/m²; 0: not told

    bool any() const { return screen || mostLight > 0; }
    bool operator==(const HdrData&) const = default;
};

} // namespace ulm
