#pragma once

#include "core/codec/video_codec.h"

#include <functional>

namespace ulm {

/// An open encoder with every call checked: pictures in, packets out, as many of these as of those. Not thread safe.
class Encoder {
public:
    /// Errors: Fault::Usage with the library's reason.
    Encoder(const VideoEncoding&, bool globalHeader);

    using OnPacket = std::function<void(AVPacket&)>;
    /// Its samples are not changed. pts in the encoding's time base, increasing. Errors: Fault::Output.
    void send(const AVFrame& picture, std::int64_t pts, const OnPacket&);
    /// Hands out what is still held. Errors: Fault::Output, also where a picture never came out.
    void finish(const OnPacket&);

    const AVCodecContext& context() const { return *codec_; }
    std::int64_t taken() const { return taken_; } ///< pictures handed over
    std::int64_t given() const { return given_; } ///< packets that came out

private:
    void drain(const OnPacket&);
    av::Codec codec_;
    av::Packet packet_{av_packet_alloc()};
    std::int64_t taken_ = 0, given_ = 0;
};

} // namespace ulm
