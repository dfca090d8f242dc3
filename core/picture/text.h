#pragma once

#include <string>
#include <vector>

namespace ulm {

/// Coverage of a line of text as a mask of 0…1, in the type that ships with Ulmwood. Characters that the type lacks
/// are left out.
struct TextMask {
    int w = 0, h = 0; ///< h: 1.3 em, the baseline at 1 em
    std::vector<float> cover;
    float at(float x, float y) const; ///< bilinear; outside is 0
};
/// `text` in UTF-8; `pixels`: height of an em. Thread safe.
TextMask renderText(const std::string& text, float pixels, bool bold);

} // namespace ulm
