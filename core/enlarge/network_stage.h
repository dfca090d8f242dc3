#pragma once

#include "core/engine/stage.h"
#include "core/model/damage.h"
#include "core/model/network.h"
#include "core/picture/resample.h"

namespace ulm {

/// How a network that is not ours wants its pictures; read from the card beside it.
struct NetworkInput {
    bool bgr = false; ///< channels in the order blue, green, red
    double range = 1; ///< value of white: 1 or 255
};

/// Rows or columns of the tiles in which a region of `extent` input pixels runs: evenly parted, multiples of `align`.
int networkTile(int extent, int align);

/// `input` through the network: luma only for one channel (chroma is scaled by `chromaKernel`), R'G'B' for three or
/// four (the fourth is set to white). neighbours: stages that show the frames -1, +1, -2, +2 … of `input` moved onto
/// this one, as many as the network wants. The result is scale() times as large; a region gives the whole frame's
/// samples. strength: of what a luma network that enlarges adds to `chromaKernel`, [0, 1.5]; others
/// disregard it.
StagePtr throughNetwork(StagePtr input, std::vector<StagePtr> neighbours, std::shared_ptr<const Network> network,
                        const DamageLevels& levels, Kernel chromaKernel = Kernel::Lanczos,
                        const NetworkInput& form = {}, double strength = 1);

} // namespace ulm
