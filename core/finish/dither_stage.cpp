#include "core/finish/dither_stage.h"

#include "core/picture/hash_noise.h"

#include <algorithm>

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
                float* to = std::copy_n(in[0].planes[c].row(y), r.w, out.planes[c].row(y)) - r.w;
                for (const int seed : {2 * c, 2 * c + 1})
                    addHashNoise(to, r.w, std::uint32_t(r.x), std::uint32_t(y), std::uint32_t(frame),
                                 std::uint32_t(seed), step);
            }
        }
    }
};

} // namespace

StagePtr dithered(StagePtr input) { return std::make_shared<DitherStage>(std::move(input)); }

} // namespace ulm
