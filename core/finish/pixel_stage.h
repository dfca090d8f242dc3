#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// What becomes of a colour. Called from many threads.
class PixelMap {
public:
    virtual ~PixelMap() = default;
    enum class Asked { Colour, Luma };
    /// Where colours lie: from -1 to 1 between the picture's borders. The first one's place across, the way to the next
    /// one, and how far down all are.
    struct Line {
        float x, step, y;
    };
    /// Maps `count` colours in place: Y', Cb, Cr as in Picture. Where only luma is asked for what becomes of cb and cr
    /// does not matter; most pixels of a picture with subsampled chroma are asked for so.
    virtual void map(float* y, float* cb, float* cr, int count, Asked, const Line&) const = 0;
    /// False: what becomes of luma does not depend on chroma, nor the other way.
    virtual bool mixes() const { return true; }

    /// Samples that rows given to map() have beyond `count`, for whole vectors; their values do not matter.
    static constexpr int kSlack = 64;
};

/// A stage that maps each pixel's colour by itself. Where chroma is subsampled luma is mapped with chroma interpolated
/// to it, and chroma with luma averaged to it: what is not changed passes exactly, no chroma is blurred by a detour
/// through full resolution. Where the input is such a stage too, both become one, which passes over the picture once;
/// but one that changes the format (HDR to standard range) is dear, and stays alone: its result is worth keeping.
/// key: of the map alone. output: of the input's size and subsampling.
StagePtr pixelStage(StagePtr input, const char* name, const KeyMaker& key, std::shared_ptr<const PixelMap> map,
                    const PictureFormat& output);

} // namespace ulm
