#pragma once

#include <string>
#include <vector>

namespace ulm {

/// A part of the clip that is left out, seconds of the clip: [from, to).
struct LeftOut {
    double from = 0, to = 0;
};
/// "3.2-4.5 0:07-0:08.1": parts in order of time that do not touch, at most 100. What is wrong with such a text, or
/// nothing; leftOutFrom() reads one that is right.
std::string leftOutWrong(const std::string& text);
std::vector<LeftOut> leftOutFrom(const std::string& text);
/// The text of these parts, to a millisecond, in order of time; those that touch are joined, empty ones dropped.
std::string leftOutText(std::vector<LeftOut>);

} // namespace ulm
