#include "core/inspect/shots.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

std::vector<PrintDifference> successive(const std::vector<Thumbprint>& prints) {
    std::vector<PrintDifference> d(prints.size());
    for (std::size_t i = 1; i < prints.size(); ++i) d[i] = difference(prints[i - 1], prints[i]);
    return d;
}

// Median of the mean differences around i, itself left out.
float typicalAround(const std::vector<PrintDifference>& d, std::size_t i, std::size_t reach) {
    std::vector<float> around;
    for (std::size_t k = i > reach ? i - reach : 1; k <= std::min(i + reach, d.size() - 1); ++k)
        if (k != i) around.push_back(d[k].mean);
    if (around.empty()) return 0;
    std::ranges::nth_element(around, around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2));
    return around[around.size() / 2];
}

} // namespace

Thumbprint thumbprint(const Plane& luma) {
    Thumbprint t;
    t.cells.resize(Thumbprint::kColumns * Thumbprint::kRows);
    const Rect r = luma.area();
    for (int cy = 0; cy < Thumbprint::kRows; ++cy)
        for (int cx = 0; cx < Thumbprint::kColumns; ++cx) {
            const int x0 = cx * r.w / Thumbprint::kColumns,
                      x1 = std::max(x0 + 1, (cx + 1) * r.w / Thumbprint::kColumns);
            const int y0 = cy * r.h / Thumbprint::kRows, y1 = std::max(y0 + 1, (cy + 1) * r.h / Thumbprint::kRows);
            float sum = 0;
            for (int y = y0; y < y1; ++y)
                for (int x = x0; x < x1; ++x) sum += luma.row(r.y + y)[x];
            t.cells[static_cast<std::size_t>(cy * Thumbprint::kColumns + cx)] =
                sum * 219 / float((x1 - x0) * (y1 - y0));
        }
    return t;
}

PrintDifference difference(const Thumbprint& a, const Thumbprint& b) {
    PrintDifference d;
    for (std::size_t i = 0; i < a.cells.size(); ++i) {
        const float v = std::abs(a.cells[i] - b.cells[i]);
        d.mean += v;
        d.most = std::max(d.most, v);
    }
    const auto count = static_cast<float>(a.cells.size());
    d.mean /= count;
    float lift = 0;
    for (std::size_t i = 0; i < a.cells.size(); ++i) lift += b.cells[i] - a.cells[i];
    lift /= count;
    for (std::size_t i = 0; i < a.cells.size(); ++i) d.shape += std::abs(b.cells[i] - a.cells[i] - lift) / count;
    return d;
}

std::vector<std::int64_t> findCuts(const std::vector<Thumbprint>& prints) {
    const auto d = successive(prints);
    std::vector<std::int64_t> cuts;
    for (std::size_t i = 1; i < prints.size(); ++i) {
        if (d[i].mean < 6 || d[i].mean < 3.5f * typicalAround(d, i, 6) + 2) continue;
        // Light that comes on or goes off changes brightness, not what is seen.
        if (d[i].shape < 0.35f * d[i].mean) continue;
        // A flash returns to what was before it; the frame on which it returns is no cut either.
        bool returns = false;
        for (std::size_t k = 1; k <= 2; ++k) {
            if (i + k < prints.size() && difference(prints[i - 1], prints[i + k]).mean < 0.35f * d[i].mean)
                returns = true;
            if (i >= k + 1 && difference(prints[i - 1 - k], prints[i]).mean < 0.35f * d[i].mean) returns = true;
        }
        if (!returns) cuts.push_back(static_cast<std::int64_t>(i));
    }
    return cuts;
}

std::vector<std::int64_t> findDuplicates(const std::vector<Thumbprint>& prints) {
    const auto d = successive(prints);
    std::vector<std::int64_t> repeats;
    for (std::size_t i = 1; i < prints.size(); ++i) {
        const float typical = typicalAround(d, i, 8);
        // A second encode leaves traces on a repeat, but far below what moves around it.
        const bool still = d[i].most < 1.5f && d[i].mean < std::max(0.02f, 0.1f * typical);
        const bool repeat = d[i].most < 8 && d[i].mean < 0.05f * typical;
        if (still || repeat) repeats.push_back(static_cast<std::int64_t>(i));
    }
    return repeats;
}

} // namespace ulm
