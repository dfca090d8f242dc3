#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/pipeline.h"

namespace ulm {

/// Delivered frame `index` (into Pipeline::frames) as R'G'B' after its encode at this constant rate factor: up to
/// `lead` frames before it are rendered and encoded with it, so that it is predicted from its neighbours as in the
/// file. Errors: Fault::Usage where the encoder refuses. Throws Cancelled.
Picture encodedFrame(Engine&, const Pipeline&, std::size_t index, double crf, int lead, const CancelToken&);

/// The first delivered frame that shows source frame `source`, or the nearest one.
std::size_t deliveredIndexOf(const Pipeline&, std::int64_t source);

} // namespace ulm
