#pragma once

#include "core/finish/pixel_stage.h"
#include "core/picture/colour.h"

#include <memory>

namespace ulm {

/// standardRange() (hdr_stage.h) in float, many pixels at once: from the Y'CbCr of a PQ or HLG clip with these colours,
/// of this peak (cd/m²), to that of Rec. 709.
std::shared_ptr<const PixelMap> standardRangeMap(const ColourDescription& from, double peak);

} // namespace ulm
