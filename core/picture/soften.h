#pragma once

#include "core/picture/picture.h"

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
/// Back to samples, linear between the cells' centres; `out` must lie `by` samples inside the cells, or at their end.
void stretchCells(const Plane& cells, int by, Plane& out);

} // namespace ulm
