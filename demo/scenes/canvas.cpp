#include "demo/scenes/canvas.h"

#include <algorithm>
#include <ft2build.h>
#include <stdexcept>
#include FT_FREETYPE_H

namespace ulm::demo {

float TextMask::at(float x, float y) const {
    x -= 0.5f;
    y -= 0.5f;
    const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
    const auto v = [&](int i, int j) {
        return i < 0 || j < 0 || i >= w || j >= h ? 0.f : cover[static_cast<std::size_t>(j) * w + i];
    };
    const float fx = x - float(ix), fy = y - float(iy);
    const float a = v(ix, iy) + (v(ix + 1, iy) - v(ix, iy)) * fx,
                b = v(ix, iy + 1) + (v(ix + 1, iy + 1) - v(ix, iy + 1)) * fx;
    return a + (b - a) * fy;
}

TextMask renderText(const std::string& text, float pixels, bool bold) {
    struct Library {
        FT_Library lib = nullptr;
        FT_Face faces[2] = {};
        Library() {
            if (FT_Init_FreeType(&lib) || FT_New_Face(lib, FONT_MEDIUM, 0, &faces[0]) ||
                FT_New_Face(lib, FONT_BOLD, 0, &faces[1]))
                throw std::runtime_error("the demo's fonts cannot be opened");
        }
    };
    static Library library;
    FT_Face face = library.faces[bold];
    FT_Set_Char_Size(face, 0, static_cast<FT_F26Dot6>(pixels * 64), 72, 72);
    TextMask m;
    m.h = static_cast<int>(pixels * 1.3f);
    int pen = 0;
    for (const char ch : text) {
        FT_Load_Char(face, static_cast<unsigned char>(ch), FT_LOAD_NO_HINTING);
        pen += static_cast<int>(face->glyph->advance.x >> 6);
    }
    m.w = pen + 4;
    m.cover.assign(static_cast<std::size_t>(m.w) * m.h, 0.f);
    pen = 1;
    for (const char ch : text) {
        FT_Load_Char(face, static_cast<unsigned char>(ch), FT_LOAD_RENDER | FT_LOAD_NO_HINTING);
        const FT_GlyphSlot g = face->glyph;
        for (unsigned y = 0; y < g->bitmap.rows; ++y)
            for (unsigned x = 0; x < g->bitmap.width; ++x) {
                const int tx = pen + g->bitmap_left + static_cast<int>(x),
                          ty = static_cast<int>(pixels) - g->bitmap_top + static_cast<int>(y);
                if (tx >= 0 && tx < m.w && ty >= 0 && ty < m.h)
                    m.cover[static_cast<std::size_t>(ty) * m.w + tx] =
                        std::max(m.cover[static_cast<std::size_t>(ty) * m.w + tx],
                                 float(g->bitmap.buffer[y * static_cast<unsigned>(g->bitmap.pitch) + x]) / 255);
            }
        pen += static_cast<int>(g->advance.x >> 6);
    }
    return m;
}

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
