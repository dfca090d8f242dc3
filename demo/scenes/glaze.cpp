#include "demo/scenes/pottery.h"
#include "demo/scenes/scene.h"

namespace ulm::demo {
namespace {

// A dark pour: glaze runs from a jug's lip into a bowl, by the light of one window. Upright.
class Glaze : public Scene {
public:
    Glaze(int w, int h, std::uint32_t seed) : still_(w, h), jug_(w, h), seed_(seed) {
        paint(still_, [&](float x, float y) {
            // Smooth falls of light, where banding shows.
            const float window = std::exp(-((x + 0.05f) * (x + 0.05f) * 5 + (y - 0.22f) * (y - 0.22f) * 7));
            const float back = 0.035f + 0.20f * window;
            Rgb c = Rgb{0.62f, 0.66f, 0.78f} * back;
            if (y > 0.74f) c = boards(x, (y - 0.74f) * 1.6f, seed) * (0.22f + 0.5f * std::exp(-x * 5));
            return c;
        });
        bowl_ = {0.29f, 0.60f, 0.83f, 0.225f, 0.10f, 0.03f, 0.30f, {0.34f, 0.25f, 0.20f}, {0.10f, 0.13f, 0.17f},
                 0.85f, seed};
        bowl_.bake();
        const float px = 1 / float(h);
        throwJug(px);
        paintOver(still_, bowl_.left(), bowl_.top - 0.1f, bowl_.right(), bowl_.bottom + 0.06f,
                  [&](float x, float y, const Rgb& there) { return bowl_.shade(x, y, 0.4f, px, there); });
    }

    void draw(double t, Canvas& c) override {
        c.pixels = still_.pixels;
        const float px = 1 / float(c.h), time = float(t);
        liquid(c, time, px);
        stream(c, time, px);
        jug(c);
    }

private:
    void liquid(Canvas& c, float time, float px) const {
        const float rx = bowl_.rim * 0.86f, ry = rx * bowl_.tilt, cy = bowl_.top + 0.012f;
        paintOver(c, bowl_.cx - rx, cy - ry, bowl_.cx + rx, cy + ry, [&](float x, float y, const Rgb& there) {
            const float u = (x - bowl_.cx) / rx, v = (y - cy) / ry, e = len(u, v);
            if (e > 1) return there;
            const float d = len(u - 0.15f, v + 0.05f);
            const float ripple = std::sin(d * 34 - time * 11) * std::exp(-d * 2.2f);
            const float reflect = std::exp(-((u + 0.55f + 0.1f * ripple) * (u + 0.55f + 0.1f * ripple) * 6 +
                                             (v + 0.2f + 0.25f * ripple) * (v + 0.2f + 0.25f * ripple) * 5));
            const Rgb base = mix(Rgb{0.05f, 0.10f, 0.13f}, Rgb{0.10f, 0.22f, 0.25f}, 0.5f + 0.5f * ripple);
            return mix(there, base + Rgb{0.72f, 0.78f, 0.85f} * (0.62f * reflect * (0.7f + 0.3f * ripple)),
                       smooth(1.0f, 1.0f - 2 * px / ry, e));
        });
    }

    void stream(Canvas& c, float time, float px) const {
        const float y0 = 0.312f, y1 = bowl_.top + 0.006f;
        paintOver(c, 0.25f, y0, 0.40f, y1, [&](float x, float y, const Rgb& there) {
            const float k = clamp01((y - y0) / (y1 - y0)),
                        cx = 0.336f - 0.012f * k + 0.004f * std::sin(k * 9 - time * 6);
            const float half = 0.019f - 0.009f * std::sqrt(k) + 0.0022f * std::sin(k * 40 - time * 21) * k;
            const float s = (x - cx) / half;
            const float cover = smooth(0, 1.5f * px, half - std::abs(x - cx));
            const float shine =
                std::exp(-(s + 0.45f) * (s + 0.45f) * 16) + 0.35f * std::exp(-(s - 0.6f) * (s - 0.6f) * 24);
            const float run = 0.8f + 0.2f * noise(s * 2 + 5, k * 18 - time * 14, seed_);
            return mix(there, Rgb{0.08f, 0.17f, 0.20f} * run + Rgb{0.75f, 0.80f, 0.86f} * (0.55f * shine * run), cover);
        });
    }

    // The jug enters from the upper right, tipped; only its belly and lip are seen. It keeps still, so it is drawn
    // once.
    void throwJug(float px) {
        paint(jug_, [&](float x, float y) {
            if (x < 0.22f || y > 0.34f) return Rgb{};
            const float co = std::cos(-0.62f), si = std::sin(-0.62f), dx = x - 0.56f, dy = y - 0.10f;
            const float u = dx * co + dy * si, v = dy * co - dx * si;
            // Belly and spout, melted into each other.
            const float body = (len(u / 0.26f, v / 0.135f) - 1) * 0.135f;
            const float along = clamp01((u + 0.30f) / 0.16f),
                        spout = len(u + 0.30f - 0.16f * along, v - 0.052f + 0.05f * along) - (0.016f + 0.045f * along);
            const float h = clamp01(0.5f + 0.5f * (spout - body) / 0.05f);
            const float inside = -(spout * (1 - h) + body * h - 0.05f * h * (1 - h));
            const float light = 0.10f + 0.55f * std::pow(std::max(0.f, 0.62f - v * 2.4f - u * 1.4f), 2.f);
            const float grain = fractal(u * 60, v * 60, 3, seed_ + 5);
            return Rgb{light * (0.75f + 0.5f * grain), smooth(0, 2 * px, inside), 0}; // light, cover
        });
    }

    void jug(Canvas& c) const {
        paintOver(c, 0.22f, 0, c.aspect(), 0.34f, [&](float x, float y, const Rgb& there) {
            const Rgb& j = jug_.at(static_cast<int>(x * float(c.h)), static_cast<int>(y * float(c.h)));
            return mix(there, Rgb{0.52f, 0.44f, 0.36f} * j.r, j.g);
        });
    }

    Canvas still_, jug_;
    Vessel bowl_;
    std::uint32_t seed_;
};

} // namespace

std::unique_ptr<Scene> makeGlaze(int w, int h, std::uint32_t seed) { return std::make_unique<Glaze>(w, h, seed); }

} // namespace ulm::demo
