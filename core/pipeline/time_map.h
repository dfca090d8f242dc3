#pragma once

#include "core/ticket/motion_step.h"

namespace ulm {

/// Which instant of a clip is shown when: at one speed, at speeds that run evenly from one place set to the next (along
/// the clip), with instants that stand still, forwards or backwards. Exact, in closed form; nothing is tabled but the
/// places set. Times of the movie count from where `origin`, an instant of the clip, is shown.
class TimeMap {
public:
    TimeMap() = default;
    /// speed, > 0, multiplies all others. ramps, freezes: in order of time.
    TimeMap(double origin, double speed, const std::vector<SpeedAt>& ramps, const std::vector<FreezeAt>& freezes,
            bool backwards);
    /// Of the clip, shown at `movie`.
    double clipAt(double movie) const;
    /// Of the movie, at which an instant of the clip is first shown.
    double movieAt(double clip) const;

private:
    struct Knot {
        double clip, movie, speed;
    };
    double forwards(double clip) const;
    std::vector<Knot> knots_{{0, 0, 1}};
    double shift_ = 0; ///< of the movie: where the origin lies
    bool backwards_ = false;
};

} // namespace ulm
