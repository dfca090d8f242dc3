#include "core/picture/text.h"

#include <algorithm>
#include <cmath>
#include <ft2build.h>
#include <mutex>
#include <stdexcept>
#include FT_FREETYPE_H

// The fonts' files are built in, so that nothing is searched for at run time.
#define BUILT_IN(name, file)                                                                                           \
    asm(".section .rodata\n.balign 16\n.global " #name "\n" #name ":\n.incbin \"" file "\"\n.global " #name            \
        "_end\n" #name "_end:\n.byte 0\n.previous\n");
BUILT_IN(ulm_font_medium, FONT_MEDIUM)
BUILT_IN(ulm_font_bold, FONT_BOLD)
extern "C" {
extern const unsigned char ulm_font_medium[], ulm_font_medium_end[], ulm_font_bold[], ulm_font_bold_end[];
}

namespace ulm {
namespace {

// Code points of UTF-8; a byte that begins none is skipped.
std::vector<FT_ULong> codePoints(const std::string& text) {
    std::vector<FT_ULong> out;
    for (std::size_t i = 0; i < text.size();) {
        const auto c = static_cast<unsigned char>(text[i]);
        const int more = c < 0x80 ? 0 : c >= 0xF0 ? 3 : c >= 0xE0 ? 2 : c >= 0xC0 ? 1 : -1;
        bool whole = more >= 0 && c <= 0xF4 && i + static_cast<std::size_t>(more) < text.size();
        for (int k = 1; whole && k <= more; ++k)
            whole = (static_cast<unsigned char>(text[i + static_cast<std::size_t>(k)]) & 0xC0) == 0x80;
        if (!whole) { // no character: skip the byte alone
            ++i;
            continue;
        }
        FT_ULong v = more == 0 ? c : c & (0x3Fu >> more);
        for (int k = 1; k <= more; ++k)
            v = v << 6 | (static_cast<unsigned char>(text[i + static_cast<std::size_t>(k)]) & 0x3Fu);
        out.push_back(v);
        i += static_cast<std::size_t>(more) + 1;
    }
    return out;
}

} // namespace

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
        std::mutex mutex;
        Library() {
            const auto open = [&](const unsigned char* from, const unsigned char* to, FT_Face& face) {
                return FT_New_Memory_Face(lib, from, static_cast<FT_Long>(to - from), 0, &face) != 0;
            };
            if (FT_Init_FreeType(&lib) || open(ulm_font_medium, ulm_font_medium_end, faces[0]) ||
                open(ulm_font_bold, ulm_font_bold_end, faces[1]))
                throw std::runtime_error("the built-in fonts cannot be opened");
        }
    };
    static Library library;
    std::lock_guard lock(library.mutex);
    FT_Face face = library.faces[bold];
    FT_Set_Char_Size(face, 0, static_cast<FT_F26Dot6>(pixels * 64), 72, 72);
    TextMask m;
    m.h = static_cast<int>(pixels * 1.3f);
    const auto points = codePoints(text);
    int pen = 0;
    for (const FT_ULong ch : points)
        if (FT_Get_Char_Index(face, ch) && !FT_Load_Char(face, ch, FT_LOAD_NO_HINTING))
            pen += static_cast<int>((face->glyph->linearHoriAdvance + 0x8000) >> 16);
    m.w = pen + 4;
    m.cover.assign(static_cast<std::size_t>(m.w) * m.h, 0.f);
    pen = 1;
    for (const FT_ULong ch : points) {
        if (!FT_Get_Char_Index(face, ch) || FT_Load_Char(face, ch, FT_LOAD_RENDER | FT_LOAD_NO_HINTING)) continue;
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
        pen += static_cast<int>((g->linearHoriAdvance + 0x8000) >> 16);
    }
    return m;
}

} // namespace ulm
