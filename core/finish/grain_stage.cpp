#include "core/finish/grain_stage.h"

#include "core/picture/gaussian.h"
#include "core/picture/hash_noise.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

class GrainStage : public Stage {
public:
    GrainStage(StagePtr input, double amount, double size, double midtones, std::uint32_t seed)
        : Stage({input}, input->format(),
                KeyMaker("grain").add(input).add(amount).add(size).add(midtones).add(std::int64_t(seed))),
          amount_(static_cast<float>(amount / 219)), sigma_(size > 0.75 ? 0.42 * size : 0),
          midtones_(static_cast<float>(midtones)), seed_(seed) {}
    const char* name() const override { return "grain"; }
    bool worthKeeping() const override { return false; }

    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                 const CancelToken& cancel) const override {
        cancel.check();
        const Rect r = out.planes[0].area();
        const Plane grain = field(r, static_cast<std::uint32_t>(frame));
        for (int y = r.y; y < r.bottom(); ++y) {
            const float *from = in[0].planes[0].row(y), *g = grain.row(y);
            float* to = out.planes[0].row(y);
            for (int x = 0; x < r.w; ++x) {
                const float v = std::clamp(from[x], 0.f, 1.f), response = 1 + midtones_ * (4 * v * (1 - v) - 1);
                to[x] = from[x] + amount_ * response * g[x];
            }
        }
        for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
    }

private:
    // Unit variance: the sum of four even numbers in [-1, 1) has variance 4/3 and is nearly Gaussian.
    Plane field(const Rect& r, std::uint32_t frame) const {
        const int reach = sigma_ > 0 ? gaussianReach(sigma_) : 0;
        Plane raw = Plane::make(r.grown(reach));
        for (int y = raw.area().y; y < raw.area().bottom(); ++y) {
            std::fill_n(raw.row(y), raw.area().w, 0.f);
            for (std::uint32_t k = 0; k < 4; ++k)
                addHashNoise(raw.row(y), raw.area().w, std::uint32_t(raw.area().x), std::uint32_t(y), frame,
                             seed_ * 4 + k, 0.8660254f);
        }
        if (reach == 0) return raw;
        Plane soft = Plane::make(r);
        gaussianBlur(raw, raw.area(), sigma_, soft);
        // A Gaussian's power: the product over both axes of the sum of its squared weights.
        double sum = 0, squares = 0;
        for (int k = -reach; k <= reach; ++k) {
            const double w = std::exp(-k * k / (2 * sigma_ * sigma_));
            sum += w;
            squares += w * w;
        }
        const auto gain = static_cast<float>(sum * sum / squares); // sqrt of the power, over both axes
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = 0; x < r.w; ++x) soft.row(y)[x] *= gain;
        return soft;
    }

    float amount_;
    double sigma_;
    float midtones_;
    std::uint32_t seed_;
};

} // namespace

StagePtr filmGrain(StagePtr input, double amount, double size, double midtones, std::uint32_t seed) {
    return std::make_shared<GrainStage>(input, amount, size, midtones, seed);
}

} // namespace ulm
