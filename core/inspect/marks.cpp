#include "core/inspect/marks.h"

#include "core/inspect/fault_map.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr float kChanges = 28; // steps between the darkest and the brightest of all frames: more than noise makes

constexpr float kSteps = 219;

struct Box {
    int left, top, right, bottom, cells; ///< inclusive cells
};

// Joins marked cells that touch, also over one empty cell sideways (between words).
std::vector<Box> joined(std::vector<char> cells, int columns, int rows, int reach) {
    std::vector<Box> boxes;
    std::vector<std::pair<int, int>> open;
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            if (!cells[static_cast<std::size_t>(r * columns + c)]) continue;
            Box b{c, r, c, r, 0};
            open.push_back({c, r});
            cells[static_cast<std::size_t>(r * columns + c)] = 0;
            while (!open.empty()) {
                const auto [x, y] = open.back();
                open.pop_back();
                ++b.cells;
                b = {std::min(b.left, x), std::min(b.top, y), std::max(b.right, x), std::max(b.bottom, y), b.cells};
                for (int dy = -1; dy <= 1; ++dy)
                    for (int dx = -reach; dx <= reach; ++dx) {
                        const int nx = x + dx, ny = y + dy;
                        if (nx < 0 || ny < 0 || nx >= columns || ny >= rows) continue;
                        char& cell = cells[static_cast<std::size_t>(ny * columns + nx)];
                        if (cell) cell = 0, open.push_back({nx, ny});
                    }
            }
            boxes.push_back(b);
        }
    return boxes;
}

} // namespace

std::vector<Mark> findText(const Plane& p, std::int64_t frame) {
    constexpr int kCell = FaultMap::kBlock;
    constexpr float kStroke = 16 / kSteps, kContrast = 60 / kSteps;
    const Rect r = p.area();
    const int columns = r.w / kCell, rows = r.h / kCell;
    std::vector<char> cells(static_cast<std::size_t>(std::max(0, columns * rows)), 0);
    for (int row = 0; row < rows; ++row)
        for (int col = 0; col < columns; ++col) {
            float low = 1e9f, high = -1e9f;
            int turns = 0, linesWithTurns = 0;
            for (int y = 0; y < kCell; ++y) {
                const float* s = p.row(r.y + row * kCell + y) + col * kCell;
                int last = 0, here = 0;
                for (int x = 0; x + 1 < kCell; ++x) {
                    low = std::min(low, s[x]), high = std::max(high, s[x]);
                    const float g = s[x + 1] - s[x];
                    const int sign = g > kStroke ? 1 : g < -kStroke ? -1 : 0;
                    if (sign && sign != last) here += last != 0, last = sign;
                }
                turns += here;
                linesWithTurns += here > 0;
            }
            if (high - low < kContrast || turns < kCell || linesWithTurns < kCell / 2) continue;
            // Letters are ink on ground: most samples lie near one of the two.
            int near = 0;
            for (int y = 0; y < kCell; y += 2) {
                const float* s = p.row(r.y + row * kCell + y) + col * kCell;
                for (int x = 0; x < kCell; ++x)
                    near += s[x] - low < 0.25f * (high - low) || high - s[x] < 0.25f * (high - low);
            }
            cells[static_cast<std::size_t>(row * columns + col)] = near > kCell * kCell / 2 * 0.62;
        }
    std::vector<Mark> out;
    for (const Box& b : joined(cells, columns, rows, 2)) {
        const int w = b.right - b.left + 1, h = b.bottom - b.top + 1;
        const double fill = double(b.cells) / (w * h);
        if (b.cells < 2 || w < 1.5 * h || h > 8 || fill < 0.45) continue;
        out.push_back({frame,
                       Rect{r.x + b.left * kCell, r.y + b.top * kCell, w * kCell, h * kCell}.grown(4).intersected(r),
                       std::min(0.9, 0.3 + 0.06 * b.cells + 0.3 * fill)});
    }
    return out;
}

void OverlayFinder::add(const Plane& p) {
    if (frames_.size() >= 24) return;
    if (frames_.empty()) {
        area_ = p.area();
        shrink_ = std::max(1, std::max(area_.w, area_.h) / 480);
        w_ = area_.w / shrink_;
        h_ = area_.h / shrink_;
    }
    if (p.area() != area_ || w_ < 16 || h_ < 16) return;
    std::vector<float> small(static_cast<std::size_t>(w_) * h_);
    for (int y = 0; y < h_; ++y)
        for (int x = 0; x < w_; ++x) {
            float sum = 0;
            for (int j = 0; j < shrink_; ++j) {
                const float* s = p.row(area_.y + y * shrink_ + j) + x * shrink_;
                for (int i = 0; i < shrink_; ++i) sum += s[i];
            }
            small[static_cast<std::size_t>(y * w_ + x)] = sum * kSteps / float(shrink_ * shrink_);
        }
    std::vector<float> gradients(2 * small.size(), 0.f);
    for (int y = 0; y + 1 < h_; ++y)
        for (int x = 0; x + 1 < w_; ++x) {
            const auto i = static_cast<std::size_t>(y * w_ + x);
            gradients[i] = small[i + 1] - small[i];
            gradients[small.size() + i] = small[i + static_cast<std::size_t>(w_)] - small[i];
        }
    frames_.push_back(std::move(gradients));
    levels_.push_back(std::move(small));
}

bool OverlayFinder::pictureChanges() const {
    int changing = 0, all = 0;
    for (std::size_t i = 0; i < levels_[0].size(); i += 7) {
        float low = 1e9f, high = -1e9f;
        for (const auto& f : levels_) low = std::min(low, f[i]), high = std::max(high, f[i]);
        ++all;
        changing += high - low > kChanges;
    }
    return changing > 0.5 * all;
}

// Most of a band of ten samples around the box changes from frame to frame: a still part of a still scene does not
// count as lying over the picture.
bool OverlayFinder::surroundingsChange(int left, int top, int right, int bottom) const {
    constexpr int kBand = 10;
    int changing = 0, all = 0;
    for (int y = std::max(0, top - kBand); y < std::min(h_, bottom + kBand); y += 2)
        for (int x = std::max(0, left - kBand); x < std::min(w_, right + kBand); x += 2) {
            if (x >= left && x < right && y >= top && y < bottom) continue;
            float low = 1e9f, high = -1e9f;
            for (const auto& f : levels_) {
                const float v = f[static_cast<std::size_t>(y * w_ + x)];
                low = std::min(low, v), high = std::max(high, v);
            }
            ++all;
            changing += high - low > kChanges;
        }
    return changing > 0.75 * all;
}

std::vector<Mark> OverlayFinder::find() const {
    if (frames_.size() < 5 || !pictureChanges()) return {};
    constexpr float kEdge = 10;
    constexpr int kCell = 8;
    const std::size_t half = frames_[0].size() / 2, n = frames_.size();
    std::vector<char> stays(half, 0);
    std::vector<float> values(n);
    for (std::size_t i = 0; i < half; ++i) {
        char stay = 0; // 1: its change across stays, 2: its change down
        for (const std::size_t at : {i, i + half}) {
            std::size_t strong = 0;
            for (std::size_t k = 0; k < n; ++k) strong += std::abs(values[k] = frames_[k][at]) > kEdge;
            if (strong < n * 4 / 5) continue;
            const auto m = values.begin() + static_cast<std::ptrdiff_t>(n / 2);
            std::ranges::nth_element(values, m);
            const float median = *m;
            std::size_t alike = 0;
            for (std::size_t k = 0; k < n; ++k) alike += std::abs(frames_[k][at] - median) < 0.3f * std::abs(median);
            if (alike >= n * 4 / 5) stay = static_cast<char>(stay | (at == i ? 1 : 2));
        }
        stays[i] = stay;
    }
    const int columns = w_ / kCell, rows = h_ / kCell;
    std::vector<char> cells(static_cast<std::size_t>(columns * rows), 0);
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            // A level line stays put under a level pan: only what has upright edges, too, is fixed.
            int across = 0, any = 0;
            for (int y = 0; y < kCell; ++y)
                for (int x = 0; x < kCell; ++x) {
                    const char s = stays[static_cast<std::size_t>((r * kCell + y) * w_ + c * kCell + x)];
                    across += s & 1;
                    any += s != 0;
                }
            cells[static_cast<std::size_t>(r * columns + c)] = any >= 4 && across >= 2;
        }
    std::vector<Mark> out;
    for (const Box& b : joined(cells, columns, rows, 2)) {
        if (b.cells < 3 ||
            !surroundingsChange(b.left * kCell, b.top * kCell, (b.right + 1) * kCell, (b.bottom + 1) * kCell))
            continue;
        const Rect box{area_.x + b.left * kCell * shrink_, area_.y + b.top * kCell * shrink_,
                       (b.right - b.left + 1) * kCell * shrink_, (b.bottom - b.top + 1) * kCell * shrink_};
        out.push_back({0, box, std::min(0.95, 0.4 + 0.02 * b.cells + 0.02 * double(n))});
    }
    std::ranges::sort(out, std::greater{}, [](const Mark& m) { return m.box.pixels(); });
    if (out.size() > 6) out.resize(6);
    return out;
}

void BarFinder::add(const Plane& p) {
    constexpr float kBlack = 3 / kSteps;
    const Rect r = p.area();
    const auto black = [&](int x, int y, int dx, int dy, int n) {
        int dark = 0;
        for (int i = 0; i < n; ++i) dark += p.at(x + i * dx, y + i * dy) < kBlack;
        return dark > n * 0.995;
    };
    int top = 0, bottom = 0, left = 0, right = 0;
    while (top < r.h && black(r.x, r.y + top, 1, 0, r.w)) ++top;
    if (top == r.h) return;
    while (black(r.x, r.bottom() - 1 - bottom, 1, 0, r.w)) ++bottom;
    const int tall = r.h - top - bottom;
    while (left < r.w && black(r.x + left, r.y + top, 0, 1, tall)) ++left;
    while (right < r.w - left && black(r.right() - 1 - right, r.y + top, 0, 1, tall)) ++right;
    area_ = r;
    top_ = std::min(top_, top);
    bottom_ = std::min(bottom_, bottom);
    left_ = std::min(left_, left);
    right_ = std::min(right_, right);
}

Rect BarFinder::inside() const {
    if (area_.empty()) return area_;
    // A line or two is no bar.
    const auto bar = [](int n) { return n >= 4 ? n : 0; };
    const Rect r{area_.x + bar(left_), area_.y + bar(top_), area_.w - bar(left_) - bar(right_),
                 area_.h - bar(top_) - bar(bottom_)};
    return r.w < area_.w / 8 || r.h < area_.h / 8 ? area_ : r;
}

} // namespace ulm
