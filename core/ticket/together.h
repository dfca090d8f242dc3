#pragma once

#include "core/inspect/inspection.h"
#include "core/ticket/ticket.h"

#include <string>
#include <utility>
#include <vector>

namespace ulm {

/// Light, colour and sharpening as one: what the parts of Finish are set to at a strength, [0, 1], by what was read of
/// the clip. Noise, blocks and haloes hold back what would raise them; what is crushed or clipped, contrast. Keys and
/// values, as setByKey() takes them.
std::vector<std::pair<std::string, std::string>> togetherAt(double strength, const Inspection&);

/// The strength, in hundredths, at which a ticket's parts stand; none where they were set otherwise.
std::optional<double> togetherOf(const Ticket&, const Inspection&);

} // namespace ulm
