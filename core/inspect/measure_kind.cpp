#include "core/inspect/fault_measures.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace ulm::measure {
namespace {

constexpr int kAcross = 320;             // samples along the longer side at which pictures are judged
constexpr int kWindow = 12, kTones = 64; // samples; bins of all tones
constexpr float kContrast = 6.f / 255;   // windows that vary less hold no edge

// Means over k × k samples: noise and blocks weigh little there.
Plane averaged(const Plane& p, int k) {
    const Rect r = p.area();
    Plane out = Plane::make({0, 0, r.w / k, r.h / k});
    for (int y = 0; y < out.area().h; ++y)
        for (int x = 0; x < out.area().w; ++x) {
            float sum = 0;
            for (int j = 0; j < k; ++j) {
                const float* row = p.row(r.y + y * k + j) + x * k;
                sum = std::accumulate(row, row + k, sum);
            }
            out.row(y)[x] = sum / float(k * k);
        }
    return out;
}

// What lies inside black borders.
Rect lit(const Plane& p) {
    const Rect r = p.area();
    int left = r.w, right = -1, top = r.h, bottom = -1;
    for (int y = 0; y < r.h; ++y)
        for (int x = 0; x < r.w; ++x)
            if (p.row(y)[x] > 24.f / 255)
                left = std::min(left, x), right = std::max(right, x), top = std::min(top, y),
                bottom = std::max(bottom, y);
    return right < left ? r : Rect{left, top, right - left + 1, bottom - top + 1};
}

struct Windows {
    double twoTone = 0.7;  ///< median share of a window's variance that two tones explain; a middling one where none is
    double contrasted = 0; ///< share of windows that hold an edge
};

Windows windows(const Plane& p, const Rect& r) {
    constexpr int n = kWindow * kWindow;
    std::array<float, n> v;
    std::vector<double> explained;
    int all = 0;
    for (int y = r.y; y + kWindow <= r.bottom(); y += kWindow)
        for (int x = r.x; x + kWindow <= r.right(); x += kWindow, ++all) {
            double sum = 0, squares = 0;
            for (int j = 0; j < kWindow; ++j)
                for (int i = 0; i < kWindow; ++i) {
                    const float s = p.row(y + j)[x + i];
                    v[std::size_t(j * kWindow + i)] = s, sum += s, squares += double(s) * s;
                }
            const double variance = squares / n - sum / n * (sum / n);
            if (variance < kContrast * kContrast) continue;
            std::ranges::sort(v);
            double below = 0, best = 0; // the split that leaves least within: Otsu 1979
            for (int k = 1; k < n; ++k) {
                below += v[std::size_t(k - 1)];
                const double apart = below / k - (sum - below) / (n - k);
                best = std::max(best, double(k) * (n - k) / (double(n) * n) * apart * apart);
            }
            explained.push_back(best / variance);
        }
    Windows out;
    out.contrasted = all ? double(explained.size()) / all : 0;
    if (explained.size() >= 4) {
        const auto middle = explained.begin() + std::ptrdiff_t(explained.size() / 2);
        std::nth_element(explained.begin(), middle, explained.end());
        out.twoTone = *middle;
    }
    return out;
}

// Share of samples in the three commonest of 64 tones.
double fewTones(const Plane& p, const Rect& r) {
    std::array<std::int64_t, kTones> bins{};
    for (int y = r.y; y < r.bottom(); ++y)
        for (int x = r.x; x < r.right(); ++x)
            ++bins[std::size_t(std::clamp(int(p.row(y)[x] * 255) * kTones / 256, 0, kTones - 1))];
    std::ranges::sort(bins, std::greater{});
    return double(bins[0] + bins[1] + bins[2]) / double(std::max<std::int64_t>(1, r.pixels()));
}

} // namespace

double drawn(const Plane& luma) {
    const int k = std::max(1, int(std::lround(double(std::max(luma.area().w, luma.area().h)) / kAcross)));
    const Plane near = averaged(luma, k), far = averaged(luma, 2 * k);
    if (near.area().w < 2 * kWindow || near.area().h < 2 * kWindow) return 0;
    const Rect inside = lit(near);
    // Logistic regression on pictures of both kinds under twelve damages: tools/train/kind.py.
    return 33.09 * windows(near, inside).twoTone + 9.08 * fewTones(near, inside) +
           5.91 * windows(far, lit(far)).contrasted - 34.36;
}

} // namespace ulm::measure
