#pragma once

#include "core/pipeline/delivery.h"

namespace ulm {

/// About how many bytes rendering this keeps at once: what the stages hold for the frames in the making, finished
/// pictures on their way, and the encoder's own. Measured renders lie within about a third of it (docs/limits.md).
std::int64_t renderBytes(const Delivery&, int cores, std::int64_t cacheBytes);

/// Errors: Fault::CannotFit where `needed` is more than `free`: says both, and what to change.
void requireMemory(const Delivery&, std::int64_t needed, std::int64_t free, const std::string& file);

} // namespace ulm
