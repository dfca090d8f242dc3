#include "core/engine/mix_stage.h"

namespace ulm {
namespace {

class MixStage : public Stage {
public:
    MixStage(StagePtr treated, StagePtr original, double share)
        : Stage({treated, original}, treated->format(), KeyMaker("mix").add(treated).add(original).add(share)),
          share_(static_cast<float>(share)) {}
    const char* name() const override { return "mix"; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        return {{0, frame, region}, {1, frame, region}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c)
            for (int y = out.planes[c].area().y; y < out.planes[c].area().bottom(); ++y) {
                const float *a = in[0].planes[c].row(y), *b = in[1].planes[c].row(y);
                float* to = out.planes[c].row(y);
                for (int x = 0; x < out.planes[c].area().w; ++x) to[x] = a[x] + share_ * (b[x] - a[x]);
            }
    }

private:
    float share_;
};

} // namespace

StagePtr keepOriginal(StagePtr treated, StagePtr original, double share) {
    return std::make_shared<MixStage>(treated, original, share);
}

} // namespace ulm
