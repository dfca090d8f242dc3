#pragma once

#include "core/codec/video_codec.h"
#include "core/engine/cancel.h"

#include <functional>
#include <thread>

namespace ulm {

/// An open encoder with every call checked: pictures in, packets out, as many of these as of those. The library works
/// on a thread of the encoder's own, for a single call may take it seconds: whoever waits for it can be cancelled, and
/// leaves it behind. Not thread safe.
class Encoder {
public:
    /// Errors: Fault::Usage with the library's reason.
    Encoder(const VideoEncoding&, bool globalHeader, const CancelToken& cancel);
    ~Encoder();
    Encoder(const Encoder&) = delete;
    Encoder& operator=(const Encoder&) = delete;

    using OnPacket = std::function<void(AVPacket&)>;
    /// Its samples are not changed. pts in the encoding's time base, increasing. Errors: Fault::Output. Throws
    /// Cancelled.
    void send(const AVFrame& picture, std::int64_t pts, const OnPacket&);
    /// Hands out what is still held. Errors: Fault::Output, also where a picture never came out. Throws Cancelled.
    void finish(const OnPacket&);

    const AVCodecContext& context() const;
    std::int64_t taken() const { return taken_; } ///< pictures handed over
    std::int64_t given() const { return given_; } ///< packets that came out

private:
    struct Work; ///< what its thread and its owner share
    void put(av::Frame picture, const OnPacket&);
    void takePackets(const OnPacket&);
    std::shared_ptr<Work> work_;
    std::thread thread_;
    CancelToken cancel_;
    std::int64_t taken_ = 0, given_ = 0;
};

} // namespace ulm
