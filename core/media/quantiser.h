#pragma once

#include "core/media/facts.h"

struct AVFrame;

#include <optional>

namespace ulm {

/// Mean quantiser of a frame as its decoder saw it, on H.264's scale, [0, 51] for 8 bits: H.264's own, and those of
/// VP9, MPEG-1, -2 and -4 part 2 that leave the same error. None where the decoder does not tell.
std::optional<double> meanQuantiser(const AVFrame& frame);

/// True of codecs that lose nothing, and of those that edit programs keep whole frames in, at their usual rates: the
/// file itself did no harm to speak of.
bool keptFinely(const VideoFacts& video);

} // namespace ulm
