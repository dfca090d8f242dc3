#include "core/framing/framing_plan.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr int kMostAside = 8192;

int even(double v) { return std::max(2, static_cast<int>(std::lround(v / 2)) * 2); }

// The largest shape of this aspect inside, or the smallest around, w × h.
Size shaped(double w, double h, Size aspect, bool inside) {
    const double a = double(aspect.w) / aspect.h;
    const bool wide = w / h > a;
    if (wide == inside) return {even(h * a), even(h)};
    return {even(w), even(w / a)};
}

bool cutsSides(Fill f) { return f == Fill::Crop || f == Fill::Split; }

// The window of `source` that covers w × h, closer by the place's zoom. Under half a line of difference is rounding,
// not a crop.
void cover(Size source, int w, int h, const FramingWish::Place& at, double& x, double& y, double& srcW, double& srcH) {
    const double sw = source.w, sh = source.h, zoom = std::max(1.0, at.zoom), scale = std::max(w / sw, h / sh);
    srcW = w / scale, srcH = h / scale;
    if ((sw - srcW) * scale < 1.01) srcW = sw;
    if ((sh - srcH) * scale < 1.01) srcH = sh;
    srcW /= zoom, srcH /= zoom;
    x = (sw - srcW) * std::clamp(at.x, 0.0, 1.0);
    y = (sh - srcH) * std::clamp(at.y, 0.0, 1.0);
}

} // namespace

FramingPlan planFraming(Size source, const FramingWish& wish) {
    const double sw = source.w, sh = source.h;
    const bool whole = !wish.frame && !wish.size;
    Size out;
    if (wish.frame && wish.delivered)
        out = *wish.delivered;
    else if (wish.size)
        out = wish.frame ? shaped(wish.size->w, wish.size->h, wish.aspect, cutsSides(wish.fill)) : *wish.size;
    else if (wish.frame)
        out = shaped(sw * wish.scale, sh * wish.scale, wish.aspect, cutsSides(wish.fill));
    // Nothing asked: every pixel stays, but for a last odd line or column, which 4:2:0 cannot carry.
    else if (wish.scale == 1)
        out = {std::max(2, source.w & ~1), std::max(2, source.h & ~1)};
    else
        out = {even(sw * wish.scale), even(sh * wish.scale)};
    out = {even(out.w), even(out.h)};
    if (out.w > kMostAside || out.h > kMostAside)
        throw Error(Fault::Usage, "",
                    "a picture of " + std::to_string(out.w) + "×" + std::to_string(out.h) + " cannot be delivered",
                    "Choose a size between 2 and 8192 pixels a side.");

    FramingPlan p;
    p.width = out.w;
    p.height = out.h;
    p.fill = wish.frame ? wish.fill : Fill::Crop;
    if (p.fill == Fill::Crop) {
        p.w = out.w;
        p.h = out.h;
        if (whole) {
            p.srcW = wish.scale == 1 ? std::min(sw, double(out.w)) : sw;
            p.srcH = wish.scale == 1 ? std::min(sh, double(out.h)) : sh;
            return p;
        }
        cover(source, out.w, out.h, wish.place, p.srcX, p.srcY, p.srcW, p.srcH);
        return p;
    }
    if (p.fill == Fill::Split) {
        p.w = out.w;
        p.h = std::clamp(even(out.h * wish.split), 2, out.h - 2);
        cover(source, p.w, p.h, wish.place, p.srcX, p.srcY, p.srcW, p.srcH);
        cover(source, p.w, out.h - p.h, wish.lower, p.lowX, p.lowY, p.lowW, p.lowH);
        return p;
    }
    const double scale = std::min(out.w / sw, out.h / sh);
    p.srcW = sw;
    p.srcH = sh;
    p.w = std::min(out.w, even(sw * scale));
    p.h = std::min(out.h, even(sh * scale));
    p.x = (out.w - p.w) / 4 * 2; // even, so 4:2:0 chroma lands on its grid
    p.y = (out.h - p.h) / 4 * 2;
    return p;
}

} // namespace ulm
