#pragma once

#include "core/picture/rect.h"

#include <cstdint>
#include <optional>
#include <string>

namespace ulm {

struct Size {
    int w = 0, h = 0;
    bool operator==(const Size&) const = default;
};

/// A box on one frame of a clip.
struct TimedBox {
    std::int64_t frame = 0;
    Rect box;
    bool operator==(const TimedBox&) const = default;
};

/// "9:16" → {9, 16}; "1080x1920" or "1080×1920" → {1080, 1920}. Empty where the text is neither, or not positive.
std::optional<Size> parseAspect(const std::string& text);
std::optional<Size> parseSize(const std::string& text);

std::string sizeText(Size);   ///< "1080×1920"
std::string aspectText(Size); ///< "9:16", in lowest terms

} // namespace ulm
