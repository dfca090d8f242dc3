#include "demo/scenes/pottery.h"
#include "demo/scenes/scene.h"

namespace ulm::demo {
namespace {

// A slow pan along a shelf of priced pots and striped cloths: text, stripes, straight edges.
class Shelf : public Scene {
public:
    Shelf(int w, int h, std::uint32_t seed) : long_(w * 5 / 2, h) {
        paint(long_, [&](float x, float y) {
            if (y > 0.72f)
                return y < 0.77f ? boards(x * 0.4f, (y - 0.72f) * 4, seed) * 1.35f : plaster(x, y, seed + 1) * 0.55f;
            return plaster(x, y, seed) * 0.95f;
        });
        const float px = 1 / float(h);
        const Rgb glazes[] = {hex(0x2f6f6b), hex(0xa65a3a), hex(0xd0b26a), hex(0x4f5d7a),
                              hex(0x7a8a4d), hex(0xc9c2b2), hex(0x8a3f4a)};
        const char* names[] = {"Mug", "Jug", "Bowl", "Vase", "Beaker", "Teapot", "Cup"};
        const char* prices[] = {"18.00", "42.50", "36.00", "64.00", "22.00", "85.00", "16.50"};
        for (int i = 0; i < 7; ++i) {
            const float cx = 0.42f + 0.62f * float(i), tall = 0.26f + 0.07f * float((i * 5) % 4);
            Vessel v{cx,
                     0.70f - tall,
                     0.70f,
                     0.12f + 0.02f * float(i % 3),
                     0.085f,
                     0.03f * float(i % 2) + 0.015f,
                     0.2f,
                     hex(0xa37450),
                     glazes[i],
                     0.72f,
                     seed + static_cast<std::uint32_t>(i) * 3};
            v.bake();
            paintOver(
                long_, v.left() - 0.02f, 0.69f, v.right() + 0.02f, 0.735f, [&](float x, float y, const Rgb& there) {
                    return there * (0.55f + 0.45f * smooth(0.5f, 1.1f, len((x - cx) / 0.16f, (y - 0.712f) / 0.022f)));
                });
            paintOver(long_, v.left(), v.top - 0.1f, v.right(), v.bottom + 0.03f,
                      [&](float x, float y, const Rgb& there) { return v.shade(x, y, 1.3f * float(i), px, there); });
            drawTag(long_, cx - 0.105f, 0.79f, 0.22f, -0.04f + 0.03f * float(i % 3), {names[i], prices[i]}, 0.745f);
            stripedCloth(cx + 0.31f, seed + static_cast<std::uint32_t>(i), glazes[(i + 3) % 7]);
        }
    }

    void draw(double t, Canvas& c) override {
        // Eased at both ends, so the first and last frames can be judged at rest.
        const float k = smooth(0.2f, 8.2f, float(t));
        const float offset = k * float(long_.w - c.w - 4);
        const int whole = static_cast<int>(offset);
        tbb::parallel_for(0, c.h, [&](int y) {
            for (int x = 0; x < c.w; ++x)
                c.at(x, y) = mix(long_.at(x + whole, y), long_.at(x + whole + 1, y), offset - float(whole));
        });
    }

private:
    void stripedCloth(float x, std::uint32_t seed, const Rgb& dye) {
        paintOver(long_, x - 0.09f, 0.50f, x + 0.09f, 0.72f, [&](float px, float py, const Rgb&) {
            const float fold = std::sin((px - x) * 60 + 0.4f * std::sin(py * 30));
            const float stripe = clamp01(0.5f + 2.5f * std::sin((px - x + 0.002f * fold) * 400));
            const float weave = 0.9f + 0.1f * noise(px * 500, py * 500, seed);
            return mix(Rgb{0.88f, 0.85f, 0.78f}, dye, stripe * (py > 0.53f ? 1.f : 0.2f)) * (0.72f + 0.2f * fold) *
                   weave;
        });
    }

    Canvas long_;
};

} // namespace

std::unique_ptr<Scene> makeShelf(int w, int h, std::uint32_t seed) { return std::make_unique<Shelf>(w, h, seed); }

} // namespace ulm::demo
