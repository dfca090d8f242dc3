#pragma once

struct AVFrame;

#include <optional>

namespace ulm {

/// Mean quantiser of an H.264 frame as its decoder saw it, [0, 51] for 8 bits; none where the decoder does not tell.
std::optional<double> meanQuantiser(const AVFrame& frame);

} // namespace ulm
