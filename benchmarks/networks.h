#pragma once

#include "benchmarks/measure.h"

namespace ulm::bench {

/// Our runner against OpenCV's DNN on the same networks and cores, against one bare oneDNN convolution, and against
/// x264. `clip`: a movie whose frames the encoder is timed on.
std::vector<Row> networkRows(const std::string& clip, const std::string& workFolder);

} // namespace ulm::bench
