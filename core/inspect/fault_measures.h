#pragma once

#include "core/inspect/readings.h"

#include <array>

/// The measures behind Readings, one file each. All take luma planes unless they say otherwise.
namespace ulm::measure {

inline constexpr float kSteps = 219.f; ///< 8-bit steps of limited range between black and white

/// Compression blocks: how far differences across grid lines exceed those beside them, in tenths of a step, geometric
/// mean of both directions. After Wu & Yuen, "A generalized block-edge impairment metric for video coding", IEEE Signal
/// Processing Letters 1997; grids of other sizes (a clip that was enlarged) are found by trying periods.
struct Blocking {
    double reading = 0;
    BlockGrid grid;
};
Blocking blocking(const Plane&);
FaultMap blockingMap(const Plane&, const BlockGrid&);

/// Sigma of noise: Immerkær, "Fast noise variance estimation", CVIU 1996, on the flattest tenth of 16×16 blocks (as
/// Olsen, "Estimation of noise in images", 1993, chooses them); blocks near black or white are left out. Dark: blocks
/// whose mean lies below 70 steps, bright: above 130; 0 where fewer than four such blocks are flat enough to tell.
struct Noise {
    double sigma = 0, dark = 0, bright = 0;
    FaultMap map;     ///< sigma of flat blocks; busy ones have no weight
    FaultMap texture; ///< sigma of every block
};
Noise noise(const Plane&, double scale);

/// Strong edges, walked along rows and columns. Width between the extrema that bound an edge: Marziliano, Dufaux,
/// Winkler & Ebrahimi, "A no-reference perceptual blur metric", ICIP 2002. Haloes: both extrema's overshoot over the
/// level a little further away, % of the edge's height. Ringing: how far seven samples just
/// outside the extrema stray from a straight line, less how far the next seven do, in steps, where those are calm:
/// after the same authors' "Perceptual blur and ringing metrics", 2004.
struct Edges {
    double softness = 0, haloes = 0, ringing = 0;
    double straight = 0;
    int count = 0;
    FaultMap widthMap, haloMap, ringMap;
};
/// `strong`: steps a pixel from which a gradient is an edge.
Edges edges(const Plane&, double noiseSigma, double strong = 10);

/// Width of the same edges in two pictures of one place, pixels, medians: those that are edges in `before`, found again
/// in `after` within `near` pixels. An edge that `after` no longer has (a block's border, say) counts in neither; NaN
/// for fewer than a dozen.
std::pair<double, double> widthsOfSameEdges(const Plane& before, const Plane& after, double strong, int near);

/// Log-odds that a picture is drawn (line art, a screen) rather than natural; 0 where nothing can be said. From means
/// over cells, 320 along the longer side, so that noise and blocks weigh little: how well two tones explain windows
/// that hold an edge (Otsu, "A threshold selection method from gray-level histograms", 1979), how much lies in three
/// tones, and how many windows hold an edge. Black borders are left out.
double drawn(const Plane&);

/// Stair-steps on slanted edges: the place where an edge crosses its middle level is followed along the edge (as the
/// slanted-edge method of ISO 12233 finds it) and its jumps are held against those of a full staircase of that slope.
/// 0 smooth … 100 full staircase; the median over edges, 0 where fewer than a dozen can be followed.
struct Stairs {
    double reading = 0;
    FaultMap map;
};
Stairs stairs(const Plane&, double noiseSigma);

/// Contours of small steps (1–12) in otherwise flat surroundings, weighted by the square of the step, a hundred
/// thousand flat samples: candidates as in Tu, Lin, Wang, Adsumilli & Bovik, "BBAND index", ICASSP 2020.
/// `blocks`: a grid whose lines are left out (a blocky picture's steps are told as blocks), or null.
FaultMap banding(const Plane&, const BlockGrid* blocks = nullptr);

/// Samples piled up at black and at white, % beyond what the next levels would make one expect.
struct Ends {
    double crushed = 0, clipped = 0, level = 0;
    FaultMap crushedMap, clippedMap;
};
Ends ends(const Plane&);

/// How far what should be grey lies from grey, in steps of chroma: the smaller of the grey world's (mean chroma of
/// middle tones) and the white patch's (mean chroma of the brightest twentieth) where both point the same way, else 0.
/// After Gasparini & Schettini, "Color balancing of digital photographs", Pattern Recognition 2004.
double cast(const Picture&);

/// % of moving samples whose rows alternate: both neighbours above and below lie on the same side, far away, and agree.
FaultMap combing(const Plane&, const Plane& next, double noiseSigma);

/// Original lines over stored lines: where the power spectrum of busy 64×64 blocks, weighted by frequency squared,
/// falls away for good. After the effective-resolution reading of Field, "Relations between the statistics of natural
/// images", JOSA 1987 (their spectra fall as 1/f²). (0, 1], or 0 where the picture is too flat to tell.
double detail(const Plane&);

} // namespace ulm::measure
