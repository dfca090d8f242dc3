#pragma once

#include "core/picture/picture.h"

#include <string>

namespace ulm {

/// An R'G'B' picture (see asRgb()) as the bytes of a PNG of 8 or 16 bits a channel.
std::string pngOf(const Picture& rgb, int bits);

} // namespace ulm
