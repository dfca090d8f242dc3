#include "core/codec/encoder.h"

#include "core/base/error.h"

#include <new>

namespace ulm {
namespace {

[[noreturn]] void fail(const std::string& why) {
    throw Error(Fault::Output, "", "the encoder failed (" + why + ")",
                "Try once more; if it fails again, choose another size or quality.");
}

} // namespace

Encoder::Encoder(const VideoEncoding& e, bool globalHeader) : codec_(videoCodec(e.codec).open(e, globalHeader)) {}

void Encoder::drain(const OnPacket& onPacket) {
    for (;;) {
        const int e = avcodec_receive_packet(codec_.get(), packet_.get());
        if (e == AVERROR(EAGAIN) || e == AVERROR_EOF) return;
        if (e < 0) fail(av::errorText(e));
        ++given_;
        onPacket(*packet_);
        av_packet_unref(packet_.get());
    }
}

void Encoder::send(const AVFrame& picture, std::int64_t pts, const OnPacket& onPacket) {
    const av::Frame f(av_frame_clone(&picture));
    if (!f) throw std::bad_alloc();
    f->pts = pts;
    f->pict_type = AV_PICTURE_TYPE_NONE; // the source's own kinds of picture are not asked for again
    int e = avcodec_send_frame(codec_.get(), f.get());
    if (e == AVERROR(EAGAIN)) {
        drain(onPacket);
        e = avcodec_send_frame(codec_.get(), f.get());
    }
    if (e < 0) fail(av::errorText(e));
    ++taken_;
    drain(onPacket);
}

void Encoder::finish(const OnPacket& onPacket) {
    if (const int e = avcodec_send_frame(codec_.get(), nullptr); e < 0 && e != AVERROR_EOF) fail(av::errorText(e));
    drain(onPacket);
    if (given_ != taken_) fail("it gave " + std::to_string(given_) + " pictures back of " + std::to_string(taken_));
}

} // namespace ulm
