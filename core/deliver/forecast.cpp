#include "core/deliver/forecast.h"

#include "core/media/frame_convert.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr int kRun = 12; // frames a window

AVPixelFormat sourcePixelFormat(const Pipeline& p) {
    const auto& source = dynamic_cast<const SourceStage&>(*p.source);
    return av_get_pix_fmt(source.reader().clip().facts().video.pixelFormat.c_str());
}

bool encoderTakes(AVPixelFormat f) {
    return f == AV_PIX_FMT_YUV420P || f == AV_PIX_FMT_YUVJ420P || f == AV_PIX_FMT_YUV420P10LE;
}

bool passesThrough(const Pipeline& p) {
    const auto& v = dynamic_cast<const SourceStage&>(*p.source).reader().clip().facts().video;
    return p.picturesUntouched && v.rotation == 0 && encoderTakes(sourcePixelFormat(p));
}

struct RunBytes {
    double key = 0, others = 0;
    int otherCount = 0;
};

RunBytes encodeRun(VideoEncoding e, const std::vector<av::Frame>& frames, double crf) {
    e.crf = crf;
    e.rate = VideoEncoding::Rate::Quality;
    const av::Codec codec = openVideoEncoder(e, false);
    RunBytes bytes;
    av::Packet packet(av_packet_alloc());
    const auto drain = [&] {
        while (avcodec_receive_packet(codec.get(), packet.get()) >= 0) {
            if (packet->flags & AV_PKT_FLAG_KEY)
                bytes.key += packet->size;
            else
                bytes.others += packet->size, ++bytes.otherCount;
            av_packet_unref(packet.get());
        }
    };
    std::int64_t pts = 0;
    for (const auto& f : frames) {
        f->pts = pts++ * std::max<std::int64_t>(1, std::llround(1 / (e.fps * av_q2d(e.timeBase))));
        f->pict_type = AV_PICTURE_TYPE_NONE;
        avcodec_send_frame(codec.get(), f.get());
        drain();
    }
    avcodec_send_frame(codec.get(), nullptr);
    drain();
    return bytes;
}

} // namespace

double Forecast::bytesAt(double crf) const {
    if (points.empty()) return 0;
    if (points.size() == 1) return points[0].bytes * std::exp2((points[0].crf - crf) / 6);
    std::size_t i = 1;
    while (i + 1 < points.size() && points[i].crf < crf) ++i;
    const Point &a = points[i - 1], &b = points[i];
    const double t = (crf - a.crf) / (b.crf - a.crf);
    return std::exp(std::log(std::max(1.0, a.bytes)) * (1 - t) + std::log(std::max(1.0, b.bytes)) * t);
}

VideoEncoding encodingFor(const Pipeline& p) {
    VideoEncoding e;
    const PictureFormat& f = p.result->format();
    e.width = f.width;
    e.height = f.height;
    e.colour = f.colour;
    e.pixelFormat = passesThrough(p) ? sourcePixelFormat(p)
                    : f.bitDepth > 8 ? AV_PIX_FMT_YUV420P10LE
                                     : AV_PIX_FMT_YUV420P;
    e.timeBase = p.timeBase;
    e.fps = p.fps();
    return e;
}

av::Frame deliveredPicture(Engine& engine, const Pipeline& p, const DeliveredFrame& d, const CancelToken& cancel) {
    if (passesThrough(p)) {
        const auto& source = dynamic_cast<const SourceStage&>(*p.source);
        const VideoFacts& v = source.reader().clip().facts().video;
        const DecodedFrame f = source.reader().frame(d.source, cancel);
        if (f.picture->format == sourcePixelFormat(p) && f.picture->width == v.codedWidth &&
            f.picture->height == v.codedHeight)
            return av::Frame(av_frame_clone(f.picture.get()));
    }
    const Picture whole = engine.pull(*p.result, d.source, p.result->format().frame(), cancel, Engine::Keep::Inputs);
    return toFrame(whole, encodingFor(p).pixelFormat);
}

Forecast forecastSize(Engine& engine, const Pipeline& p, const std::vector<double>& crfs, int windows,
                      const CancelToken& cancel) {
    const VideoEncoding encoding = encodingFor(p);
    const auto count = static_cast<std::int64_t>(p.frames.size());
    windows = static_cast<int>(std::clamp<std::int64_t>(windows, 1, std::max<std::int64_t>(1, count / kRun)));
    std::vector<RunBytes> sums(crfs.size());
    int runs = 0;
    for (int w = 0; w < windows; ++w) {
        // Centres of equal parts, so a quiet start or end does not speak for the whole.
        const std::int64_t middle = count * (2 * w + 1) / (2 * windows);
        const std::int64_t first =
            std::clamp<std::int64_t>(middle - kRun / 2, 0, std::max<std::int64_t>(0, count - kRun));
        std::vector<av::Frame> frames;
        for (std::int64_t n = first; n < std::min(count, first + kRun); ++n)
            frames.push_back(deliveredPicture(engine, p, p.frames[static_cast<std::size_t>(n)], cancel));
        for (std::size_t i = 0; i < crfs.size(); ++i) {
            cancel.check();
            const RunBytes b = encodeRun(encoding, frames, crfs[i]);
            sums[i].key += b.key;
            sums[i].others += b.others;
            sums[i].otherCount += b.otherCount;
        }
        ++runs;
    }
    Forecast f;
    const double keys = 1 + std::floor(double(count - 1) / (encoding.fps * 5));
    for (std::size_t i = 0; i < crfs.size(); ++i) {
        const double key = sums[i].key / runs, other = sums[i].otherCount ? sums[i].others / sums[i].otherCount : 0;
        f.points.push_back({crfs[i], keys * key + (double(count) - keys) * other});
    }
    std::ranges::sort(f.points, {}, &Forecast::Point::crf);
    return f;
}

} // namespace ulm
