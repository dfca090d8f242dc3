#include "core/media/quantiser.h"

#include <algorithm>

extern "C" {
#include <libavutil/frame.h>
#include <libavutil/video_enc_params.h>
}

namespace ulm {

std::optional<double> meanQuantiser(const AVFrame& frame) {
    const AVFrameSideData* data = av_frame_get_side_data(&frame, AV_FRAME_DATA_VIDEO_ENC_PARAMS);
    if (!data) return std::nullopt;
    auto* p = reinterpret_cast<AVVideoEncParams*>(data->data);
    if (p->type != AV_VIDEO_ENC_PARAMS_H264) return std::nullopt;
    double delta = 0;
    for (unsigned k = 0; k < p->nb_blocks; ++k) delta += av_video_enc_params_block(p, k)->delta_qp;
    return std::clamp(p->qp + (p->nb_blocks ? delta / p->nb_blocks : 0), 0.0, 51.0);
}

} // namespace ulm
