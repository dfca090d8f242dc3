#pragma once

#include "core/picture/picture.h"

#include <vector>

namespace ulm {

/// The mean over squares of 2·radius + 1 samples, in a time that does not depend on the radius. Samples beyond `in` are
/// those of its edge: nearer than `radius` to a border that is not the picture's the result is wrong.
Plane boxMean(const Plane& in, int radius);

/// Three box means one after the other: nearly a Gaussian of standard deviation `sigma` (Wells, IEEE PAMI 1986).
/// Reaches softReach(sigma) samples.
Plane softened(const Plane& in, double sigma);
int softReach(double sigma);

/// Means of cells of `by` × `by` samples that lie on a grid from the plane's origin, of all cells that `in` holds
/// wholly; those that the end of `whole` cuts are filled up with its edge. The result's coordinates are cells.
Plane cellMeans(const Plane& in, const Rect& whole, int by);

/// As large as cells may be where what is softened by `radius` samples shall not show them (after He & Sun, Fast Guided
/// Filter, 2015).
inline int cellFor(double radius) { return radius >= 8 ? 4 : radius >= 4 ? 2 : 1; }

/// Cells brought back to samples, row by row: linear between their centres. Right from `by` samples inside them on, and
/// up to their end where that is the picture's.
class StretchedCells {
public:
    /// `cells` must not change while rows are read.
    StretchedCells(const Plane& cells, int by);
    /// Samples of row y; index 0 is column cells.area().x · by. Valid until the next call.
    const float* row(int y);

private:
    const Plane cells_;
    int by_;
    std::vector<float> mixed_, line_, parts_;
};

} // namespace ulm
