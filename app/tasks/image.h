#pragma once

#include "core/picture/picture.h"

#include <QImage>

namespace ulm::app {

/// 8-bit image of an R'G'B' picture (see asRgb()), rounded as the exported PNG is.
QImage toImage(const Picture& rgb);

} // namespace ulm::app
