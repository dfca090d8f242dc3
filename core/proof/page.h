#pragma once

#include "core/picture/picture.h"

#include <string>

namespace ulm {

struct PageColour {
    float r = 0, g = 0, b = 0;
};

/// A sheet of R'G'B' to lay pictures and words on.
class Page {
public:
    Page(int width, int height, PageColour paper);
    int width() const { return rgb_.area.w; }
    int height() const { return rgb_.area.h; }
    const Picture& picture() const { return rgb_; }
    /// Clipped to the sheet.
    void fill(const Rect&, PageColour);
    /// An R'G'B' picture with its top left corner at (x, y), pixel for pixel.
    void put(const Picture& rgb, int x, int y);
    /// The same scaled to fill `box` (nearest to the middle of its pixels' areas: box filter when shrinking).
    void putScaled(const Picture& rgb, const Rect& box);
    /// A line of words, its top left corner at (x, y), an em of `pixels`; returns where it ends. Cut off with an
    /// ellipsis where it would pass `right` (0: the sheet's edge).
    int write(const std::string& text, int x, int y, float pixels, PageColour ink, bool bold = false, int right = 0);
    /// The same over up to `most` lines, parted between words; what does not go into the last one is cut off there.
    void writeLines(const std::string& text, int x, int y, float pixels, PageColour ink, int right, int most);

private:
    Picture rgb_;
};

} // namespace ulm
