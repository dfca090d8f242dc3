// H.264 through libx264.
#include "core/base/error.h"
#include "core/codec/video_codec.h"

#include <algorithm>

namespace ulm {
namespace {

constexpr int kLookAhead = 40; // x264's own at preset medium

void setOption(AVCodecContext& c, const char* name, const std::string& value) {
    av_opt_set(c.priv_data, name, value.c_str(), 0);
}

// It holds fewer frames of very large ones, so that they fit into memory.
int framesLookedAhead(int width, int height) {
    const double share = 9e6 / (double(width) * height);
    return static_cast<int>(std::clamp(kLookAhead * share * share, 4.0, double(kLookAhead)));
}

// Those it refers to, works on, and their copies at steps of a quarter pixel come on top: by what renders at 1080 lines
// and 4K took.
int framesHeld(int width, int height) { return framesLookedAhead(width, height) + (isHuge(width, height) ? 18 : 52); }

av::Codec open(const VideoEncoding& v, bool globalHeader) {
    const AVCodec* x264 = avcodec_find_encoder_by_name("libx264");
    av::Codec c(avcodec_alloc_context3(x264));
    describe(v, *c);
    if (const int ahead = framesLookedAhead(v.width, v.height);
        ahead < kLookAhead && v.rate != VideoEncoding::Rate::Lossless)
        setOption(*c, "rc-lookahead", std::to_string(ahead));
    // With the shorter look ahead this saves a fifth of its memory at 8K.
    if (isHuge(v.width, v.height)) c->refs = c->max_b_frames = 2;
    // Pixels of an enlarged picture move alike in whole blocks: on five clips, twice and five times as large, this
    // takes 0.69 of the time for 1.4 % more bytes at the same PSNR (twelve that were not enlarged: 3.4 %, up to 7.7).
    if (v.enlarged && v.rate != VideoEncoding::Rate::Lossless) {
        c->refs = 1;
        setOption(*c, "mixed-refs", "0");
        setOption(*c, "motion-est", "dia");
        setOption(*c, "partitions", "i4x4,i8x8,p8x8");
    }
    if (globalHeader) c->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    setOption(*c, "preset",
              v.rate == VideoEncoding::Rate::Lossless ? "ultrafast"
              : v.preset.empty()                      ? "medium"
                                                      : v.preset);
    if (v.rate == VideoEncoding::Rate::Quality) setOption(*c, "crf", std::to_string(v.crf));
    if (v.rate == VideoEncoding::Rate::Lossless) setOption(*c, "qp", "0");
    if (v.rate == VideoEncoding::Rate::Bitrate) {
        c->bit_rate = static_cast<std::int64_t>(v.bitrate);
        if (v.constant) {
            c->rc_max_rate = c->bit_rate;
            c->rc_buffer_size = static_cast<int>(std::min(v.bitrate, 2e9));
        }
    }
    if (v.pass == 1) c->flags |= AV_CODEC_FLAG_PASS1;
    if (v.pass == 2) c->flags |= AV_CODEC_FLAG_PASS2;
    if (v.pass) setOption(*c, "stats", v.statistics);
    std::string mastering;
    if (const std::string s = screenOption(v.mastering); !s.empty()) mastering += ":mastering-display=" + s;
    if (const std::string s = lightOption(v.mastering); !s.empty()) mastering += ":cll=" + s;
    if (!mastering.empty()) setOption(*c, "x264-params", mastering.substr(1));
    if (const int e = avcodec_open2(c.get(), x264, nullptr); e < 0)
        throw Error(Fault::Usage, "", "H.264 cannot be encoded with these settings (" + av::errorText(e) + ")",
                    "Choose another size or rate in the Deliver step.");
    return c;
}

} // namespace

// 26, 20, 16: small, good, best; 33 is the floor.
const VideoCodec kH264{
    "h264", "H.264",   {"mp4"}, 0,  AV_CODEC_ID_H264,
    26,     20,        16,      33, {AV_PIX_FMT_YUV420P, AV_PIX_FMT_YUVJ420P, AV_PIX_FMT_YUV420P10LE},
    open,   framesHeld};

} // namespace ulm
