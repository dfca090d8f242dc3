#pragma once

#include "core/picture/picture.h"

#include <string>

namespace ulm {

/// Writes an R'G'B' picture (see asRgb()) as PNG of 8 or 16 bits a channel; whole, or not at all.
/// Errors: Fault::Output.
void writePng(const Picture& rgb, int bits, const std::string& path);

} // namespace ulm
