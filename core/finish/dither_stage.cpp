#include "core/finish/dither_stage.h"

#include "core/picture/hash_noise.h"

namespace ulm {
namespace {

class DitherStage : public Stage {
public:
    explicit DitherStage(StagePtr input) : Stage({input}, input->format(), KeyMaker("dither").add(input)) {}
    const char* name() const override { return "dither"; }
    bool worthKeeping() const override { return false; }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) {
            const float step = 0.5f / (c ? 224.f : 219.f); // two even numbers in ±1/2 step: triangular, ±1
            const Rect r = out.planes[c].area();
            for (int y = r.y; y < r.bottom(); ++y) {
                const float* from = in[0].planes[c].row(y);
                float* to = out.planes[c].row(y);
                for (int x = 0; x < r.w; ++x) {
                    const auto column = std::uint32_t(r.x + x), row = std::uint32_t(y), n = std::uint32_t(frame);
                    to[x] = from[x] + step * (hashNoise(column, row, n, std::uint32_t(2 * c)) +
                                              hashNoise(column, row, n, std::uint32_t(2 * c + 1)));
                }
            }
        }
    }
};

} // namespace

StagePtr dithered(StagePtr input) { return std::make_shared<DitherStage>(std::move(input)); }

} // namespace ulm
