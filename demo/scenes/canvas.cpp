#include "demo/scenes/canvas.h"

namespace ulm::demo {

void drawText(Canvas& c, const std::string& text, float x, float y, float size, const Rgb& ink, bool bold, float turn) {
    const TextMask m = renderText(text, size * float(c.h), bold);
    const float wide = float(m.w) / float(c.h), tall = float(m.h) / float(c.h), co = std::cos(turn),
                si = std::sin(turn);
    const float reach = wide + tall;
    paintOver(c, x - reach, y - reach, x + reach, y + reach, [&](float px, float py, const Rgb& there) {
        const float dx = px - x, dy = py - y;
        const float k = m.at((dx * co + dy * si) * float(c.h), (dy * co - dx * si) * float(c.h));
        return k > 0 ? mix(there, ink, k) : there;
    });
}

} // namespace ulm::demo
