#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <cmath>

namespace ulm::measure {

FaultMap combing(const Plane& p, const Plane& next, double noiseSigma) {
    // Neither noise nor rounding makes a tooth, or movement.
    const float kTooth = std::max(9.f, float(4 * noiseSigma)) / kSteps,
                kMoves = std::max(6.f, float(3 * noiseSigma)) / kSteps;
    const Rect r = p.area().intersected(next.area());
    FaultMap map(r);
    for (int y = r.y + 2; y < r.bottom() - 2; ++y) {
        const float* s = p.row(y) + (r.x - p.area().x);
        const float* n = next.row(y) + (r.x - next.area().x);
        const std::ptrdiff_t down = p.stride();
        for (int x = 0; x < r.w; ++x) {
            if (std::abs(s[x] - n[x]) < kMoves) continue;
            const float up = s[x - down] - s[x], low = s[x + down] - s[x];
            const float far = std::min(std::abs(up), std::abs(low));
            // Two rows further the own field goes on; the other one differs the same way.
            const bool comb = up * low > 0 && far > kTooth && std::abs(up - low) < 0.5f * far &&
                              std::abs(s[x - 2 * down] - s[x]) < 0.6f * far &&
                              std::abs(s[x + 2 * down] - s[x]) < 0.6f * far;
            map.add(r.x + x, y, comb ? 100 : 0);
        }
    }
    return map;
}

} // namespace ulm::measure
