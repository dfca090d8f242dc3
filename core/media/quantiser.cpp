#include "core/media/quantiser.h"

#include <algorithm>
#include <cmath>
#include <utility>

extern "C" {
#include <libavcodec/codec_desc.h>
#include <libavutil/frame.h>
#include <libavutil/video_enc_params.h>
}

namespace ulm {
namespace {

// Bits a pixel from which whole-frame codecs (ProRes, DNxHD, MJPEG at fine settings) are close to the original.
constexpr double kFineBits = 1.5;

// The scales of others, by the error they leave on a moving photograph (x264 at a fixed quantiser beside them).
double fromMpeg(double scale) { return 14.5 + 6.2 * std::log2(std::max(scale, 1.0)); }

double fromVp9(double index) {
    constexpr std::pair<double, double> kSame[] = {{0, 0}, {16, 14.7}, {32, 20.4}, {64, 25.6}, {192, 41.7}, {255, 49}};
    for (std::size_t k = 1; k < std::size(kSame); ++k)
        if (index <= kSame[k].first)
            return std::lerp(kSame[k - 1].second, kSame[k].second,
                             (index - kSame[k - 1].first) / (kSame[k].first - kSame[k - 1].first));
    return kSame[std::size(kSame) - 1].second;
}

} // namespace

std::optional<double> meanQuantiser(const AVFrame& frame) {
    const AVFrameSideData* data = av_frame_get_side_data(&frame, AV_FRAME_DATA_VIDEO_ENC_PARAMS);
    if (!data) return std::nullopt;
    auto* p = reinterpret_cast<AVVideoEncParams*>(data->data);
    double delta = 0;
    for (unsigned k = 0; k < p->nb_blocks; ++k) delta += av_video_enc_params_block(p, k)->delta_qp;
    const double told = p->qp + (p->nb_blocks ? delta / p->nb_blocks : 0);
    switch (p->type) {
    case AV_VIDEO_ENC_PARAMS_H264: return std::clamp(told, 0.0, 51.0);
    case AV_VIDEO_ENC_PARAMS_MPEG2: return std::clamp(fromMpeg(told / 2), 0.0, 51.0); // told in halves
    case AV_VIDEO_ENC_PARAMS_VP9: return fromVp9(std::clamp(told, 0.0, 255.0));
    default: return std::nullopt;
    }
}

bool keptFinely(const VideoFacts& video) {
    const AVCodecDescriptor* codec = avcodec_descriptor_get_by_name(video.codec.c_str());
    if (!codec) return false;
    if ((codec->props & AV_CODEC_PROP_LOSSLESS) && !(codec->props & AV_CODEC_PROP_LOSSY)) return true;
    const double pixels = double(video.codedWidth) * video.codedHeight * video.fps;
    return (codec->props & AV_CODEC_PROP_INTRA_ONLY) && pixels > 0 && double(video.bitrate) >= kFineBits * pixels;
}

} // namespace ulm
