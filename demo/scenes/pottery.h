#pragma once

#include "demo/scenes/canvas.h"

#include <memory>

namespace ulm::demo {

/// A wall of uneven plaster, lit from the upper left.
Rgb plaster(float x, float y, std::uint32_t seed);
/// Boards running along x, lit from above; y is depth below the edge.
Rgb boards(float x, float y, std::uint32_t seed);

/// A thrown vessel standing upright, seen a little from above: half width as a function of height.
struct Vessel {
    float cx = 0, top = 0, bottom = 0; ///< scene coordinates
    float rim = 0.2f, foot = 0.1f, belly = 0.05f;
    float tilt = 0.28f; ///< of the rim ellipse: minor over major axis
    Rgb clay{0.62f, 0.42f, 0.30f}, glaze{0.17f, 0.45f, 0.44f};
    float glazeDown = 0.7f; ///< share of the height the glaze reaches
    std::uint32_t seed = 1;

    /// Paints the outer wall once, unrolled: what turns is then looked up. Call before shade().
    void bake();
    float halfWidth(float k) const; ///< k: 0 rim … 1 foot
    /// Colour at a point, given the vessel's turn in radians; keeps `behind` where the point is outside. `px`: size of
    /// a pixel, for soft edges.
    Rgb shade(float x, float y, float turn, float px, const Rgb& behind) const;
    float left() const { return cx - rim - belly - 0.02f; }
    float right() const { return cx + rim + belly + 0.02f; }
    std::shared_ptr<Canvas> wall = nullptr; ///< made by bake(): once round × rim to foot
};

/// A paper tag on a string, with lines of text, turned a little.
void drawTag(Canvas&, float x, float y, float width, float turn, const std::vector<std::string>& lines, float hangFrom);

} // namespace ulm::demo
