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

} // namespace

FramingPlan planFraming(Size source, const FramingWish& wish) {
    const double sw = source.w, sh = source.h;
    const bool whole = !wish.frame && !wish.size;
    Size out;
    if (wish.frame && wish.delivered)
        out = *wish.delivered;
    else if (wish.size)
        out = wish.frame ? shaped(wish.size->w, wish.size->h, wish.aspect, wish.fill == Fill::Crop) : *wish.size;
    else if (wish.frame)
        out = shaped(sw * wish.scale, sh * wish.scale, wish.aspect, wish.fill == Fill::Crop);
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
        // Cover: the window has the delivered aspect. Under half a line of difference is rounding, not a crop.
        const double scale = std::max(out.w / sw, out.h / sh);
        p.srcW = out.w / scale;
        p.srcH = out.h / scale;
        if ((sw - p.srcW) * scale < 1.01) p.srcW = sw;
        if ((sh - p.srcH) * scale < 1.01) p.srcH = sh;
        p.srcX = (sw - p.srcW) * std::clamp(wish.positionX, 0.0, 1.0);
        p.srcY = (sh - p.srcH) * std::clamp(wish.positionY, 0.0, 1.0);
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
