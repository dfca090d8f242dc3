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

/// What shows in one 48×48 neighbourhood, for choosing spots: its centre in luma pixels, and how telling it is of each
/// kind (blocking reading; flat noise sigma, dark counting more; number of strong edges; sigma of the least busy part).
struct Neighbourhood {
    int x = 0, y = 0;
    double blocks = 0, noise = 0, edge = 0, texture = 0;
};
/// All neighbourhoods of a picture, half overlapping, a margin of 8 left out; none for pictures under 64 a side.
std::vector<Neighbourhood> lookAround(const Plane& luma);

} // namespace ulm
