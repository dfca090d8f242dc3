#include "core/inspect/fault_map.h"

#include <numeric>

namespace ulm {

double FaultMap::total() const { return std::accumulate(sums_.begin(), sums_.end(), 0.0); }
double FaultMap::totalWeight() const { return std::accumulate(weights_.begin(), weights_.end(), 0.0); }

FaultMap FaultMap::pooled() const {
    FaultMap out(area_);
    for (int r = 0; r < rows_; ++r)
        for (int c = 0; c < columns_; ++c)
            for (int y = std::max(0, r - 1); y <= std::min(rows_ - 1, r + 1); ++y)
                for (int x = std::max(0, c - 1); x <= std::min(columns_ - 1, c + 1); ++x) {
                    out.sums_[out.index(c, r)] += sums_[index(x, y)];
                    out.weights_[out.index(c, r)] += weights_[index(x, y)];
                }
    return out;
}

} // namespace ulm
