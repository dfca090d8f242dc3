#pragma once

#include "core/motion/between_stage.h"

#include <optional>
#include <string>
#include <vector>

namespace ulm {

/// Where the clip's in-betweens are made otherwise than the ticket's method says: seconds of the clip, [from, to).
struct BetweenPlace {
    double from = 0, to = 0;
    BetweenWay way = BetweenWay::Hold;
};
/// "0.5-1.2:hold 3-4:blend", or "rebuild": places in order of time that do not overlap, at most 100. What is wrong
/// with such a text, or nothing; betweenPlacesFrom() reads one that is right.
std::string betweenPlacesWrong(const std::string& text);
std::vector<BetweenPlace> betweenPlacesFrom(const std::string& text);
/// The text of `places` with `added` laid over them; with none over what lies there, it is as elsewhere again.
std::string withPlace(const std::vector<BetweenPlace>& places, double from, double to, std::optional<BetweenWay> added);
std::string wordOf(BetweenWay);

} // namespace ulm
