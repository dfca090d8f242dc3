#pragma once

#include "core/picture/picture.h"

namespace ulm {

/// Samples around a result that gaussianBlur() of this sigma reads.
int gaussianReach(double sigma);

/// Gaussian blur of standard deviation `sigma` samples, (0, 64], normalised, truncated at gaussianReach(). `in` must
/// hold out.area() grown by the reach, clipped to `whole` (the plane's full extent), whose edge samples are repeated.
void gaussianBlur(const Plane& in, const Rect& whole, double sigma, Plane& out);

/// The same in plain scalar double precision: the truth the fast one is tested against (within 1e-5).
void gaussianBlurReference(const Plane& in, const Rect& whole, double sigma, Plane& out);

} // namespace ulm
