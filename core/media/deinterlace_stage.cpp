#include "core/media/deinterlace_stage.h"

#include "core/base/error.h"
#include "core/engine/pick_stage.h"
#include "core/media/av.h"
#include "core/media/filter_graph.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <cmath>
#include <memory>

namespace ulm {
namespace {

void check(int e) {
    if (e < 0)
        throw Error(Fault::Usage, "", "it cannot be deinterlaced here (" + av::errorText(e) + ")",
                    "Set motion.deinterlace to off.");
}

// Codes of 16 bits of limited range: those of 8 and 10 bits are among them, so that lines that stay stay exactly.
AVPixelFormat codesFor(const PictureFormat& f) {
    return f.subH ? AV_PIX_FMT_YUV420P16 : f.subW ? AV_PIX_FMT_YUV422P16 : AV_PIX_FMT_YUV444P16;
}
constexpr float kLuma = 219 * 256, kLumaZero = 16 * 256, kChroma = 224 * 256, kChromaZero = 32768;

av::Frame frameOf(const Picture& p, std::int64_t pts, bool topFirst) {
    av::Frame f(av_frame_alloc());
    if (!f) throw std::bad_alloc();
    f->format = codesFor(p.format);
    f->width = p.area.w;
    f->height = p.area.h;
    f->pts = pts;
    f->interlaced_frame = 1;
    f->top_field_first = topFirst;
    check(av_frame_get_buffer(f.get(), 0));
    for (std::size_t c = 0; c < 3; ++c) {
        const Rect r = p.planes[c].area();
        const float scale = c ? kChroma : kLuma, zero = c ? kChromaZero : kLumaZero;
        for (int y = 0; y < r.h; ++y) {
            const float* from = p.planes[c].row(r.y + y);
            auto* to = reinterpret_cast<std::uint16_t*>(f->data[c] + std::ptrdiff_t(y) * f->linesize[c]);
            for (int x = 0; x < r.w; ++x)
                to[x] = static_cast<std::uint16_t>(std::lrint(std::clamp(from[x] * scale + zero, 0.f, 65535.f)));
        }
    }
    return f;
}

void copyOut(const AVFrame& f, const Rect& area, const PictureFormat& format, Picture& out) {
    for (std::size_t c = 0; c < 3; ++c) {
        const Rect r = out.planes[c].area(), from = c ? subsampled(area, format.subW, format.subH) : area;
        const float scale = c ? kChroma : kLuma, zero = c ? kChromaZero : kLumaZero;
        for (int y = r.y; y < r.bottom(); ++y) {
            const auto* s =
                reinterpret_cast<const std::uint16_t*>(f.data[c] + std::ptrdiff_t(y - from.y) * f.linesize[c]) +
                (r.x - from.x);
            float* o = out.planes[c].row(y);
            for (int x = 0; x < r.w; ++x) o[x] = (float(s[x]) - zero) / scale;
        }
    }
}

constexpr int kLeast = 8; // columns and lines that the filter can be given

class DeinterlaceStage : public Stage {
public:
    /// perFrame: pictures that come of a frame, 1 or 2.
    DeinterlaceStage(StagePtr input, bool topFirst, int perFrame)
        : Stage({input}, input->format(), KeyMaker("deinterlace").add(input).add(int(topFirst)).add(perFrame)),
          topFirst_(topFirst), perFrame_(perFrame) {}
    const char* name() const override { return "deinterlace"; }
    std::int64_t frames() const override { return inputs()[0]->frames() * perFrame_; }

    // The filter looks up and down and through time, never sideways: whole columns of three frames.
    std::vector<Need> needs(std::int64_t picture, const Rect& r) const override {
        const std::int64_t n = picture / perFrame_, last = inputs()[0]->frames() - 1;
        const int right = std::min((std::max(r.right(), kLeast) + 1) & ~1, format().width);
        const int x = std::min(r.x, right - kLeast) & ~1; // the filter takes no narrower ones
        const Rect columns{x, 0, right - x, format().height};
        return {{0, std::max<std::int64_t>(n - 1, 0), columns}, {0, n, columns}, {0, std::min(n + 1, last), columns}};
    }
    void compute(std::int64_t picture, std::span<const Picture> in, Picture& out,
                 const CancelToken& cancel) const override {
        const std::string source = "width=" + std::to_string(in[1].area.w) + ":height=" + std::to_string(in[1].area.h) +
                                   ":pix_fmt=" + av_get_pix_fmt_name(codesFor(format())) + ":time_base=1/25";
        FilterGraph graph;
        const std::string filter = std::string("bwdif=deint=all:mode=") +
                                   (perFrame_ == 2 ? "send_field" : "send_frame") +
                                   ":parity=" + (topFirst_ ? "tff" : "bff");
        check(graph.build("buffer", source, filter, "buffersink"));
        for (std::int64_t k = 0; k < 3; ++k) {
            cancel.check();
            const av::Frame f = frameOf(in[std::size_t(k)], k, topFirst_);
            check(av_buffersrc_add_frame(graph.in(), f.get()));
        }
        check(av_buffersrc_add_frame(graph.in(), nullptr));
        for (;;) {
            const av::Frame f(av_frame_alloc());
            check(av_buffersink_get_frame(graph.out(), f.get()));
            // A second field comes half a frame later.
            const AVRational clock = av_buffersink_get_time_base(graph.out());
            if (f->pts != av_rescale_q(2 + picture % perFrame_, {1, 50}, clock)) continue;
            copyOut(*f, in[1].area, format(), out);
            return;
        }
    }

private:
    bool topFirst_;
    int perFrame_;
};

StagePtr made(StagePtr input, bool topFirst, int perFrame) {
    if (std::min(input->format().width, input->format().height) < kLeast)
        return perFrame == 1 ? input : pickFrames(input, input->frames() * 2, 2, [](std::int64_t n) { return n / 2; });
    return std::make_shared<DeinterlaceStage>(std::move(input), topFirst, perFrame);
}

} // namespace

StagePtr deinterlaced(StagePtr input, bool topFirst) { return made(std::move(input), topFirst, 1); }

StagePtr fieldPictures(StagePtr input, bool topFirst) { return made(std::move(input), topFirst, 2); }

} // namespace ulm
