#pragma once

#include "core/framing/warp_stage.h"
#include "core/picture/size.h"

namespace ulm {

/// How a clip is to be held before it is framed.
struct PoseWish {
    Rect part;             ///< what is kept of the clip, displayed pixels; empty: all
    int turn = 0;          ///< clockwise: 0, 90, 180 or 270 degrees
    bool mirrored = false; ///< left and right are exchanged first
    double degrees = 0;    ///< clockwise, [-45, 45], after that; what then lies beside the picture is cut away evenly
};

/// A clip as it is held: cut, mirrored, turned, straightened, and steadied frame by frame. Framing plans on what it
/// gives. All in displayed pixels (square ones).
struct Pose {
    Size clip;                                    ///< whole, as displayed
    int width = 0, height = 0;                    ///< held; even where anything was done
    Affine still;                                 ///< from the clip's pixels to those held
    std::function<Affine(std::int64_t frame)> at; ///< null: the same on every frame
    Key key = 0;                                  ///< identity of `at`

    Affine operator()(std::int64_t frame) const { return at ? at(frame) : still; }
    /// Nothing but a part of the clip is taken, if that: no pixel has to be moved.
    bool cutsOnly() const;
    Size size() const { return {width, height}; }
};

/// A wish for a part outside the clip is for the whole of it; a part is at least 16 × 16.
Pose poseOf(Size clip, const PoseWish& wish);

/// The clip, or an enlarged form of it, as the pose holds it: width and height grow along.
StagePtr posed(StagePtr clip, const Pose& pose);

} // namespace ulm
