#pragma once

#include "core/picture/cover.h"
#include "core/picture/picture.h"

#include <string>

namespace ulm {

/// An R'G'B' picture (see asRgb()) as the bytes of a PNG of 8 or 16 bits a channel.
std::string pngOf(const Picture& rgb, int bits);

/// A PNG file's picture and how much it covers, not over 64 MB, 16 million pixels, and 8192 a side. Errors:
/// Fault::Input naming it.
Cover readPng(const std::string& path);

} // namespace ulm
