#include "core/proof/page.h"

#include "core/picture/text.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

PictureFormat rgbFormat(int w, int h) {
    PictureFormat f{w, h, 0, 0, 8, {}};
    f.colour = {1, 1, 0, true, 0};
    return f;
}

} // namespace

Page::Page(int width, int height, PageColour paper)
    : rgb_(Picture::make(rgbFormat(width, height), {0, 0, width, height})) {
    fill(rgb_.area, paper);
}

void Page::fill(const Rect& r, PageColour c) {
    const Rect in = r.intersected(rgb_.area);
    const float v[3] = {c.r, c.g, c.b};
    for (std::size_t p = 0; p < 3; ++p)
        for (int y = in.y; y < in.bottom(); ++y) std::fill_n(rgb_.planes[p].row(y) + in.x, in.w, v[p]);
}

void Page::put(const Picture& from, int x, int y) {
    const Rect in = Rect{x, y, from.area.w, from.area.h}.intersected(rgb_.area);
    for (std::size_t p = 0; p < 3; ++p)
        for (int row = in.y; row < in.bottom(); ++row)
            std::copy_n(from.planes[p].row(from.area.y + row - y) + (in.x - x), in.w, rgb_.planes[p].row(row) + in.x);
}

void Page::putScaled(const Picture& from, const Rect& box) {
    const Rect in = box.intersected(rgb_.area);
    const double kx = double(from.area.w) / box.w, ky = double(from.area.h) / box.h;
    for (int y = in.y; y < in.bottom(); ++y) {
        const int y0 = int((y - box.y) * ky), y1 = std::max(y0 + 1, int((y + 1 - box.y) * ky));
        for (int x = in.x; x < in.right(); ++x) {
            const int x0 = int((x - box.x) * kx), x1 = std::max(x0 + 1, int((x + 1 - box.x) * kx));
            for (std::size_t p = 0; p < 3; ++p) {
                float sum = 0;
                for (int j = y0; j < std::min(y1, from.area.h); ++j) {
                    const float* s = from.planes[p].row(from.area.y + j);
                    for (int i = x0; i < std::min(x1, from.area.w); ++i) sum += s[i];
                }
                rgb_.planes[p].row(y)[x] =
                    sum / float((std::min(y1, from.area.h) - y0) * (std::min(x1, from.area.w) - x0));
            }
        }
    }
}

int Page::write(const std::string& text, int x, int y, float pixels, PageColour ink, bool bold, int right) {
    if (right <= 0) right = width();
    TextMask m = renderText(text, pixels, bold);
    std::string shorter = text;
    while (x + m.w > right && shorter.size() > 1) {
        do shorter.pop_back();
        while (!shorter.empty() && (static_cast<unsigned char>(shorter.back()) & 0xC0) == 0x80); // whole characters
        m = renderText(shorter + "…", pixels, bold);
    }
    const Rect in = Rect{x, y, m.w, m.h}.intersected(rgb_.area);
    const float v[3] = {ink.r, ink.g, ink.b};
    for (int row = in.y; row < in.bottom(); ++row)
        for (int col = in.x; col < in.right(); ++col) {
            const float k = m.cover[static_cast<std::size_t>(row - y) * m.w + (col - x)];
            for (std::size_t p = 0; p < 3; ++p) {
                float& s = rgb_.planes[p].row(row)[col];
                s += (v[p] - s) * k;
            }
        }
    return x + m.w;
}

void Page::writeLines(const std::string& text, int x, int y, float pixels, PageColour ink, int right, int most) {
    std::string rest = text;
    for (int line = 1; !rest.empty(); ++line, y += int(1.35f * pixels)) {
        if (line == most) {
            write(rest, x, y, pixels, ink, false, right);
            return;
        }
        // As many words as go in, but one at least.
        std::size_t end = rest.find(' ');
        for (std::size_t next = end; end != std::string::npos; end = next) {
            next = rest.find(' ', end + 1);
            if (x + renderText(rest.substr(0, next), pixels, false).w > right) break;
        }
        write(rest.substr(0, end), x, y, pixels, ink, false, right);
        rest = end == std::string::npos ? "" : rest.substr(end + 1);
    }
}

} // namespace ulm
