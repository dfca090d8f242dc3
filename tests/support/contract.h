#pragma once

#include "core/engine/engine.h"

#include <functional>
#include <string>

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

/// What a stage breaks of what every stage must keep to, in words; empty where it keeps to all:
/// a region computed alone equals the same region of the whole frame within `bound`; the stage reads nothing outside
/// what needs() and moreNeeds() asked for (everything else is NaN); nothing outside the region is written; needs lie
/// inside the inputs; a 1-pixel region, odd positions and the corners work.
std::vector<std::string> contractFaults(const Stage& stage, double bound = 4e-6);
/// Fails the running test case where there are any.
void checkContract(const Stage& stage, double bound = 4e-6);

/// "Equal keys, equal pixels": of ways to make a stage, each made twice has its own key again, and no two share one.
void checkKeys(const std::vector<std::function<StagePtr()>>& ways);

} // namespace ulm::test
