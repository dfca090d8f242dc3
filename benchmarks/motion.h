#pragma once

#include "benchmarks/measure.h"

namespace ulm::bench {

/// Every second frame taken out and made again, against libavfilter's minterpolate (motion compensated, bidirectional,
/// overlapped) on the same frames: PSNR-Y of what was made again, and time. `masters`: movies of the demo; `samples`:
/// folders below which movies of Debian's packages lie.
std::vector<Row> motionRows(const std::vector<std::string>& masters, const std::vector<std::string>& samples);

} // namespace ulm::bench
