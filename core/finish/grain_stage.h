#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// Film grain on luma, new in every frame: Gaussian noise of sigma `amount` 8-bit steps, [0, 20], smoothed to blobs of
/// about `size` delivered pixels, [0.5, 4], and the same sigma whatever the size. midtones, [0, 1]: how much it fades
/// towards black and white (4·y·(1 - y)). Equal seeds give equal grain; frames of equal number too, wherever a region
/// is cut.
StagePtr filmGrain(StagePtr input, double amount, double size, double midtones, std::uint32_t seed);

} // namespace ulm
