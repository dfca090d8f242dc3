#include "core/engine/pick_stage.h"

namespace ulm {
namespace {

class PickStage : public Stage {
public:
    PickStage(StagePtr input, std::int64_t frames, Key clock, std::function<std::int64_t(std::int64_t)> pick)
        : Stage({input}, input->format(), KeyMaker("pick").add(input).add(static_cast<std::int64_t>(clock))),
          frames_(frames), pick_(std::move(pick)) {}
    const char* name() const override { return "pick"; }
    std::int64_t frames() const override { return frames_; }
    bool worthKeeping() const override { return false; } // its input keeps them, once for all frames that show it
    std::vector<Need> needs(std::int64_t n, const Rect& region) const override { return {{0, pick_(n), region}}; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (std::size_t c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
    }

private:
    std::int64_t frames_;
    std::function<std::int64_t(std::int64_t)> pick_;
};

} // namespace

StagePtr pickFrames(StagePtr input, std::int64_t frames, Key clock, std::function<std::int64_t(std::int64_t)> pick) {
    return std::make_shared<PickStage>(std::move(input), frames, clock, std::move(pick));
}

} // namespace ulm
