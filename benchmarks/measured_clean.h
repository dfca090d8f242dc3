#pragma once

#include "benchmarks/damaged_pictures.h"

#include <iosfwd>

namespace ulm::bench {

/// What a new ticket's Clean does about each damage, as Markdown: each picture becomes a short clip that pans, is
/// damaged, encoded, looked over and cleaned, every control at its own reading.
void measuredCleanTable(const std::vector<KnownPicture>& all, std::ostream& out);

} // namespace ulm::bench
