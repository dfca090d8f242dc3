#pragma once

#include "core/picture/picture.h"

namespace ulm {

/// All measures take 8-bit-equivalent codes of limited range: value · 219 for luma, · 224 for chroma, peak 255.

/// Peak signal-to-noise ratio of two planes of the same area, dB; 99 where they are equal.
double psnr(const Plane& reference, const Plane& test, bool chroma = false);
/// Over all three planes, weighted by their sample counts.
double psnrAll(const Picture& reference, const Picture& test);
/// Structural similarity on luma: Wang, Bovik, Sheikh & Simoncelli 2004, 11×11 Gaussian window of sigma 1.5, K1 0.01,
/// K2 0.03; mean over the samples whose window lies inside. Planes of the same area, at least 11×11. [−1, 1].
double ssim(const Plane& reference, const Plane& test);

} // namespace ulm
