#pragma once

#include "core/engine/engine.h"
#include "core/picture/picture.h"

#include <QImage>

namespace ulm::app {

/// 8-bit image of an R'G'B' picture (see asRgb()), rounded as the exported PNG is.
QImage toImage(const Picture& rgb);
/// A whole frame of an R'G'B' stage, band by band where it is large: of 4K the samples alone would take 100 MB.
/// Throws Cancelled.
QImage wholeImage(Engine& engine, const Stage& rgb, std::int64_t frame, const CancelToken& cancel,
                  Engine::Keep keep = Engine::Keep::All);

} // namespace ulm::app
