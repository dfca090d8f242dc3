#pragma once

#include "core/media/av.h"
#include "core/media/filter_graph.h"

#include <functional>
#include <string>

namespace ulm {

/// Sound made faster or slower at its own pitch (Rubber Band, through libavfilter; where that is missing, by overlap
/// and add). Planar float, one rate and layout. Not thread safe.
class SoundStretcher {
public:
    /// Seconds of the result by which so many seconds of sound are to be heard; growing.
    using Due = std::function<double(double seconds)>;
    /// Errors: Fault::Output.
    SoundStretcher(int rate, const AVChannelLayout& layout, Due due);
    SoundStretcher(const SoundStretcher&) = delete;
    SoundStretcher& operator=(const SoundStretcher&) = delete;

    /// Called with stretched sound, one piece after the other without gaps; the first sample is the first one given.
    using OnSound = std::function<void(const AVFrame&)>;
    void send(AVFrame& frame, const OnSound&);
    void finish(const OnSound&);

private:
    void drain(const OnSound&);
    void pushOut();
    void setSpeed(int samples);

    FilterGraph graph_;
    int rate_;
    Due due_;
    double speed_ = 1;                  ///< what the filter is set to
    std::string filter_;                ///< its name
    std::int64_t sent_ = 0, given_ = 0; ///< samples
};

} // namespace ulm
