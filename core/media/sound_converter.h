#pragma once

#include "core/media/av.h"
#include "core/media/filter_graph.h"

#include <functional>

namespace ulm {

/// Sound brought to one rate, layout and sample format through libavfilter, however often what comes in changes its
/// own. Not thread safe.
class SoundConverter {
public:
    struct Wanted {
        int rate = 48000; ///< samples a second
        int channels = 2; ///< 1 or 2; more are mixed down to two
        AVSampleFormat format = AV_SAMPLE_FMT_FLTP;
        bool monoOnBoth = false; ///< one channel goes to both as it is; else 3 dB lower, so that it is no louder
    };
    explicit SoundConverter(const Wanted& wanted) : wanted_(wanted) {}
    ~SoundConverter();
    SoundConverter(const SoundConverter&) = delete;
    SoundConverter& operator=(const SoundConverter&) = delete;

    /// Called with sound as wanted; pts counts samples of the wanted rate from the clock's zero.
    using OnSound = std::function<void(const AVFrame&)>;
    /// pts of `frame` in `timeBase`. Errors: Fault::Input where it cannot be converted.
    void send(AVFrame& frame, AVRational timeBase, const OnSound&);
    /// Hands out what is still held.
    void finish(const OnSound&);

private:
    void build(const AVFrame& frame, AVRational timeBase);
    void drain(const OnSound&);
    bool sameKind(const AVFrame& frame) const;

    Wanted wanted_;
    FilterGraph graph_;
    int rate_ = 0, format_ = -1;
    AVChannelLayout layout_{};
};

} // namespace ulm
