#pragma once

#include "benchmarks/measure.h"

namespace ulm::bench {

/// Light and colour: the time of each stage, and of all together, for a frame of 1080×1920, against encoding the same
/// frames: processor time of all threads.
std::vector<Row> lightRows(const std::string& master);

/// A crop that follows: finding the subject against looking the clip over, and planning its path.
std::vector<Row> followRows(const std::string& clip);

} // namespace ulm::bench
