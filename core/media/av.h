#pragma once
// The one door to libav*: its C headers, owners for its objects, and its error texts.

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/display.h>
#include <libavutil/imgutils.h>
#include <libavutil/mastering_display_metadata.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
}

#include <memory>
#include <string>

namespace ulm::av {

template <auto Free>
struct FreeBy {
    template <class T>
    void operator()(T* p) const {
        Free(&p);
    }
};
using Input = std::unique_ptr<AVFormatContext, FreeBy<avformat_close_input>>;
using Codec = std::unique_ptr<AVCodecContext, FreeBy<avcodec_free_context>>;
using Packet = std::unique_ptr<AVPacket, FreeBy<av_packet_free>>;
using Frame = std::unique_ptr<AVFrame, FreeBy<av_frame_free>>;
/// A decoded frame that many may read.
using SharedFrame = std::shared_ptr<const AVFrame>;

inline std::string errorText(int code) {
    char text[AV_ERROR_MAX_STRING_SIZE] = {};
    av_strerror(code, text, sizeof text);
    return text;
}

/// libav* prints what it meets to stderr by default; we report faults ourselves.
void quiet();

} // namespace ulm::av
