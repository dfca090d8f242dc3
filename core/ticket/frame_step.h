#pragma once

#include "core/picture/resample.h"
#include "core/ticket/step.h"

namespace ulm {

/// How the ticket frames a clip of this displayed size. Errors: Fault::Usage.
FramingPlan framingOf(const Ticket&, const VideoFacts&);

/// The share of the clip's picture that the plan's window shows, (0, 1].
double keptShare(const FramingPlan&, const VideoFacts&);

/// `in`, the clip or an enlarged form of it, brought to the delivered shape, 4:2:0; `source`, on the same clock, gives
/// the blurred fill.
StagePtr framed(StagePtr in, StagePtr source, const FramingPath&, const VideoFacts&, Kernel);

} // namespace ulm
