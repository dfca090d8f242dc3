#pragma once

#include "core/media/av.h"

#include <cstdint>
#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

/// Film of 24 frames a second spread over the fields of 30 (pulldown of 2:3): of each five frames two hold fields of
/// two film frames.
struct Pulldown {
    bool topFirst = true;
    std::vector<std::int64_t> woven;   ///< frames whose second field belongs to the film frame before: in order
    std::vector<std::int64_t> repeats; ///< of these, the ones that then repeat the frame before
    bool any() const { return !woven.empty(); }
    bool operator==(const Pulldown&) const = default;
};

/// How combed frames are, as they are and woven with a field of the frame before.
class FieldFinder {
public:
    /// The next frame, as it is stored. Frames of other sizes or sample formats than 8-bit planes say nothing.
    void add(const AVFrame&);
    /// `cuts`: first frames of shots; each has a place in the cycle of its own. A clip whose combs come in no such
    /// cycle has none.
    Pulldown pulldown(const std::vector<std::int64_t>& cuts) const;

private:
    struct Combs {
        double own = 0, withTop = 0, withBottom = 0; ///< share of samples, as it is; own top or bottom field kept
    };
    std::vector<Combs> combs_;
    std::vector<cv::Mat> last_; ///< the bands of the frame before
};

} // namespace ulm
