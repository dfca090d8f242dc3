#pragma once

#include "core/picture/picture.h"

#include <span>

namespace ulm {

/// Plane samples around a result that dctShrink() reads.
inline constexpr int kDctShrinkMargin = 8;

/// Sliding-window DCT shrinkage. Every 8×8 block starting at even coordinates is transformed (orthonormal DCT-II),
/// coefficients of magnitude below `threshold` are dropped (the mean is kept), and the overlapping results are averaged
/// with weights falling with the number of coefficients kept.
///
/// frames: 1 or 3 planes of the same area (earlier, this, later). With three, blocks are also transformed along time,
/// and only the middle frame is rebuilt: what stands still is averaged, what moves keeps its coefficients.
/// whole: the plane's full extent; samples beyond it are mirrored. Each input must hold out.area() grown by
/// kDctShrinkMargin, clipped to `whole`. threshold: ≥ 0, in sample units. Results do not depend on the region.
///
/// Sources: Yu & Sapiro, "DCT image denoising", IPOL 2011; Rusanovskyy & Egiazarian, "Video denoising algorithm in
/// sliding 3D DCT domain", ACIVS 2005; for compression blocks, Nosratinia, "Enhancement of JPEG-compressed images by
/// re-application of JPEG", 2001.
void dctShrink(std::span<const Plane> frames, const Rect& whole, float threshold, Plane& out);

/// The same in plain scalar code: the truth the fast one is tested against (within 2e-5).
void dctShrinkReference(std::span<const Plane> frames, const Rect& whole, float threshold, Plane& out);

} // namespace ulm
