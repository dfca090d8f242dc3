#include "core/inspect/prints.h"

#include "core/media/frame_convert.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr int kW = Thumbprint::kColumns, kH = Thumbprint::kRows;

// Sums of cells: rows of a band are added up first, a whole row at a time. addRow(y, sums) adds row y.
template <class Sum, class AddRow>
Thumbprint gather(int w, int h, double scale, double offset, const AddRow& addRow) {
    Thumbprint t;
    t.cells.assign(static_cast<std::size_t>(kW) * kH, 0.f);
    std::vector<Sum> columns(static_cast<std::size_t>(w));
    for (int cy = 0; cy < kH; ++cy) {
        const int y0 = std::min(cy * h / kH, h - 1), y1 = std::max(y0 + 1, (cy + 1) * h / kH);
        std::ranges::fill(columns, Sum(0));
        for (int y = y0; y < y1; ++y) addRow(y, columns.data());
        for (int cx = 0; cx < kW; ++cx) {
            const int x0 = std::min(cx * w / kW, w - 1), x1 = std::max(x0 + 1, (cx + 1) * w / kW);
            double sum = 0;
            for (int x = x0; x < x1; ++x) sum += columns[static_cast<std::size_t>(x)];
            t.cells[static_cast<std::size_t>(cy * kW + cx)] =
                static_cast<float>(sum / double((y1 - y0) * (x1 - x0)) * scale - offset);
        }
    }
    return t;
}

struct Level {
    int w, h;
    std::vector<float> v;
    const float* row(int y) const { return v.data() + static_cast<std::ptrdiff_t>(y) * w; }
};

Level halved(const Level& l) {
    Level out{l.w / 2, l.h / 2, {}};
    out.v.resize(static_cast<std::size_t>(out.w) * out.h);
    for (int y = 0; y < out.h; ++y) {
        const float *a = l.row(2 * y), *b = l.row(2 * y + 1);
        for (int x = 0; x < out.w; ++x)
            out.v[static_cast<std::size_t>(y * out.w + x)] =
                0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
    }
    return out;
}

// Calls with each sample of `a` whose moved place lies inside `b`, and the value there (bilinear).
template <class Each>
void overMoved(const Level& a, const Level& b, float dx, float dy, int step, const Each& each) {
    const int ix = static_cast<int>(std::floor(dx)), iy = static_cast<int>(std::floor(dy));
    const float fx = dx - float(ix), fy = dy - float(iy);
    const int x0 = std::max(1, -ix), x1 = std::min(a.w - 1, b.w - 1 - ix), y0 = std::max(1, -iy),
              y1 = std::min(a.h - 1, b.h - 1 - iy);
    for (int y = y0; y < y1; y += step) {
        const float *p = b.row(y + iy) + ix, *q = b.row(y + iy + 1) + ix;
        for (int x = x0; x < x1; x += step)
            each(x, y, (p[x] * (1 - fx) + p[x + 1] * fx) * (1 - fy) + (q[x] * (1 - fx) + q[x + 1] * fx) * fy);
    }
}

float meanChange(const Level& a, const Level& b, float dx, float dy) {
    float sum = 0, count = 0;
    overMoved(a, b, dx, dy, 2, [&](int x, int y, float v) { sum += std::abs(v - a.row(y)[x]), count += 1; });
    return count > 0 ? sum / count : 0;
}

void refine(const Level& a, const Level& b, int step, float& dx, float& dy) {
    for (int round = 0; round < 5; ++round) {
        float xx = 0, xy = 0, yy = 0, xt = 0, yt = 0;
        overMoved(a, b, dx, dy, step, [&](int x, int y, float v) {
            const float* s = a.row(y) + x;
            const float gx = 0.5f * (s[1] - s[-1]), gy = 0.5f * (s[a.w] - s[-a.w]), e = v - s[0];
            // What moves on its own must not pull the whole along.
            const float weight = 8 / (8 + std::abs(e));
            xx += weight * gx * gx, xy += weight * gx * gy, yy += weight * gy * gy;
            xt += weight * gx * e, yt += weight * gy * e;
        });
        const float det = xx * yy - xy * xy;
        if (det < 1e-3f * (xx + yy) * (xx + yy) + 1e-6f) return;
        const float sx = -(yy * xt - xy * yt) / det, sy = -(xx * yt - xy * xt) / det;
        dx += std::clamp(sx, -2.f, 2.f);
        dy += std::clamp(sy, -2.f, 2.f);
        if (std::abs(dx) > float(a.w) / 3 || std::abs(dy) > float(a.h) / 3 || std::abs(sx) + std::abs(sy) < 0.01f)
            return;
    }
}

} // namespace

Thumbprint thumbprint(const Plane& luma) {
    const Rect r = luma.area();
    return gather<float>(r.w, r.h, 219, 0, [&](int y, float* sums) {
        const float* s = luma.row(r.y + y);
        for (int x = 0; x < r.w; ++x) sums[x] += s[x];
    });
}

int lumaDepth(const AVFrame& f) {
    const auto* d = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(f.format));
    return d ? d->comp[0].depth : 8;
}

int planarLumaBytes(const AVFrame& f) {
    const auto* d = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(f.format));
    const bool plain = d &&
                       !(d->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_BE |
                                     AV_PIX_FMT_FLAG_FLOAT | AV_PIX_FMT_FLAG_BITSTREAM)) &&
                       d->comp[0].plane == 0 && d->comp[0].offset == 0 && d->comp[0].shift == 0 &&
                       d->comp[0].depth <= 16;
    const int bytes = plain && d->comp[0].depth > 8 ? 2 : 1;
    return plain && d->comp[0].step == bytes ? bytes : 0;
}

Thumbprint thumbprint(const AVFrame& f, bool full) {
    const int bytes = planarLumaBytes(f);
    if (bytes == 0) {
        Picture p = Picture::make(pictureFormatFor(static_cast<AVPixelFormat>(f.format), f.width, f.height, {}),
                                  {0, 0, f.width, f.height});
        toPicture(f, p);
        return thumbprint(p.planes[0]);
    }
    const double unit = 1.0 / (1 << (lumaDepth(f) - 8));
    const double scale = full ? 219.0 / 255 * unit : unit, offset = full ? 0 : 16;
    const auto sumOf = [&]<class Code>(Code) {
        return gather<std::uint32_t>(f.width, f.height, scale, offset, [&](int y, std::uint32_t* sums) {
            const auto* s = reinterpret_cast<const Code*>(f.data[0] + std::ptrdiff_t(y) * f.linesize[0]);
            for (int x = 0; x < f.width; ++x) sums[x] += s[x];
        });
    };
    return bytes == 2 ? sumOf(std::uint16_t{}) : sumOf(std::uint8_t{});
}

PrintDifference difference(const Thumbprint& a, const Thumbprint& b) {
    PrintDifference d;
    for (std::size_t i = 0; i < a.cells.size(); ++i) {
        const float v = std::abs(a.cells[i] - b.cells[i]);
        d.mean += v;
        d.most = std::max(d.most, v);
    }
    d.mean /= static_cast<float>(a.cells.size());
    return d;
}

float likeness(const Thumbprint& a, const Thumbprint& b) {
    double ma = 0, mb = 0, aa = 0, bb = 0, ab = 0;
    const auto n = double(a.cells.size());
    for (std::size_t i = 0; i < a.cells.size(); ++i) ma += a.cells[i] / n, mb += b.cells[i] / n;
    for (std::size_t i = 0; i < a.cells.size(); ++i) {
        const double x = a.cells[i] - ma, y = b.cells[i] - mb;
        aa += x * x, bb += y * y, ab += x * y;
    }
    if (aa < n || bb < n) return 0; // a step of variation at most: plain
    return static_cast<float>(ab / std::sqrt(aa * bb));
}

std::optional<float> continuity(const Thumbprint& a, const Thumbprint& b) {
    constexpr int kBlockW = 12, kBlockH = 9, kReachX = 20, kReachY = 12, kCells = kBlockW * kBlockH;
    constexpr float kPlain = 4, kLeastGain = 0.5f, kMostGain = 2;
    const auto cell = [](const Thumbprint& t, int x, int y) { return t.cells[static_cast<std::size_t>(y * kW + x)]; };
    struct Block {
        float mean = 0, variance = 0;
    };
    const auto blockAt = [&](const Thumbprint& t, int x, int y) {
        float sum = 0, squares = 0;
        for (int j = 0; j < kBlockH; ++j)
            for (int i = 0; i < kBlockW; ++i) {
                const float v = cell(t, x + i, y + j);
                sum += v, squares += v * v;
            }
        const float mean = sum / kCells;
        return Block{mean, std::max(0.f, squares / kCells - mean * mean)};
    };
    constexpr int kAcross = kW - kBlockW + 1, kDown = kH - kBlockH + 1;
    std::vector<Block> places;
    places.reserve(static_cast<std::size_t>(kAcross) * kDown);
    float texture = 0;
    for (int y = 0; y < kDown; ++y)
        for (int x = 0; x < kAcross; ++x) {
            places.push_back(blockAt(a, x, y));
            texture += places.back().variance >= kPlain;
        }
    float explained = 0;
    int blocks = 0;
    for (int y = 0; y + kBlockH <= kH; y += kBlockH)
        for (int x = 0; x + kBlockW <= kW; x += kBlockW) {
            const Block here = blockAt(b, x, y);
            if (here.variance < kPlain) continue;
            float least = here.variance;
            for (int v = std::max(0, y - kReachY); v <= std::min(kDown - 1, y + kReachY); ++v)
                for (int u = std::max(0, x - kReachX); u <= std::min(kAcross - 1, x + kReachX); ++u) {
                    const Block& there = places[static_cast<std::size_t>(v * kAcross + u)];
                    float product = 0;
                    for (int j = 0; j < kBlockH; ++j) {
                        const float *p = &a.cells[static_cast<std::size_t>((v + j) * kW + u)],
                                    *q = &b.cells[static_cast<std::size_t>((y + j) * kW + x)];
                        for (int i = 0; i < kBlockW; ++i) product += p[i] * q[i];
                    }
                    const float together = product / kCells - there.mean * here.mean,
                                own = std::max(there.variance, 1.f),
                                gain = std::clamp(together / own, kLeastGain, kMostGain);
                    least = std::min(least, here.variance - 2 * gain * together + gain * gain * there.variance);
                }
            explained += 1 - std::max(0.f, least) / here.variance;
            ++blocks;
        }
    if (blocks < 4 || texture < 0.08f * float(places.size())) return std::nullopt;
    return explained / float(blocks);
}

GlobalMotion globalMotion(const Thumbprint& a, const Thumbprint& b) {
    const Level a0{kW, kH, a.cells}, b0{kW, kH, b.cells};
    const Level a1 = halved(a0), b1 = halved(b0), a2 = halved(a1), b2 = halved(b1);
    float dx = 0, dy = 0;
    refine(a2, b2, 1, dx, dy);
    dx *= 2, dy *= 2;
    refine(a1, b1, 1, dx, dy);
    dx *= 2, dy *= 2;
    refine(a0, b0, 2, dx, dy);
    if (std::abs(dx) > kW / 3 || std::abs(dy) > kH / 3) return {};
    const float still = meanChange(a0, b0, 0, 0), moved = meanChange(a0, b0, dx, dy);
    GlobalMotion m{dx, dy, 0};
    if (still > 0.05f) m.trust = std::clamp(1 - moved / still, 0.f, 1.f);
    return m;
}

} // namespace ulm
