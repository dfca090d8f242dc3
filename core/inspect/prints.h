#pragma once

#include "core/media/av.h"
#include "core/picture/picture.h"

#include <optional>
#include <vector>

namespace ulm {

/// A frame's luma averaged over a coarse grid, in 8-bit steps: enough to tell cuts, repeats and movement, and made
/// from every frame.
struct Thumbprint {
    static constexpr int kColumns = 96, kRows = 54;
    std::vector<float> cells;
};
Thumbprint thumbprint(const Plane& luma);
/// The same from a decoded frame as it is stored (not turned upright), without a detour through float where it is
/// planar; `full`: its luma uses the full range.
Thumbprint thumbprint(const AVFrame& frame, bool full);

/// Bytes a sample of luma that lies in rows of its own: 1 or 2; 0 where it does not.
int planarLumaBytes(const AVFrame& frame);
/// Bits a sample of luma.
int lumaDepth(const AVFrame& frame);

struct PrintDifference {
    float mean = 0, most = 0; ///< 8-bit steps, over cells
};
PrintDifference difference(const Thumbprint& a, const Thumbprint& b);
/// Correlation of the two, whatever their brightness and contrast: 1 the same picture; 0 where one of them is plain.
float likeness(const Thumbprint& a, const Thumbprint& b);

/// How much of `b` was there in `a` already, wherever it moved to: of blocks that show something, the mean share of
/// their variance that the best block of `a` within a fifth of the picture explains, brightness and contrast aside
/// (block matching; Barnea & Silverman 1972). Fast movement near the camera leaves 0.6 and more, two shots of
/// different things 0.5 and less. None where either picture is too plain to tell.
std::optional<float> continuity(const Thumbprint& a, const Thumbprint& b);

/// How the picture as a whole moved from `a` to `b`: translation in cells (x to the right, y down), by iterated least
/// squares on brightness gradients, coarse to fine (Lucas & Kanade, IJCAI 1981). `trust`: share of the change that the
/// movement explains, [0, 1].
struct GlobalMotion {
    float x = 0, y = 0, trust = 0;
};
GlobalMotion globalMotion(const Thumbprint& a, const Thumbprint& b);

} // namespace ulm
