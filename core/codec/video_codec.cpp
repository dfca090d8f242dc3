#include "core/codec/video_codec.h"

#include "core/base/error.h"
#include "core/engine/work_plan.h"

#include <algorithm>
#include <cmath>

namespace ulm {

const std::vector<VideoCodec>& videoCodecs() {
    static const std::vector<VideoCodec> all = {kH264, kH265};
    return all;
}

const VideoCodec& videoCodec(const std::string& name) {
    const auto it = std::ranges::find(videoCodecs(), name, &VideoCodec::name);
    if (it != videoCodecs().end()) return *it;
    std::string known;
    for (const VideoCodec& c : videoCodecs()) known += (known.empty() ? "" : ", ") + c.name;
    throw Error(Fault::Usage, "", "there is no way here to encode \"" + name + "\"", "Known: " + known + ".");
}

void describe(const VideoEncoding& v, AVCodecContext& c) {
    c.width = v.width;
    c.height = v.height;
    c.pix_fmt = v.pixelFormat;
    c.time_base = v.timeBase;
    c.framerate = av_d2q(v.fps, 100000);
    c.sample_aspect_ratio = {1, 1};
    c.color_primaries = static_cast<AVColorPrimaries>(v.colour.primaries);
    c.color_trc = static_cast<AVColorTransferCharacteristic>(v.colour.transfer);
    c.colorspace = static_cast<AVColorSpace>(v.colour.matrix);
    c.color_range = v.colour.fullRange ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
    c.chroma_sample_location = static_cast<AVChromaLocation>(v.colour.chromaSite);
    c.thread_count = workPlan().cores;
    // A key frame at least every five seconds: seeking stays quick, and the cost in bits stays small.
    c.gop_size = std::max(2, static_cast<int>(std::lround(v.fps * 5)));
}

bool isHuge(int width, int height) { return double(width) * height > 16e6; }

std::string screenOption(const HdrData& d) {
    if (!d.screen) return "";
    const auto pair = [](const char* name, double a, double b, double unit) {
        return name + ("(" + std::to_string(std::lround(a * unit))) + "," + std::to_string(std::lround(b * unit)) + ")";
    };
    const auto point = [&](const char* name, const HdrData::Point& p) { return pair(name, p.x, p.y, 50000); };
    return point("G", d.primaries[1]) + point("B", d.primaries[2]) + point("R", d.primaries[0]) + point("WP", d.white) +
           pair("L", d.brightest, d.darkest, 10000);
}

std::string lightOption(const HdrData& d) {
    return d.mostLight > 0 ? std::to_string(d.mostLight) + "," + std::to_string(d.meanLight) : "";
}

} // namespace ulm
