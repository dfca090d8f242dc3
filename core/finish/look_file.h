#pragma once

#include "core/engine/stage.h"

#include <array>
#include <functional>
#include <string>
#include <vector>

namespace ulm {

/// What stages that map each colour by itself do, as the text of a .cube table of 33 entries a side (R'G'B' of BT.709
/// in [0, 1], red fastest). `chain` gets a picture of 4:4:4 and returns it mapped.
std::string cubeOf(const std::function<StagePtr(const StagePtr&)>& chain);

/// How a picture's colours lie in CIELAB (CIE 15:2004, D65, light by BT.1886): mean and spread of L*, a* and b*,
/// without the outermost two hundredths on each side.
struct Palette {
    std::array<double, 3> mean{50, 0, 0}, spread{20, 10, 10};
};
/// R'G'B' in [0, 1], at least one.
Palette paletteOf(const std::vector<std::array<float, 3>>& colours);

/// The table that brings colours that lie as `from` to where those of `to` lie: moved and spread in CIELAB, axis by
/// axis (Reinhard, Ashikhmin, Gooch & Shirley, "Color transfer between images", IEEE CG&A 2001, there in another such
/// space). Spreads are changed by half or twice at most.
std::string matchingCube(const Palette& from, const Palette& to);

} // namespace ulm
