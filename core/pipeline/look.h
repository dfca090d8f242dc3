#pragma once

#include "core/finish/table_stage.h"
#include "core/pipeline/delivery.h"

#include <string>

namespace ulm {

/// The ticket's light, colour and table, as far as Finish is on, as the text of a .cube table, for other clips and
/// other programs; what depends on the place (clarity, glow, corners) cannot be in it. Errors: as loadLookTable().
std::string lookOf(const Ticket&);

/// The picture of a stage frame untreated, `width` pixels wide and as high as it follows, 4:4:4: to try looks on.
/// `width` in [16, 512]. Errors: as the engine. Throws Cancelled.
Picture sampleFor(const Delivery&, Engine&, std::int64_t stage, int width, const CancelToken&);
/// A sample in the ticket's light and colour and through this table (null: none) at the ticket's strength: R'G'B'.
Picture inLook(const Picture& sample, const Ticket&, const LookTablePtr& table);

/// The text of a .cube table that brings this delivery's clip, in its light and colour but without its table, to the
/// light and colour of `like`: a clip, or a PNG. Five frames of each are looked at.
/// Errors: Fault::Input naming `like`. Throws Cancelled.
std::string lookLike(const Delivery&, const std::string& like, const CancelToken&);

} // namespace ulm
