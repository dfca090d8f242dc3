#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"

namespace ulm {

/// What enlarging gains on a place of the clip itself, where the truth is known: the frames are shrunk to half,
/// enlarged back as the ticket says, and held against what they were. dB of luma (PSNR).
struct EnlargeGain {
    double lanczos = 0; ///< Lanczos against the truth
    double method = 0;  ///< the ticket's way, above counted as 1
    double above = 0;   ///< the ticket's way with what it works above; as `method` where that is 1
    double overLanczos() const { return above - lanczos; }
    double fromAbove() const { return above - method; }
};
/// place: upright source pixels, at least 32 × 32; it is clipped to the frame and made even. Throws Cancelled.
EnlargeGain enlargeGain(Engine&, const StagePtr& source, std::int64_t frame, const Rect& place, const Ticket&,
                        const Inspection&, const CancelToken&);

/// The share of the ticket's film grain that is left after an encode at this constant rate factor, [0, 1]: how much of
/// each grain of the rendered frame the decoded frame still shows, by regression. grained: a delivery whose ticket lays
/// grain; plain: the same without. Throws Cancelled.
double grainLeft(Engine&, const Delivery& grained, const Delivery& plain, std::int64_t index, double crf,
                 const CancelToken&);

} // namespace ulm
