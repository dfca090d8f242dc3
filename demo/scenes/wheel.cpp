#include "demo/scenes/pottery.h"
#include "demo/scenes/scene.h"

namespace ulm::demo {
namespace {

// A glazed bowl turning on the wheel: fine rings, speckle, a tag with small print, plaster behind.
class Wheel : public Scene {
public:
    Wheel(int w, int h, std::uint32_t seed) : still_(w, h) {
        bowl_ = {0.90f, 0.36f, 0.83f, 0.345f, 0.12f, 0.02f, 0.25f, {0.63f, 0.42f, 0.29f}, {0.16f, 0.43f, 0.43f},
                 0.62f, seed};
        bowl_.bake();
        paint(still_, [&](float x, float y) {
            if (y > 0.86f) return boards(x, (y - 0.86f) * 2.2f, seed);
            Rgb wall = plaster(x, y, seed);
            // A soft shadow of the bowl on the wall, down and to the right.
            const float d = len((x - 1.06f) / 0.42f, (y - 0.62f) / 0.36f);
            return wall * (0.62f + 0.38f * smooth(0.65f, 1.15f, d));
        });
        shelfOfPots(seed);
        drawTag(still_, 1.40f, 0.20f, 0.27f, 0.12f, {"TERN STREET", "ash glaze no. 4", "fired 1240 C", "bowl, 22 cm"},
                0);
    }

    void draw(double t, Canvas& c) override {
        c.pixels = still_.pixels;
        const float px = 1 / float(c.h), turn = float(t) * 2.4f;
        const float wobble = 0.0015f * std::sin(float(t) * 7);
        // The wheel head: a turned metal disc.
        const float wx = bowl_.cx, wy = bowl_.bottom + 0.03f, rx = 0.47f, ry = 0.125f;
        paintOver(c, wx - rx - 0.02f, wy - ry - 0.02f, wx + rx + 0.02f, wy + ry + 0.06f,
                  [&](float x, float y, const Rgb& there) {
                      const float e = len((x - wx) / rx, (y - wy) / ry),
                                  side = len((x - wx) / rx, (y - wy - 0.035f) / ry);
                      Rgb out = mix(there, Rgb{0.14f, 0.13f, 0.13f}, smooth(1.0f, 1.0f - 2 * px / ry, side));
                      const float a = std::atan2((y - wy) / ry, (x - wx) / rx);
                      const float rings = 0.5f + 0.5f * std::sin(e * 230),
                                  mark = smooth(0.03f, 0.0f, std::abs(std::remainder(a + turn, 6.2832f)) * e);
                      const float sheen = 0.5f + 0.5f * std::cos(2 * (a + 0.5f));
                      const float light = 0.26f + 0.10f * rings + 0.28f * sheen * sheen - 0.2f * mark;
                      return mix(out, Rgb{0.72f, 0.72f, 0.74f} * light * 1.3f, smooth(1.0f, 1.0f - 2 * px / ry, e));
                  });
        Vessel b = bowl_;
        b.cx += wobble;
        paintOver(c, b.left(), b.top - 0.12f, b.right(), b.bottom + 0.06f,
                  [&](float x, float y, const Rgb& there) { return b.shade(x, y, turn, px, there); });
    }

private:
    void shelfOfPots(std::uint32_t seed) {
        const float px = 1 / float(still_.h);
        paintOver(still_, 0, 0.215f, 0.62f, 0.26f, [&](float x, float y, const Rgb&) {
            return boards(x * 0.5f, (y - 0.215f) * 3, seed) * (y > 0.245f ? 0.5f : 1.3f);
        });
        paintOver(still_, 0, 0.26f, 0.62f, 0.31f,
                  [&](float, float y, const Rgb& there) { return there * (0.65f + 0.35f * smooth(0.26f, 0.31f, y)); });
        const Rgb glazes[] = {hex(0x8a4a34), hex(0x43646e), hex(0xb99a5b), hex(0x5b6b45), hex(0x7d5a73)};
        for (int i = 0; i < 5; ++i) {
            Vessel v{0.07f + 0.118f * float(i),
                     0.085f + 0.022f * float(i % 3),
                     0.212f,
                     0.034f,
                     0.026f,
                     0.012f,
                     0.25f,
                     hex(0x9a6b4a),
                     glazes[i],
                     0.8f,
                     seed + static_cast<std::uint32_t>(i)};
            v.bake();
            paintOver(still_, v.left(), v.top - 0.03f, v.right(), v.bottom + 0.02f,
                      [&](float x, float y, const Rgb& there) { return v.shade(x, y, float(i), px, there); });
        }
    }

    Canvas still_;
    Vessel bowl_;
};

} // namespace

std::unique_ptr<Scene> makeWheel(int w, int h, std::uint32_t seed) { return std::make_unique<Wheel>(w, h, seed); }

} // namespace ulm::demo
