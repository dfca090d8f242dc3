#pragma once

#include "core/inspect/prints.h"

#include <cstdint>
#include <string>

namespace ulm {

/// First frames of new shots: changes that stand out from those around them and do not return within two frames (a
/// flash does). After Zhang, Kankanhalli & Smoliar, "Automatic partitioning of full-motion video", 1993, with a local
/// threshold; what a movement of the whole picture explains is no cut.
std::vector<std::int64_t> findCuts(const std::vector<Thumbprint>& prints);

/// Frames that repeat the one before: no cell changes visibly, and far less than around in the same shot. A picture
/// that stands still repeats nothing. `cuts`: first frames of shots.
std::vector<std::int64_t> findDuplicates(const std::vector<Thumbprint>& prints,
                                         const std::vector<std::int64_t>& cuts = {});

/// A regular pattern of repeats: of every `of` frames, `repeats` repeat the one before. of = 0 where there is none.
struct RepeatPattern {
    int repeats = 0, of = 0;
};
RepeatPattern repeatPattern(const std::vector<std::int64_t>& duplicates, std::int64_t frames);

/// First frame, and the one past the last, of the shot that holds `frame`. cuts: in order.
std::pair<std::int64_t, std::int64_t> shotAround(const std::vector<std::int64_t>& cuts, std::int64_t frame,
                                                 std::int64_t frames);

} // namespace ulm
