#pragma once

#include "core/engine/stage.h"
#include "core/ticket/ticket.h"

#include <vector>

namespace ulm {

struct Retiming;

/// A speed at an instant of the clip: 1 as it was filmed.
struct SpeedAt {
    double seconds = 0, speed = 1;
};
/// "0:100 1.2:30 2:100": seconds of the clip and percent there, in order of time, [5, 800]; between them the speed
/// changes evenly. At most 100. What is wrong with such a text, or nothing; rampsFrom() reads one that is right.
std::string rampsWrong(const std::string& text);
std::vector<SpeedAt> rampsFrom(const std::string& text);
/// The text of these, to a millisecond and a percent.
std::string rampsText(const std::vector<SpeedAt>&);

/// An instant of the clip that stands still for so long, seconds.
struct FreezeAt {
    double seconds = 0, length = 0;
};
/// "1.5:0.8 3:1": seconds of the clip, and how long, (0, 60]; in order of time, at most 100.
std::string freezesWrong(const std::string& text);
std::vector<FreezeAt> freezesFrom(const std::string& text);

/// Frames in between are made somewhere, or a shutter's blur.
bool makesFrames(const Ticket&);

/// betweenPaths() half way between a kept frame of `clip` and the next, one for each of `pairs` (by index of what is
/// kept): where movement leads, and how doubtful it is, whatever the clock shows.
StagePtr pathsHalfWay(const StagePtr& clip, const Ticket&, const Retiming&, const std::vector<std::int64_t>& cuts,
                      std::vector<std::int64_t> pairs);

/// The movie does not run as the clip does: faster, slower, backwards, with halts.
bool changesTime(const Ticket&);

} // namespace ulm
