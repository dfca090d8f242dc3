#pragma once

#include "core/picture/size.h"

#include <algorithm>
#include <functional>

namespace ulm {

enum class Fill { Crop, Split, Pad, Blur };

/// What the ticket asks of sizes and shapes; everything optional is "not said".
struct FramingWish {
    double scale = 1;              ///< of Enlarge, > 0
    std::optional<Size> size;      ///< of Enlarge: named or typed
    bool frame = false;            ///< the Frame step is on
    Size aspect{9, 16};            ///< of Frame
    std::optional<Size> delivered; ///< of Frame: exact delivered size
    Fill fill = Fill::Crop;
    /// Where a crop sits in what is left over (0 left/top, 1 right/bottom), and how much closer it comes, >= 1.
    struct Place {
        double x = 0.5, y = 0.5, zoom = 1;
    };
    Place place;
    Place lower;        ///< of a split, whose upper place is `place`
    double split = 0.5; ///< share of the height that the upper one takes
};

/// Which window of the source (upright, square pixels as displayed; fractional) fills which part of the delivered
/// picture. Everything else of the delivered picture is padding, blurred fill, or the lower place of a split. All
/// delivered numbers are even.
struct FramingPlan {
    double srcX = 0, srcY = 0, srcW = 0, srcH = 0;
    int x = 0, y = 0, w = 0, h = 0; ///< where the window lands
    int width = 0, height = 0;      ///< delivered picture
    Fill fill = Fill::Crop;
    double lowX = 0, lowY = 0, lowW = 0, lowH = 0; ///< of a split: the window that lands below the first

    bool covers() const { return w == width && h == height; }
    double scale() const { return fill == Fill::Split ? std::max(h / srcH, (height - h) / lowH) : h / srcH; }
    /// Of a split: the plan of its lower place alone, landing where it lies.
    FramingPlan lower() const {
        FramingPlan p = *this;
        p.srcX = lowX, p.srcY = lowY, p.srcW = lowW, p.srcH = lowH;
        p.y = h, p.h = height - h;
        p.fill = Fill::Crop;
        return p;
    }
    /// A row of the delivered picture belongs to the lower place.
    bool isLower(double row) const { return fill == Fill::Split && row >= h; }
    bool identity(Size source) const {
        return covers() && width == source.w && height == source.h && srcX == 0 && srcY == 0 && srcW == source.w &&
               srcH == source.h;
    }
};

/// The framing of every frame: where it lands is the same for all, which window of the source may move.
struct FramingPath {
    FramingPlan still;                                 ///< of every frame, where `at` is null
    std::function<FramingPlan(std::int64_t frame)> at; ///< null: it does not move
    std::uint64_t key = 0;                             ///< identity of `at`
    FramingPlan operator()(std::int64_t frame) const { return at ? at(frame) : still; }
};

/// Works the plan out. Rules, in order: Frame's size is delivered exactly; else Enlarge's size, cut to Frame's aspect
/// where that step is on; else the source times the scale, cut (crop) or extended (pad, blur) to the aspect. A size
/// whose aspect differs from what fills it is covered and cropped, evenly, never stretched.
/// Errors: Fault::Usage where the delivered picture would be under 2 or over 8192 pixels a side.
FramingPlan planFraming(Size source, const FramingWish& wish);

} // namespace ulm
