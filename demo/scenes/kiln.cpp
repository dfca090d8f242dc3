#include "demo/scenes/pottery.h"
#include "demo/scenes/scene.h"

namespace ulm::demo {
namespace {

// A kiln mouth at heat, filmed by hand: glowing gradients, brick, sparks. Upright.
class Kiln : public Scene {
public:
    Kiln(int w, int h, std::uint32_t seed)
        : cold_(w + w / 6, h + h / 6), lit_(cold_.w, cold_.h), wall_(cold_.w, cold_.h), seed_(seed) {
        paint(cold_, [&](float x, float y) {
            const float row = std::floor(y * 15), col = std::floor(x * 6.5f + 0.5f * std::fmod(row, 2.f));
            const float fx = x * 6.5f + 0.5f * std::fmod(row, 2.f) - col, fy = y * 15 - row;
            const float mortar =
                smooth(0.0f, 0.05f, std::min(std::min(fx, 1 - fx), 0.5f * std::min(fy, 1 - fy) + 0.012f));
            const float tone =
                0.75f +
                0.5f * (float(hash(std::uint32_t(int(col) + 50), std::uint32_t(int(row)), seed) & 255) / 255 - 0.5f);
            const float rough = fractal(x * 70, y * 70, 4, seed + 9);
            return mix(Rgb{0.42f, 0.38f, 0.34f}, Rgb{0.56f, 0.33f, 0.22f} * tone, mortar) * (0.55f + 0.75f * rough);
        });
        // The wall never changes but for the fire's flicker on it: what is lit by the fire is kept apart, for 1.
        const float grow = float(cold_.h) / float(h), mid = 0.5f * float(w) / float(h);
        paint(lit_, [&](float u, float v) {
            const Rgb brick = cold_.at(static_cast<int>(u * float(cold_.h)), static_cast<int>(v * float(cold_.h)));
            const float arch = archAt(u * grow - kEdge - mid, v * grow - kEdge);
            return brick * Rgb{1.5f, 0.62f, 0.22f} * std::exp(std::min(0.f, 1 - arch) * 1.7f) +
                   Rgb{0.9f, 0.35f, 0.08f} * (0.35f * smooth(1.09f, 1.0f, arch));
        });
        for (Rgb& p : cold_.pixels) p = p * Rgb{0.10f, 0.085f, 0.08f};
    }

    void draw(double t, Canvas& c) override {
        const float time = float(t);
        // A held phone: slow sway, quick tremor.
        const float sx =
            0.018f * (noise(time * 1.1f, 3, seed_) - 0.5f) * 2 + 0.006f * (noise(time * 5, 8, seed_) - 0.5f) * 2;
        const float sy =
            0.015f * (noise(time * 1.3f, 5, seed_) - 0.5f) * 2 + 0.006f * (noise(time * 5.5f, 2, seed_) - 0.5f) * 2;
        const float roll = 0.012f * (noise(time * 0.9f, 7, seed_) - 0.5f) * 2;
        const float co = std::cos(roll), si = std::sin(roll), mid = c.aspect() / 2;
        const float flicker = 0.92f + 0.08f * noise(time * 4, 1, seed_) + 0.03f * noise(time * 13, 1, seed_);
        stirHeat(time);
        tbb::parallel_for(0, wall_.h, [&](int y) {
            for (int x = 0; x < wall_.w; ++x) wall_.at(x, y) = cold_.at(x, y) + lit_.at(x, y) * flicker;
        });
        paint(c, [&](float px, float py) {
            const float ax = px - mid, ay = py - 0.5f;
            const float x = ax * co - ay * si + mid + sx, y = ax * si + ay * co + 0.5f + sy;
            const float arch = std::abs(x - mid) < 0.175f ? archAt(x - mid, y) : 1;
            if (arch < 1) return inside(x - mid, y, arch, flicker);
            return wall_.sample((x + kEdge) * float(c.h), (y + kEdge) * float(c.h));
        });
        sparks(c, time, mid, sx, sy);
    }

private:
    static constexpr float kEdge = 0.05f; // wall beyond the picture, for the sway

    // Below 1 inside the kiln's mouth; x from its middle.
    static float archAt(float x, float y) {
        const float dx = x / 0.175f, dy = (y - 0.46f) / 0.24f;
        return y < 0.46f ? len(dx, dy) : std::max(std::abs(dx), (y - 0.46f) / 0.22f);
    }

    // The fire's slow billows, in a coarse picture: nothing in them is finer than its pixels.
    void stirHeat(float time) {
        paint(heat_, [&](float u, float v) {
            const float x = u - 0.25f, y = v;
            return Rgb{fractal(x * 9 + 0.3f * std::sin(y * 20 - time * 5), y * 7 - time * 0.9f, 3, seed_ + 2), 0, 0};
        });
    }

    Rgb inside(float x, float y, float arch, float flicker) const {
        const float heat = heat_.sample((x + 0.25f) * float(heat_.h), y * float(heat_.h)).r;
        const float core = std::exp(-((x * x) * 40 + (y - 0.52f) * (y - 0.52f) * 22));
        const float level =
            (0.40f + 0.55f * core + 0.20f * (heat - 0.5f)) * flicker * (1 - 0.35f * smooth(0.75f, 1.0f, arch));
        Rgb c{clamp01(level * 1.75f), clamp01(level * level * 1.25f), clamp01(level * level * level * 0.75f)};
        // Three pots stand in the heat, darker than the fire behind them.
        for (int i = -1; i <= 1; ++i) {
            const float cx = float(i) * 0.098f, top = 0.535f - 0.03f * float(i == 0), k = (y - top) / (0.66f - top);
            if (k < 0 || y > 0.664f || std::abs(x - cx) > 0.06f) continue;
            const float half = 0.034f + 0.012f * std::sin(3.1f * clamp01(k)) - 0.006f * float(i);
            const float in =
                smooth(0, 0.004f, half - std::abs(x - cx)) * smooth(0, 0.004f, y - top) * smooth(0.664f, 0.66f, y);
            if (in <= 0) continue;
            const float across = std::abs(x - cx) / half, rim = across * across * across;
            c = mix(c,
                    Rgb{0.52f + 0.35f * rim, 0.17f + 0.22f * rim, 0.05f + 0.05f * rim} *
                        (flicker * (0.85f + 0.15f * std::sin(k * 60))),
                    in);
        }
        return c;
    }

    void sparks(Canvas& c, float time, float mid, float sx, float sy) const {
        for (std::uint32_t i = 0; i < 14; ++i) {
            const float life = std::fmod(time * (0.35f + 0.02f * float(i)) + float(i) * 0.37f, 1.f);
            const float x = mid - sx + 0.14f * (float(hash(i, 1, seed_) & 255) / 255 - 0.5f) +
                            0.05f * std::sin(life * 7 + float(i));
            const float y = 0.62f - sy - life * 0.55f, r = 0.0028f;
            paintOver(c, x - 3 * r, y - 3 * r, x + 3 * r, y + 3 * r, [&](float px, float py, const Rgb& there) {
                const float k = std::exp(-((px - x) * (px - x) + (py - y) * (py - y)) / (r * r)) * (1 - life);
                return there + Rgb{1.0f, 0.62f, 0.25f} * k;
            });
        }
    }

    Canvas cold_, lit_, wall_, heat_{160, 320};
    std::uint32_t seed_;
};

} // namespace

std::unique_ptr<Scene> makeKiln(int w, int h, std::uint32_t seed) { return std::make_unique<Kiln>(w, h, seed); }

} // namespace ulm::demo
