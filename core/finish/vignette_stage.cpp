#include "core/finish/vignette_stage.h"

#include "core/finish/colour.h"

#include <cmath>
#include <vector>

namespace ulm {
namespace {

class VignetteStage : public Stage {
public:
    VignetteStage(StagePtr input, double amount)
        : Stage({input}, input->format(), KeyMaker("vignette").add(input).add(amount)), gains_(kEntries + 2) {
        // 1 / (1 + spread · distance²)² of light, where the corner's distance is 1.
        const double spread = std::exp2(std::abs(amount)) - 1, power = (amount > 0 ? -2 : 2) / kDisplayGamma;
        for (std::size_t i = 0; i < gains_.size(); ++i)
            gains_[i] = float(std::pow(1 + spread * double(i) / kEntries, power));
    }
    const char* name() const override { return "vignette"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        for (int c = 0; c < 3; ++c) {
            cancel.check();
            const Rect r = out.planes[c].area(), whole = out.planeArea(c, format().frame());
            // Gains depend on the squared distance alone, in fractions of the way to a corner.
            const double kx = 2.0 / whole.w, ky = 2.0 / whole.h;
            const double wide = double(format().width) * format().width,
                         high = double(format().height) * format().height;
            const double shareX = wide / (wide + high), shareY = high / (wide + high);
            std::vector<float> across; // each column's part of the squared distance
            for (int x = r.x; x < r.right(); ++x) {
                const double dx = (x + 0.5) * kx - 1;
                across.push_back(float(kEntries * shareX * dx * dx));
            }
            for (int y = r.y; y < r.bottom(); ++y) {
                const double dy = (y + 0.5) * ky - 1;
                const auto down = float(kEntries * shareY * dy * dy);
                const float* const from = in[0].planes[c].row(y);
                float* const to = out.planes[c].row(y);
                for (int x = 0; x < r.w; ++x) to[x] = from[x] * gainAt(across[std::size_t(x)] + down);
            }
        }
    }

private:
    float gainAt(float at) const {
        const int i = static_cast<int>(at);
        return gains_[std::size_t(i)] + (at - float(i)) * (gains_[std::size_t(i) + 1] - gains_[std::size_t(i)]);
    }

    static constexpr int kEntries = 1024;
    std::vector<float> gains_; ///< of the signal, over the squared distance from the middle in kEntries steps
};

} // namespace

StagePtr vignette(StagePtr input, double amount) {
    return amount != 0 ? std::make_shared<VignetteStage>(input, amount) : input;
}

} // namespace ulm
