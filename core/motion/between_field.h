#pragma once

#include "core/engine/cancel.h"

#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

/// One guess of what a picture between two shows: at each place a straight path (dx, dy) from the earlier picture A to
/// the later B, and how much of A's and of B's sample on that path make up the result. All CV_32F and of one size;
/// shares of all layers add up to 1 at each place.
struct BetweenLayer {
    cv::Mat dx, dy, shareA, shareB;
};

struct BetweenField {
    std::vector<BetweenLayer> layers;
    cv::Mat doubt;     ///< what error is to be expected around each place, 8-bit steps; 0 where held
    cv::Mat mendable;  ///< how far that may be mended, 8-bit steps: the doubt, but where things are kept whole
    bool held = false; ///< A and B do not belong together (a cut, a flash): the nearer is shown as it is
};

/// Movement from A to B and back, CV_32FC2, in pixels of what it is used on.
struct FlowPair {
    cv::Mat ab, ba;
};

struct BetweenWish {
    double part = 0.5;      ///< the instant: 0 at A … 1 at B, both open
    bool maybeCut = false;  ///< an inspection found a cut between them
    std::size_t layers = 1; ///< guesses mixed at a place, [1, 3]
    bool inPlace = false;   ///< the flows at the place itself are guesses too, not projected ones alone
    int patch = 3;          ///< likeness is judged over so many pixels
    bool whole = false;     ///< one more layer keeps things whole where no path can be trusted: see keepWhole()
    int fine = 1;           ///< pixels of the field in one at which movement was searched for
};

/// What the instant shows. `a`, `b`: luma, 8-bit codes; all of one size. Flows, the most trusted first, are projected
/// to the instant (each place takes the movement that agrees best). At each place these guesses, and that nothing moves
/// there, are weighed by how alike A and B are along them and by how well the flow agrees at both ends; a side on which
/// it does not is hidden there and counts for less (after Herbst, Seitz & Baker, "Occlusion reasoning for temporal
/// interpolation using optical flow", 2009). Where two pictures do not belong together nothing is mixed; a cut that was
/// found holds unless movement explains the change.
BetweenField betweenField(const cv::Mat& a, const cv::Mat& b, const std::vector<FlowPair>& flows, const BetweenWish&,
                          const CancelToken&);

} // namespace ulm
