#include "demo/scenes/pottery.h"
#include "demo/scenes/scene.h"

#include <algorithm>

namespace ulm::demo {
namespace {

struct Limb {
    float ax, ay, bx, by, ra, rb; ///< a tapered capsule
};

float limbDistance(const Limb& l, float x, float y) {
    const float dx = l.bx - l.ax, dy = l.by - l.ay;
    const float k = clamp01(((x - l.ax) * dx + (y - l.ay) * dy) / (dx * dx + dy * dy));
    return len(x - l.ax - k * dx, y - l.ay - k * dy) - (l.ra + (l.rb - l.ra) * k);
}

// A hand seen from the side: forearm, palm, four fingers and thumb, blended where they meet.
struct Hand {
    std::vector<Limb> limbs;
    float distance(float x, float y) const {
        float d = 1e3f;
        for (const Limb& l : limbs) {
            const float e = limbDistance(l, x, y), h = clamp01(0.5f + 0.5f * (e - d) / 0.018f);
            d = e * (1 - h) + d * h - 0.018f * h * (1 - h);
        }
        return d;
    }
    void drawOn(Canvas& c, const Canvas& skin) const {
        float x0 = 9, y0 = 9, x1 = -9, y1 = -9;
        for (const Limb& l : limbs) {
            x0 = std::min({x0, l.ax - l.ra, l.bx - l.rb}), x1 = std::max({x1, l.ax + l.ra, l.bx + l.rb});
            y0 = std::min({y0, l.ay - l.ra, l.by - l.rb}), y1 = std::max({y1, l.ay + l.ra, l.by + l.rb});
        }
        const float px = 1 / float(c.h), ox = limbs[0].ax, oy = limbs[0].ay;
        // The distance field is smooth: a grid of every third pixel, read bilinearly, is near enough.
        const float step = 3 * px, gx0 = x0 - 0.09f, gy0 = y0 - 0.09f;
        const int gw = static_cast<int>((x1 + 0.09f - gx0) / step) + 2,
                  gh = static_cast<int>((y1 + 0.09f - gy0) / step) + 2;
        std::vector<float> grid(static_cast<std::size_t>(gw) * gh);
        tbb::parallel_for(0, gh, [&](int j) {
            for (int i = 0; i < gw; ++i)
                grid[static_cast<std::size_t>(j) * gw + i] = distance(gx0 + float(i) * step, gy0 + float(j) * step);
        });
        const auto at = [&](float x, float y) {
            const float u = std::clamp((x - gx0) / step, 0.f, float(gw) - 1.01f),
                        v = std::clamp((y - gy0) / step, 0.f, float(gh) - 1.01f);
            const int i = static_cast<int>(u), j = static_cast<int>(v);
            const float* g = &grid[static_cast<std::size_t>(j) * gw + i];
            const float a = g[0] + (g[1] - g[0]) * (u - float(i)), b = g[gw] + (g[gw + 1] - g[gw]) * (u - float(i));
            return a + (b - a) * (v - float(j));
        };
        paintOver(c, x0 - 0.03f, y0 - 0.03f, x1 + 0.05f, y1 + 0.05f, [&](float x, float y, const Rgb& there) {
            const float d = at(x, y);
            if (d > 0.08f) return there;
            const float shade = d > -px ? 1 - 0.42f * smooth(0.045f, 0.0f, at(x - 0.018f, y - 0.022f)) : 1;
            if (d > px) return there * shade;
            // Roundness from the distance field: deep inside faces the eye, the edge turns away.
            const float e = 0.004f, gx = (at(x + e, y) - d) / e, gy = (at(x, y + e) - d) / e;
            const float rim = clamp01(1 + d / 0.040f), nz = std::sqrt(1 - 0.9f * rim * rim);
            const Rgb surface = skin.sample((x - ox + 0.5f * skin.aspect()) * float(c.h), (y - oy + 0.5f) * float(c.h));
            const float pore = surface.r, clay = surface.g;
            const float light = 0.30f + 0.85f * std::max(0.f, -0.5f * gx * rim - 0.45f * gy * rim + 0.75f * nz);
            const Rgb colour = mix(Rgb{0.80f, 0.55f, 0.43f} * (0.86f + 0.28f * pore),
                                   Rgb{0.64f, 0.52f, 0.42f} * (0.8f + 0.4f * pore), clay * 0.75f);
            return mix(there * shade, colour * light, smooth(px, -px, d));
        });
    }
};

Hand makeHand(float x, float y, float side, float bend) {
    Hand h;
    const auto add = [&](float ax, float ay, float bx, float by, float ra, float rb) {
        h.limbs.push_back({x + side * ax, y + ay, x + side * bx, y + by, ra, rb});
    };
    add(-0.62f, 0.20f, -0.20f, 0.03f, 0.088f, 0.062f);
    add(-0.20f, 0.03f, -0.08f, 0.0f, 0.066f, 0.062f);
    for (int f = 0; f < 4; ++f) {
        const float fy = -0.050f + 0.033f * float(f), reach = 0.085f - 0.012f * std::abs(float(f) - 1.2f);
        add(-0.07f, fy, -0.07f + reach, fy + 0.012f + bend * 0.4f, 0.022f, 0.019f);
        add(-0.07f + reach, fy + 0.012f + bend * 0.4f, -0.02f + reach, fy + 0.03f + bend, 0.019f, 0.015f);
    }
    add(-0.11f, -0.045f, -0.035f, -0.105f, 0.026f, 0.018f);
    return h;
}

// Three shots: shaping a wall with both hands, trimming close by, brushing a line. Fast, with two hard cuts.
class Hands : public Scene {
public:
    Hands(int w, int h, std::uint32_t seed)
        : still_(w, h), table_(w, h), skin_(2 * h, h), tall_{0.89f, 0.38f,         0.86f,         0.24f, 0.20f, 0.03f,
                                                             0.26f, hex(0xa07d64), hex(0x8f7059), 0.0f,  seed},
          near_{0.84f, 0.30f, 1.25f, 0.56f, 0.40f, 0.02f, 0.22f, hex(0xb08a6c), hex(0xa8836a), 0.0f, seed + 8},
          seed_(seed) {
        tall_.bake();
        near_.bake();
        paint(skin_, [&](float x, float y) { // how rough, how much clay clings: seen where a hand is
            return Rgb{fractal(x * 170, y * 170, 3, seed), smooth(0.50f, 0.64f, fractal(x * 22, y * 22, 3, seed + 4)),
                       0};
        });
        paint(still_, [&](float x, float y) {
            return y > 0.80f ? boards(x, (y - 0.80f) * 2, seed)
                             : plaster(x, y, seed + 2) * Rgb{0.72f, 0.76f, 0.80f} * 0.85f;
        });
        paint(table_, [&](float x, float y) { return boards(x * 1.2f, y * 0.8f, seed + 4) * Rgb{1.15f, 1.1f, 1.05f}; });
    }

    void draw(double t, Canvas& c) override {
        const float time = float(t), px = 1 / float(c.h);
        if (t < 3.5)
            shaping(c, time, px);
        else if (t < 6.5)
            trimming(c, time - 3.5f, px);
        else
            brushing(c, time - 6.5f, px);
    }

private:
    void shaping(Canvas& c, float t, float px) const {
        c.pixels = still_.pixels;
        const float lift = 0.5f - 0.5f * std::cos(t * 2.6f);
        Vessel v = tall_;
        v.top -= 0.06f * lift;
        v.rim -= 0.03f * lift;
        paintOver(c, v.left(), v.top - 0.1f, v.right(), 0.96f,
                  [&](float x, float y, const Rgb& there) { return v.shade(x, y, t * 9, px, there); });
        makeHand(0.66f - 0.02f * lift, 0.70f - 0.26f * lift, 1, 0.02f * std::sin(t * 5)).drawOn(c, skin_);
        makeHand(1.12f + 0.02f * lift, 0.66f - 0.22f * lift, -1, 0.02f * std::sin(t * 5 + 1)).drawOn(c, skin_);
    }

    void trimming(Canvas& c, float t, float px) const {
        c.pixels = still_.pixels;
        paintOver(c, near_.left(), near_.top - 0.1f, near_.right(), 1,
                  [&](float x, float y, const Rgb& there) { return near_.shade(x, y, t * 5, px, there); });
        const float sweep = std::sin(t * 4.4f);
        makeHand(0.72f + 0.42f * sweep, 0.62f + 0.10f * std::cos(t * 8.8f), 1, 0.03f).drawOn(c, skin_);
    }

    void brushing(Canvas& c, float t, float px) const {
        c.pixels = table_.pixels;
        const float cx = 0.86f, cy = 0.52f, turn = t * 2.2f;
        paintOver(c, cx - 0.44f, cy - 0.44f, cx + 0.44f, cy + 0.44f, [&](float x, float y, const Rgb& there) {
            const float r = len(x - cx, y - cy);
            if (r > 0.43f) return there;
            const float a = std::atan2(y - cy, x - cx) - turn;
            const float speck = noise(std::cos(a) * r * 90 + 70, std::sin(a) * r * 90 + 70, seed_);
            float paintLine = 0;
            for (int i = 0; i < 4; ++i) {
                const float at = 0.12f + 0.075f * float(i) + 0.012f * std::sin(a * float(5 + 2 * i));
                paintLine = std::max(paintLine, smooth(0.011f, 0.005f, std::abs(r - at)));
            }
            const float rim = smooth(0.36f, 0.43f, r),
                        light = 0.80f + 0.14f * (-(x - cx) - (y - cy)) / 0.43f - 0.2f * rim + 0.12f * (speck - 0.5f);
            const Rgb glaze = mix(Rgb{0.90f, 0.87f, 0.80f}, Rgb{0.16f, 0.27f, 0.47f}, paintLine) * light;
            return mix(there * (0.6f), glaze, smooth(0, 2 * px, 0.425f - r));
        });
        const float hop = std::abs(std::sin(t * 5.2f));
        makeHand(1.14f + 0.16f * std::sin(t * 3.1f), 0.44f - 0.10f * hop, -1, 0.05f).drawOn(c, skin_);
    }

    Canvas still_, table_, skin_;
    Vessel tall_, near_;
    std::uint32_t seed_;
};

} // namespace

std::unique_ptr<Scene> makeHands(int w, int h, std::uint32_t seed) { return std::make_unique<Hands>(w, h, seed); }

} // namespace ulm::demo
