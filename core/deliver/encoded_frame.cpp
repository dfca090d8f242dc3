#include "core/deliver/encoded_frame.h"

#include "core/codec/encoder.h"
#include "core/deliver/forecast.h"
#include "core/engine/held_picture.h"
#include "core/media/frame_convert.h"

namespace ulm {

Picture encodedFrame(Engine& engine, const Delivery& p, std::int64_t index, double crf, int lead,
                     const CancelToken& cancel) {
    const VideoCodec& codec = videoCodec(p.ticket.deliver.codec);
    VideoEncoding e = encodingFor(p);
    e.rate = VideoEncoding::Rate::Quality;
    e.crf = crf;
    Encoder encoder(e, false, cancel);
    const av::Codec decoder(avcodec_alloc_context3(avcodec_find_decoder(codec.id)));
    if (avcodec_open2(decoder.get(), nullptr, nullptr) < 0)
        throw Error(Fault::Input, "", "there is no decoder for " + codec.title, "Install libav* with it.");
    const std::int64_t first = std::max<std::int64_t>(0, index - lead), wanted = index - first;
    av::Frame frame(av_frame_alloc()), kept(av_frame_alloc());
    const auto decode = [&](const AVPacket* in) {
        avcodec_send_packet(decoder.get(), in);
        while (avcodec_receive_frame(decoder.get(), frame.get()) >= 0) {
            if (frame->pts == wanted || !kept->buf[0]) {
                av_frame_unref(kept.get());
                av_frame_move_ref(kept.get(), frame.get());
            } else
                av_frame_unref(frame.get());
        }
    };
    // A few frames after it, too: the encoder looks ahead.
    const std::int64_t last = std::min(p.frames() - 1, index + 2);
    for (std::int64_t n = first; n <= last; ++n) {
        cancel.check();
        const av::Frame f = deliveredPicture(engine, p, n, cancel);
        encoder.send(*f, n - first, [&](AVPacket& p) { decode(&p); });
    }
    encoder.finish([&](AVPacket& p) { decode(&p); });
    decode(nullptr);
    if (!kept->buf[0]) throw Error(Fault::Output, "", "the encoder gave no picture back", "Choose another quality.");
    const PictureFormat& format = p.result->format();
    Picture out = Picture::make(format, format.frame());
    toPicture(*kept, out);
    Engine once(0);
    return once.pull(*asRgb(heldPicture(std::move(out))), 0, format.frame(), cancel);
}

} // namespace ulm
