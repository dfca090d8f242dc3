#pragma once

#include "core/media/av.h"
#include "core/media/filter_graph.h"

#include <functional>

namespace ulm {

/// Sound made faster or slower at its own pitch (Rubber Band, through libavfilter; where that is missing, by overlap
/// and add). Planar float, one rate and layout. Not thread safe.
class SoundStretcher {
public:
    /// speed: [0.1, 4], 2 takes half the time. Errors: Fault::Output.
    SoundStretcher(int rate, const AVChannelLayout& layout, double speed);
    SoundStretcher(const SoundStretcher&) = delete;
    SoundStretcher& operator=(const SoundStretcher&) = delete;

    /// Called with stretched sound, one piece after the other without gaps; the first sample is the first one given.
    using OnSound = std::function<void(const AVFrame&)>;
    void send(AVFrame& frame, const OnSound&);
    void finish(const OnSound&);

private:
    void drain(const OnSound&);
    void pushOut();

    FilterGraph graph_;
    int rate_;
    double speed_;
    std::int64_t sent_ = 0, given_ = 0; ///< samples
};

} // namespace ulm
