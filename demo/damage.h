#pragma once

#include "core/media/av.h"
#include "demo/scenes/canvas.h"

namespace ulm::demo {

/// 8-bit 4:2:0, BT.709, limited range (chroma sited left).
av::Frame toFrame420(const Canvas&);
/// Mean of 2×2 pixels.
Canvas halved(const Canvas&);
/// Every second pixel, no filter: stair-steps.
Canvas decimated(const Canvas&);
/// Gaussian of `sigma` pixels, per colour.
void soften(Canvas&, float sigma);
/// Sensor-like noise: `sigma` in 8-bit steps at mid grey, more in the dark; new on every frame.
void spreadNoise(Canvas&, float sigma, std::uint32_t frame);
/// Fewer levels a channel: banding.
void fewerLevels(Canvas&, int levels);
/// Overshoot beside edges, as careless sharpening leaves it.
void oversharpen(Canvas&, float amount, float sigma);

/// Encodes and decodes as MPEG-4 part 2 at a fixed quantiser (1…31), one frame in, one out: 8×8 blocks and ringing, as
/// old cameras and messengers leave them.
class BlockyTrip {
public:
    BlockyTrip(int w, int h, int quantiser);
    av::Frame through(const AVFrame&);

private:
    av::Codec encoder_, decoder_;
    std::int64_t n_ = 0;
};

} // namespace ulm::demo
