#pragma once

#include <algorithm>

namespace ulm {

/// Half-open rectangle in pixels: x ≤ column < x + w, y ≤ row < y + h. Empty where w or h ≤ 0.
struct Rect {
    int x = 0, y = 0, w = 0, h = 0;

    int right() const { return x + w; }
    int bottom() const { return y + h; }
    bool empty() const { return w <= 0 || h <= 0; }
    long long pixels() const { return empty() ? 0 : static_cast<long long>(w) * h; }
    bool contains(const Rect& o) const {
        return o.x >= x && o.y >= y && o.right() <= right() && o.bottom() <= bottom();
    }
    Rect grown(int by) const { return {x - by, y - by, w + 2 * by, h + 2 * by}; }
    Rect moved(int dx, int dy) const { return {x + dx, y + dy, w, h}; }
    Rect intersected(const Rect& o) const {
        const int l = std::max(x, o.x), t = std::max(y, o.y);
        return {l, t, std::max(0, std::min(right(), o.right()) - l), std::max(0, std::min(bottom(), o.bottom()) - t)};
    }
    /// The least rectangle around both; an empty one adds nothing.
    Rect united(const Rect& o) const {
        if (empty()) return o;
        if (o.empty()) return *this;
        const int l = std::min(x, o.x), t = std::min(y, o.y);
        return {l, t, std::max(right(), o.right()) - l, std::max(bottom(), o.bottom()) - t};
    }
    bool operator==(const Rect&) const = default;
};

/// The samples of a plane subsampled by 2^sw, 2^sh that lie, wholly or partly, under `luma`.
inline Rect subsampled(const Rect& luma, int sw, int sh) {
    const int l = luma.x >> sw, t = luma.y >> sh;
    return {l, t, ((luma.right() + (1 << sw) - 1) >> sw) - l, ((luma.bottom() + (1 << sh) - 1) >> sh) - t};
}

} // namespace ulm
