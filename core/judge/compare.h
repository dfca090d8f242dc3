#pragma once

#include "core/media/clip.h"

#include <nlohmann/json.hpp>
#include <vector>

namespace ulm {

/// Two clips held against each other, frame by frame in order.
struct Comparison {
    struct Frame {
        double psnrY, ssimY, psnrYuv;
    };
    struct Figure {
        double mean = 0, min = 0;
    };
    std::vector<Frame> frames;
    std::int64_t referenceFrames = 0, testFrames = 0;
    Figure psnrY() const { return over(&Frame::psnrY); }
    Figure ssimY() const { return over(&Frame::ssimY); }
    Figure psnrYuv() const { return over(&Frame::psnrYuv); }

private:
    Figure over(double Frame::*member) const;
};

/// Clips of the same upright size and chroma subsampling (others are brought to the reference's subsampling).
/// Errors: Fault::Usage where sizes differ; Fault::Input.
Comparison compareClips(const ClipPtr& reference, const ClipPtr& test, const CancelToken&);

nlohmann::json toJson(const Comparison&);

} // namespace ulm
