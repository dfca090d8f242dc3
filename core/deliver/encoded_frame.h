#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"

namespace ulm {

/// Delivered frame `index` (into Pipeline::frames) as R'G'B' after its encode at this constant rate factor: up to
/// `lead` frames before it are rendered and encoded with it, so that it is predicted from its neighbours as in the
/// file. Errors: Fault::Usage where the encoder refuses. Throws Cancelled.
Picture encodedFrame(Engine&, const Delivery&, std::int64_t index, double crf, int lead, const CancelToken&);

} // namespace ulm
