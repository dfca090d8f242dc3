#pragma once

#include "core/picture/picture.h"

#include <vector>

namespace ulm {

/// What is measured on one picture's luma, in 8-bit steps (value · 219) and source pixels.
struct Readings {
    /// Compression blocks: tenths of an 8-bit step by which differences across an 8×8 grid exceed those beside it,
    /// geometric mean of both directions, best grid offset. [0, 100]. After Wu & Yuen, "A generalized
    /// block-edge impairment metric for video coding", 1997.
    double blocking = 0;
    /// Noise sigma, 8-bit steps, [0, 50]: Immerkær, "Fast noise variance estimation", 1996, on the flattest tenth of
    /// 16×16 blocks (as Olsen 1993 chooses them); blocks near black or white are left out.
    double noise = 0;
    /// Chroma noise sigma, by the same method.
    double chromaNoise = 0;
    /// Mean width of strong edges, pixels: Marziliano, Dufaux, Winkler & Ebrahimi, "A no-reference perceptual blur
    /// metric", 2002. 0 where the picture has no strong edge.
    double softness = 0;
    /// Overshoot beside strong edges, % of the edge's height (median of rows crossing an edge).
    double ringing = 0;
};

Readings readPicture(const Picture& picture);

double blockingReading(const Plane& luma);
double noiseReading(const Plane& plane, double scale);
double softnessReading(const Plane& luma);

/// Where a fault shows most, for spots: centre in luma pixels, and the local reading in the reading's own unit.
struct Place {
    int x = 0, y = 0;
    double value = 0;
};
struct Places {
    Place blocks, noise, edge, texture;
};
/// Worst 48×48 neighbourhoods of a picture; a picture smaller than that yields its centre.
Places findPlaces(const Plane& luma);

} // namespace ulm
