#pragma once

#include "core/engine/engine.h"

namespace ulm::test {

/// A source of deterministic texture with steps and gradients: any size, any frame count.
class PatternStage : public Stage {
public:
    PatternStage(const PictureFormat& format, std::int64_t frames, std::uint32_t seed = 5);
    const char* name() const override { return "pattern"; }
    std::int64_t frames() const override { return frames_; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t frame, std::span<const Picture>, Picture& out, const CancelToken&) const override;

private:
    std::int64_t frames_;
    std::uint32_t seed_;
};

/// What every stage must keep to. Fails the running test case otherwise:
/// a region computed alone equals the same region of the whole frame within `bound`; the stage reads nothing outside
/// what needs() and moreNeeds() asked for (everything else is NaN); nothing outside the region is written; needs lie
/// inside the inputs; a 1-pixel region, odd positions and the corners work; equal parameters give equal keys.
void checkContract(const Stage& stage, double bound = 4e-6);

} // namespace ulm::test
