#pragma once

#include "core/engine/stage.h"
#include <functional>
#include <vector>

namespace ulm {

/// How pictures between two are made. Fast: from the best two of three guesses of movement a place, mixed where either
/// may be true. Careful: from the best three of seven, weighed at twice the size, and mended by a network where both
/// sides disagree (mend.h; a mean of several exposures is not).
enum class Between { Fast, Careful };

/// What is shown where no path can be trusted, such as of crossing legs. Whole: a thing keeps the shape that it has in
/// the nearer frame, and moves along. Mix: all that may be true, each as likely as it is; nearer to the truth on
/// average, but torn or double.
enum class Unsure { Whole, Mix };

/// What is shown of an instant between two frames: a picture rebuilt along the movement, both blended where they are,
/// or the frame alone.
enum class BetweenWay { Rebuild, Blend, Hold };

/// An instant of a clip: frame `frame`, or `part` of the way on to the next one, [0, 1).
struct BetweenInstant {
    std::int64_t frame = 0;
    double part = 0;                      ///< 0 for BetweenWay::Hold
    BetweenWay way = BetweenWay::Rebuild; ///< counts where `part` is not 0
};

/// A clip on another clock, frames in between made along the movement.
struct BetweenClock {
    std::int64_t frames = 0; ///< that come out, > 0
    Key key = 0;             ///< identity of `at`
    /// Of each of them, of each exposure of it: [0, frames · exposures); thread safe.
    std::function<BetweenInstant(std::int64_t)> at;
    std::vector<std::int64_t> cuts; ///< first frames of new shots, ascending, as far as they were found
    int exposures = 1;              ///< instants that a frame is the mean of, in encoded values

    /// Whether instant `n` is made along the movement.
    bool isRebuilt(std::int64_t n) const {
        const BetweenInstant i = at(n);
        return i.part > 0 && i.way == BetweenWay::Rebuild;
    }
};

/// `input` at the instants of `clock`: its own frames untouched where `part` is 0, between them pictures in between as
/// betweenField() describes. Movement is looked for on `guide`: the same frames, of the same size or smaller (its
/// shape must be the input's). A pair that does not belong together shows the nearer frame.
/// The mean of several exposures is always of what is mixed.
StagePtr inBetween(StagePtr input, StagePtr guide, const BetweenClock& clock, Between method,
                   Unsure unsure = Unsure::Whole);

/// What inBetween() would look at, for showing: smaller than the guide, planes 0 and 1 the best path from the
/// frame before to the one after, in pixels of the guide, plane 2 the doubt (what error is to be expected) in 8-bit
/// steps; all 0 on frames that are not rebuilt. Whole frames only, one exposure.
StagePtr betweenPaths(StagePtr guide, const BetweenClock& clock, Between method);

/// What a picture in between is mended from, for teaching the network that does it: as sidesStage() describes.
StagePtr betweenSides(StagePtr input, const BetweenClock& clock, Between method);

} // namespace ulm
