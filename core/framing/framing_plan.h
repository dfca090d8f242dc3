#pragma once

#include "core/picture/size.h"

#include <functional>

namespace ulm {

enum class Fill { Crop, Pad, Blur };

/// What the ticket asks of sizes and shapes; everything optional is "not said".
struct FramingWish {
    double scale = 1;              ///< of Enlarge, > 0
    std::optional<Size> size;      ///< of Enlarge: named or typed
    bool frame = false;            ///< the Frame step is on
    Size aspect{9, 16};            ///< of Frame
    std::optional<Size> delivered; ///< of Frame: exact delivered size
    Fill fill = Fill::Crop;
    double positionX = 0.5, positionY = 0.5; ///< where a crop sits in what is left over: 0 left/top, 1 right/bottom
};

/// Which window of the source (upright, square pixels as displayed; fractional) fills which part of the delivered
/// picture. Everything else of the delivered picture is padding or blurred fill. All delivered numbers are even.
struct FramingPlan {
    double srcX = 0, srcY = 0, srcW = 0, srcH = 0;
    int x = 0, y = 0, w = 0, h = 0; ///< where the window lands
    int width = 0, height = 0;      ///< delivered picture
    Fill fill = Fill::Crop;

    bool covers() const { return w == width && h == height; }
    double scale() const { return h / srcH; }
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
