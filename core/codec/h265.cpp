// H.265 through libx265.
#include "core/base/error.h"
#include "core/codec/video_codec.h"
#include "core/engine/work_plan.h"

namespace ulm {
namespace {

constexpr int kLookAhead = 15; // x265's own at preset fast

int framesLookedAhead(int width, int height) { return isHuge(width, height) ? 6 : kLookAhead; }

// Its own name for an option, "a=b:c=d"; colons in a path would end it.
void add(std::string& all, const std::string& name, std::string value) {
    for (std::size_t at = 0; (at = value.find_first_of(":\\'", at)) != std::string::npos; at += 2)
        value.insert(at, "\\");
    all += (all.empty() ? "" : ":") + name + "=" + value;
}

av::Codec open(const VideoEncoding& v, bool globalHeader) {
    const AVCodec* x265 = avcodec_find_encoder_by_name("libx265");
    if (!x265) throw Error(Fault::Usage, "", "H.265 cannot be encoded here", "Install libav* with libx265.");
    av::Codec c(avcodec_alloc_context3(x265));
    describe(v, *c);
    if (globalHeader) c->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    // Two to three times the time of H.264 at preset medium; the slower ones take twice that for a twentieth of the
    // bytes.
    av_opt_set(c->priv_data, "preset", v.preset.empty() ? "fast" : v.preset.c_str(), 0);
    std::string own;
    add(own, "log-level", "none");
    add(own, "pools", std::to_string(workPlan().cores));
    if (isHuge(v.width, v.height)) {
        add(own, "rc-lookahead", std::to_string(framesLookedAhead(v.width, v.height)));
        add(own, "frame-threads", "1");
        add(own, "bframes", "2");
        add(own, "ref", "2");
    }
    if (v.rate == VideoEncoding::Rate::Quality) av_opt_set_double(c->priv_data, "crf", v.crf, 0);
    if (v.rate == VideoEncoding::Rate::Lossless) add(own, "lossless", "1");
    if (v.rate == VideoEncoding::Rate::Bitrate) {
        c->bit_rate = static_cast<std::int64_t>(v.bitrate);
        if (v.constant) {
            const std::string kilobits = std::to_string(c->bit_rate / 1000);
            add(own, "vbv-maxrate", kilobits);
            add(own, "vbv-bufsize", kilobits);
        }
    }
    if (v.pass) {
        add(own, "pass", std::to_string(v.pass));
        add(own, "stats", v.statistics);
    }
    if (const std::string s = screenOption(v.mastering); !s.empty()) add(own, "master-display", s);
    if (const std::string s = lightOption(v.mastering); !s.empty()) add(own, "max-cll", s);
    if (v.colour.transfer == AVCOL_TRC_SMPTE2084) add(own, "hdr10", "1");
    av_opt_set(c->priv_data, "x265-params", own.c_str(), 0);
    if (const int e = avcodec_open2(c.get(), x265, nullptr); e < 0)
        throw Error(Fault::Usage, "", "H.265 cannot be encoded with these settings (" + av::errorText(e) + ")",
                    "Choose another size or rate in the Deliver step.");
    return c;
}

// By what renders at 4K and 1080 lines took: it keeps several copies of those it looks ahead at.
int framesHeld(int width, int height) { return framesLookedAhead(width, height) + (isHuge(width, height) ? 30 : 46); }

} // namespace

// The rate factors of H.264. On a film enlarged by 1.5, 18 here gave 12 % fewer bytes than 20 there at the same SSIM
// (0.9939).
const VideoCodec kH265{"h265",
                       "H.265",
                       {"mp4"},
                       MKTAG('h', 'v', 'c', '1'),
                       AV_CODEC_ID_HEVC,
                       26,
                       20,
                       16,
                       33,
                       {AV_PIX_FMT_YUV420P, AV_PIX_FMT_YUVJ420P, AV_PIX_FMT_YUV420P10LE},
                       open,
                       framesHeld};

} // namespace ulm
