// Cells of prints: where they lie in the upright picture, and how what lies in them is followed from frame to frame.
#include "core/inspect/subject.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ulm {
namespace {

constexpr int kW = Thumbprint::kColumns, kH = Thumbprint::kRows;

float at(const Thumbprint& t, int x, int y) { return t.cells[std::size_t(y * kW + x)]; }

} // namespace

SubjectPlace uprightPlace(const CellBox& c, const Turning& s) {
    float x = (c.x + 0.5f) / kW, y = (c.y + 0.5f) / kH, w = float(c.w) / kW, h = float(c.h) / kH;
    if (s.mirrored) x = 1 - x;
    for (int turned = 0; turned < s.rotation; turned += 90) {
        const float was = x;
        x = 1 - y, y = was;
        std::swap(w, h);
    }
    return {x, y, w, h};
}

CellBox storedCells(const SubjectPlace& p, const Turning& s) {
    float x = p.x, y = p.y, w = p.w, h = p.h;
    for (int turned = 0; turned < s.rotation; turned += 90) {
        const float was = x;
        x = y, y = 1 - was;
        std::swap(w, h);
    }
    if (s.mirrored) x = 1 - x;
    return {x * kW - 0.5f, y * kH - 0.5f, int(w * kW) | 1, int(h * kH) | 1};
}

std::vector<CellBox> followCells(const std::vector<Thumbprint>& prints, std::int64_t from, std::int64_t to,
                                 CellBox box) {
    box.w = std::clamp(box.w | 1, 3, 31), box.h = std::clamp(box.h | 1, 3, 31);
    const auto inside = [&](int x, int y) {
        return x - box.w / 2 >= 0 && x + box.w / 2 < kW && y - box.h / 2 >= 0 && y + box.h / 2 < kH;
    };
    int x = std::clamp(int(std::lround(box.x)), box.w / 2, kW - 1 - box.w / 2),
        y = std::clamp(int(std::lround(box.y)), box.h / 2, kH - 1 - box.h / 2);
    const int apart = box.w * box.h > 400 ? 2 : 1; // of what is large every other cell each way says enough
    const auto cut = [&](const Thumbprint& t, int cx, int cy) {
        std::vector<float> cells;
        for (int j = -box.h / 2; j <= box.h / 2; j += apart)
            for (int i = -box.w / 2; i <= box.w / 2; i += apart) cells.push_back(at(t, cx + i, cy + j));
        return cells;
    };
    std::vector<float> like = cut(prints[std::size_t(from)], x, y);
    const auto spread = [&] {
        const float mean = std::accumulate(like.begin(), like.end(), 0.f) / float(like.size());
        float sum = 0;
        for (const float v : like) sum += std::abs(v - mean);
        return sum / float(like.size());
    };
    std::vector<CellBox> path = {{float(x), float(y), box.w, box.h}};
    const std::int64_t step = to >= from ? 1 : -1;
    int vx = 0, vy = 0;
    for (std::int64_t n = from; n != to;) {
        n += step;
        const Thumbprint& t = prints[std::size_t(n)];
        float least = 1e9f;
        int bx = x, by = y;
        constexpr int kReach = 5;
        for (int dy = -kReach; dy <= kReach; ++dy)
            for (int dx = -kReach; dx <= kReach; ++dx) {
                const int cx = x + vx + dx, cy = y + vy + dy;
                if (!inside(cx, cy)) continue;
                float sum = 0;
                std::size_t k = 0;
                for (int j = -box.h / 2; j <= box.h / 2; j += apart)
                    for (int i = -box.w / 2; i <= box.w / 2; i += apart)
                        sum += std::abs(at(t, cx + i, cy + j) - like[k++]);
                sum = sum / float(like.size()) + 0.15f * float(std::abs(dx) + std::abs(dy)); // straight on, in doubt
                if (sum < least) least = sum, bx = cx, by = cy;
            }
        if (least > 4 + 0.6f * spread()) break; // something else is there
        vx = std::clamp((bx - x + vx) / 2, -4, 4), vy = std::clamp((by - y + vy) / 2, -4, 4);
        x = bx, y = by;
        const std::vector<float> now = cut(t, x, y);
        for (std::size_t k = 0; k < like.size(); ++k) like[k] += 0.12f * (now[k] - like[k]);
        path.push_back({float(x), float(y), box.w, box.h});
    }
    return path;
}

} // namespace ulm
