#include "demo/scenes/scene.h"

#include <algorithm>

namespace ulm::demo {
namespace {

// A line-art title that draws itself: a bird over a row of pots, the studio's name, a ruled frame. Square.
class Ident : public Scene {
public:
    Ident(int w, int h, std::uint32_t) : paper_(w, h) {
        paint(
            paper_,
            [](float x, float y) {
                const float edge = std::min(std::min(x, 1 - x), std::min(y, 1 - y));
                const bool rule = std::abs(edge - 0.045f) < 0.0022f || std::abs(edge - 0.056f) < 0.0010f;
                return rule ? hex(0x23323a) : hex(0xf1ead9);
            },
            3);
        addBird();
        addPots();
    }

    void draw(double t, Canvas& c) override {
        c.pixels = paper_.pixels;
        const float grown = smooth(0.2f, 4.0f, float(t));
        const float bob = 0.008f * std::sin(float(t) * 2.2f);
        const auto limit = static_cast<std::size_t>(grown * float(strokes_.size()));
        for (std::size_t i = 0; i < limit; ++i) {
            const Stroke& s = strokes_[i];
            segment(c, s, s.bird ? bob : 0);
        }
        reveal(c, "Tern Street", 0.185f, 0.655f, 0.118f, smooth(2.2f, 4.6f, float(t)), hex(0x23323a), true);
        reveal(c, "POTTERY", 0.315f, 0.795f, 0.088f, smooth(3.4f, 5.2f, float(t)), hex(0xb4532a), true);
        reveal(c, "hand thrown since the spring", 0.262f, 0.895f, 0.034f, smooth(4.4f, 5.8f, float(t)), hex(0x23323a),
               false);
    }

private:
    struct Stroke {
        float ax, ay, bx, by, r;
        Rgb ink;
        bool bird;
    };

    void curve(float x0, float y0, float cx, float cy, float x1, float y1, float r, const Rgb& ink, bool bird) {
        constexpr int kParts = 28;
        float px = x0, py = y0;
        for (int i = 1; i <= kParts; ++i) {
            const float t = float(i) / kParts, u = 1 - t;
            const float x = u * u * x0 + 2 * u * t * cx + t * t * x1, y = u * u * y0 + 2 * u * t * cy + t * t * y1;
            strokes_.push_back({px, py, x, y, r, ink, bird});
            px = x, py = y;
        }
    }

    void addBird() {
        const Rgb ink = hex(0x23323a);
        curve(0.20f, 0.20f, 0.34f, 0.10f, 0.47f, 0.245f, 0.0042f, ink, true);
        curve(0.47f, 0.245f, 0.64f, 0.08f, 0.82f, 0.155f, 0.0042f, ink, true);
        curve(0.82f, 0.155f, 0.66f, 0.17f, 0.55f, 0.275f, 0.0036f, ink, true);
        curve(0.55f, 0.275f, 0.50f, 0.33f, 0.40f, 0.305f, 0.0036f, ink, true);
        curve(0.40f, 0.305f, 0.33f, 0.22f, 0.20f, 0.20f, 0.0036f, ink, true);
        curve(0.40f, 0.305f, 0.36f, 0.315f, 0.335f, 0.322f, 0.0030f, hex(0xb4532a), true);
        curve(0.55f, 0.275f, 0.62f, 0.30f, 0.69f, 0.292f, 0.0030f, ink, true);
        curve(0.55f, 0.285f, 0.61f, 0.32f, 0.66f, 0.325f, 0.0030f, ink, true);
    }

    void addPots() {
        for (int i = 0; i < 5; ++i) {
            const float x = 0.16f + 0.17f * float(i), w = 0.045f + 0.008f * float(i % 3),
                        top = 0.44f + 0.03f * float((i * 2) % 3), foot = 0.585f;
            const Rgb ink = i % 2 ? hex(0xb4532a) : hex(0x23323a);
            curve(x - w, top, x - w * 1.5f, (top + foot) / 2, x - w * 0.6f, foot, 0.0032f, ink, false);
            curve(x - w * 0.6f, foot, x, foot + 0.008f, x + w * 0.6f, foot, 0.0032f, ink, false);
            curve(x + w * 0.6f, foot, x + w * 1.5f, (top + foot) / 2, x + w, top, 0.0032f, ink, false);
            curve(x + w, top, x, top + 0.022f, x - w, top, 0.0026f, ink, false);
            for (int k = 1; k < 5; ++k) {
                const float y = top + (foot - top) * float(k) / 5, half = w * (1.12f - 0.06f * float(k));
                curve(x - half, y, x, y + 0.016f, x + half, y, 0.0014f, ink, false);
            }
        }
        curve(0.08f, 0.592f, 0.5f, 0.592f, 0.92f, 0.592f, 0.0022f, hex(0x23323a), false);
    }

    static void segment(Canvas& c, const Stroke& s, float dy) {
        const float px = 1 / float(c.h), pad = s.r + 2 * px;
        const float ay = s.ay + dy, by = s.by + dy;
        const int x0 = std::max(0, int((std::min(s.ax, s.bx) - pad) * float(c.h))),
                  x1 = std::min(c.w - 1, int((std::max(s.ax, s.bx) + pad) * float(c.h)));
        const int y0 = std::max(0, int((std::min(ay, by) - pad) * float(c.h))),
                  y1 = std::min(c.h - 1, int((std::max(ay, by) + pad) * float(c.h)));
        const float dx = s.bx - s.ax, ey = by - ay, length = dx * dx + ey * ey;
        for (int y = y0; y <= y1; ++y)
            for (int x = x0; x <= x1; ++x) {
                const float fx = (float(x) + 0.5f) * px - s.ax, fy = (float(y) + 0.5f) * px - ay;
                const float k = length > 0 ? clamp01((fx * dx + fy * ey) / length) : 0;
                const float d = len(fx - k * dx, fy - k * ey) - s.r;
                Rgb& p = c.at(x, y);
                p = mix(p, s.ink, clamp01(0.5f - d / px));
            }
    }

    static void reveal(Canvas& c, const std::string& text, float x, float y, float size, float part, const Rgb& ink,
                       bool bold) {
        if (part <= 0) return;
        const TextMask m = renderText(text, size * float(c.h), bold);
        const int x0 = int(x * float(c.h)), y0 = int(y * float(c.h)), shown = int(part * float(m.w));
        for (int j = 0; j < m.h && y0 + j < c.h; ++j)
            for (int i = 0; i < shown && x0 + i < c.w; ++i) {
                Rgb& p = c.at(x0 + i, y0 + j);
                p = mix(p, ink, m.cover[static_cast<std::size_t>(j) * m.w + i]);
            }
    }

    Canvas paper_;
    std::vector<Stroke> strokes_;
};

} // namespace

std::unique_ptr<Scene> makeIdent(int w, int h, std::uint32_t seed) { return std::make_unique<Ident>(w, h, seed); }

} // namespace ulm::demo
