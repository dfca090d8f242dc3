#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// A stage that maps each pixel's colour by itself. Where chroma is subsampled luma is mapped with chroma interpolated
/// to it, and chroma with luma averaged to it: what is not changed passes exactly, no chroma is blurred by a detour
/// through full resolution.
class PixelStage : public Stage {
public:
    /// Chroma is looked at two luma samples away.
    int margin() const override { return 4; }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override;

    /// Samples that rows given to map() have beyond `count`; their values do not matter.
    static constexpr int kSlack = 64;

protected:
    PixelStage(StagePtr input, Key key) : Stage({input}, input->format(), key) {}
    /// output: of the same size and subsampling.
    PixelStage(StagePtr input, const PictureFormat& output, Key key) : Stage({input}, output, key) {}
    /// Maps `count` colours in place: Y', Cb, Cr as in Picture.
    virtual void map(float* y, float* cb, float* cr, int count) const = 0;
};

} // namespace ulm
