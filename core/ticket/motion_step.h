#pragma once

#include "core/ticket/ticket.h"

#include <vector>

namespace ulm {

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

/// The movie does not run as the clip does: faster, slower, backwards, with halts.
bool changesTime(const Ticket&);

} // namespace ulm
