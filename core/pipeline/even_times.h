#pragma once

#include <vector>

namespace ulm {

/// When frames of an uneven clip are to be shown, so that a steady rate shows them as they are: cameras stamp frames a
/// little early or late, and behind a gap they come at odd parts of a period, so that at their own times nearly every
/// delivered frame would be made in between two. Where at least four frames keep a step of a whole number of periods,
/// within 0.15 of it, they go together to the instants nearest to them: none moves by more than half a period and 0.15
/// of a step, their movement stays even, and what is left between runs (gaps, frames at random times) keeps its own
/// times. `seconds`: ascending; `anchor`: an instant of the grid; `period`: seconds, > 0; `tick`: of the clock that
/// times were rounded to. Empty where nothing is to be moved: times are even already, or the rate is none of the
/// clip's.
std::vector<double> evenTimes(const std::vector<double>& seconds, double anchor, double period, double tick);

} // namespace ulm
