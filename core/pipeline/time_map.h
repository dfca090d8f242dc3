#pragma once

#include "core/ticket/motion_step.h"
#include "core/ticket/stretch_step.h"

namespace ulm {

/// Which instant of a clip is shown when: at one speed, at speeds that run from one place set to the next, evenly along
/// the clip or eased in time, with instants that stand still and parts that are left out, forwards or backwards. Exact,
/// nothing is tabled but the places set. Times of the movie count from where `origin`, an instant of the clip, is
/// shown.
class TimeMap {
public:
    TimeMap() = default;
    struct Wish {
        double origin = 0;
        double speed = 1;            ///< > 0, multiplies all others
        std::vector<SpeedAt> ramps;  ///< in order of time, like the others
        bool eased = false;          ///< the ramps: smoothly in the movie's time
        std::vector<FreezeAt> halts; ///< those inside of what is left out count for nothing
        std::vector<LeftOut> without;
        bool backwards = false;
    };
    explicit TimeMap(const Wish&);
    /// Of the clip, shown at `movie`.
    double clipAt(double movie) const;
    /// Of the movie, at which an instant of the clip is first shown; of one that is left out, where it would be.
    double movieAt(double clip) const;

private:
    struct Knot {
        double clip, movie, speed;
    };
    double forwards(double clip) const;
    double takes(const Knot& from, const Knot& to, double clip) const;
    double covers(const Knot& from, const Knot& to, double movie) const;
    std::vector<Knot> knots_{{0, 0, 1}};
    double shift_ = 0; ///< of the movie: where the origin lies
    bool eased_ = false, backwards_ = false;
};

} // namespace ulm
