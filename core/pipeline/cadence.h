#pragma once

#include "core/pipeline/frame_clock.h"

#include <string>
#include <vector>

namespace ulm {

/// What a frame rate makes of a clip.
struct Cadence {
    double fps = 0;
    double made = 0;   ///< share of the frames that are made up in between, [0, 1]
    double judder = 0; ///< milliseconds, root mean square, by which movement strays where frames are repeated instead
};

/// By how much movement strays, milliseconds, root mean square, up to 600 frames of each: as the clip is, and as it is
/// delivered.
struct Judder {
    double before = 0, after = 0;
};
/// Errors: as FrameClock.
Judder judderOf(const ClipPtr& clip, const Ticket&, const Inspection&);

/// Of each of these rates, on the clip and its ticket otherwise as it is; measured on up to 600 frames of the clock
/// that would deliver them. Errors: as FrameClock.
std::vector<Cadence> cadencesOf(const ClipPtr& clip, const Ticket&, const Inspection&,
                                const std::vector<double>& rates);

/// "50: 50 % made up, or 10 ms of judder": in words; a rate that keeps all says so.
std::string told(const Cadence&);

} // namespace ulm
