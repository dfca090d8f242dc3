#include "core/restore/dct_shrink.h"

#include <cmath>
#include <numbers>
#include <vector>

namespace ulm {
namespace {

int mirrored(int i, int first, int end) {
    const int n = end - first;
    if (n == 1) return first;
    int k = ((i - first) % (2 * n) + 2 * n) % (2 * n);
    return first + (k < n ? k : 2 * n - 1 - k);
}

struct Basis {
    double b[8][8];
    Basis() {
        for (int k = 0; k < 8; ++k)
            for (int x = 0; x < 8; ++x)
                b[k][x] = (k ? 0.5 : std::sqrt(0.125)) * std::cos((2 * x + 1) * k * std::numbers::pi / 16);
    }
};

void transform(const double in[8][8], double out[8][8], bool inverse) {
    static const Basis basis;
    double half[8][8];
    for (int i = 0; i < 8; ++i)
        for (int k = 0; k < 8; ++k) {
            half[i][k] = 0;
            for (int x = 0; x < 8; ++x) half[i][k] += in[i][x] * (inverse ? basis.b[x][k] : basis.b[k][x]);
        }
    for (int i = 0; i < 8; ++i)
        for (int k = 0; k < 8; ++k) {
            out[k][i] = 0;
            for (int y = 0; y < 8; ++y) out[k][i] += half[y][i] * (inverse ? basis.b[y][k] : basis.b[k][y]);
        }
}

} // namespace

void dctShrinkReference(std::span<const Plane> frames, const Rect& whole, float threshold, Plane& out) {
    const Rect r = out.area();
    std::vector<double> sum(static_cast<std::size_t>(r.w) * r.h), weight(sum.size());
    const auto even = [](int v) { return v & ~1; };
    for (int by = even(r.y - 6); by < r.bottom(); by += 2)
        for (int bx = even(r.x - 6); bx < r.right(); bx += 2) {
            double mean[8][8], bend[8][8], c0[8][8], c2[8][8], back[8][8];
            for (int y = 0; y < 8; ++y)
                for (int x = 0; x < 8; ++x) {
                    const int sx = mirrored(bx + x, whole.x, whole.right()),
                              sy = mirrored(by + y, whole.y, whole.bottom());
                    // Samples the caller need not supply only touch blocks that do not reach the result.
                    const auto at = [&](const Plane& p) {
                        return p.area().contains({sx, sy, 1, 1}) ? double(p.at(sx, sy)) : 0.0;
                    };
                    if (frames.size() == 3) {
                        const double a = at(frames[0]), b = at(frames[1]), c = at(frames[2]);
                        mean[y][x] = (a + b + c) / std::sqrt(3.0);
                        bend[y][x] = (a - 2 * b + c) / std::sqrt(6.0);
                    } else {
                        mean[y][x] = at(frames[0]);
                        bend[y][x] = 0;
                    }
                }
            transform(mean, c0, false);
            transform(bend, c2, false);
            int count = 0;
            for (int y = 0; y < 8; ++y)
                for (int x = 0; x < 8; ++x) {
                    const bool keep0 = (x | y) == 0 || std::abs(c0[y][x]) >= threshold;
                    const bool keep2 = frames.size() == 3 && std::abs(c2[y][x]) >= threshold;
                    count += keep0 + keep2;
                    if (frames.size() == 3)
                        c0[y][x] =
                            (keep0 ? c0[y][x] / std::sqrt(3.0) : 0) - (keep2 ? c2[y][x] * 2 / std::sqrt(6.0) : 0);
                    else if (!keep0)
                        c0[y][x] = 0;
                }
            transform(c0, back, true);
            const double w = 1.0 / count;
            for (int y = 0; y < 8; ++y)
                for (int x = 0; x < 8; ++x) {
                    if (!r.contains({bx + x, by + y, 1, 1})) continue;
                    const std::size_t i = static_cast<std::size_t>(by + y - r.y) * r.w + (bx + x - r.x);
                    sum[i] += w * back[y][x];
                    weight[i] += w;
                }
        }
    for (int y = 0; y < r.h; ++y)
        for (int x = 0; x < r.w; ++x) {
            const std::size_t i = static_cast<std::size_t>(y) * r.w + x;
            out.row(y + r.y)[x] = static_cast<float>(sum[i] / weight[i]);
        }
}

} // namespace ulm
