#pragma once

#include "core/picture/picture.h"

#include <string>

namespace ulm {

/// Interpolation kernels, by zimg.
enum class Kernel { Bilinear, Bicubic, Spline36, Lanczos, Point };
/// "bilinear", "bicubic", "spline36", "lanczos", "point"; false where the name is none of them.
bool kernelFromName(const std::string& name, Kernel& out);

/// How output sample positions map to input ones on one axis, in samples of the two planes:
/// input = start + (output + 0.5) · step − 0.5.
struct AxisMap {
    double start = 0; ///< input position (edge, not centre) of the output's first edge
    double step = 1;  ///< input samples for each output sample, > 0
};

/// Input samples on each side of a mapped position that the kernel looks at.
int kernelReach(Kernel kernel, double step);

/// The input samples needed for output samples [first, first + count) of an axis, clipped to [0, size).
struct Span {
    int first, count;
};
Span samplesNeeded(Kernel kernel, const AxisMap& map, int first, int count, int size);

/// Fills out (its area in output plane coordinates) from `in`, which must hold the samples that samplesNeeded() names
/// for both axes. Samples beyond a plane's edge are mirrored; the mapped area must lie inside the input plane. A region
/// gives the same samples as the whole plane, within 2e-6. Throws Error where zimg refuses.
void resample(const Plane& in, Plane& out, const AxisMap& horizontal, const AxisMap& vertical, Kernel kernel);

/// Offset of a subsampled chroma sample's centre from the centre of its block, in luma pixels, for an axis that is
/// subsampled: −0.5 at the block's first luma sample, 0 in the middle, +0.5 at its last. `vertical` picks the axis.
double chromaOffset(int chromaSite, bool vertical);

} // namespace ulm
