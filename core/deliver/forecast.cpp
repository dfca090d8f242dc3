#include "core/deliver/forecast.h"

#include "core/codec/encoder.h"
#include "core/deliver/size_plan.h"
#include "core/engine/large_work.h"
#include "core/media/frame_convert.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr int kRun = 24;     // frames of a sample, rendered whole
constexpr int kLargeRun = 8; // of large frames: an encoder holds all of a run, at 30 MB each of 4K
constexpr int kGlance = 8;
constexpr int kFollowed = 125; // frames of a part followed through the mosaic, and how many of them at most
constexpr int kParts = 6;
constexpr int kTile = 256, kTilesAcross = 2; // of the mosaic
constexpr double kTwice = 1.9;               // as large: sizes are made even
constexpr int kNetworkCost = 8;              // of a picture of the mosaic, against one of filters

AVPixelFormat sourcePixelFormat(const Delivery& d) { return av_get_pix_fmt(d.facts.video.pixelFormat.c_str()); }

bool passesThrough(const Delivery& d) {
    const auto& takes = videoCodec(d.ticket.deliver.codec).takes;
    return d.picturesUntouched && d.facts.video.upright() &&
           std::ranges::find(takes, sourcePixelFormat(d)) != takes.end();
}

// Counts what the encoder makes of a run of frames at one quality.
class RunCounter {
public:
    RunCounter(VideoEncoding e, double crf, const CancelToken& cancel) {
        e.crf = crf;
        e.rate = VideoEncoding::Rate::Quality;
        step_ = std::max<std::int64_t>(1, std::llround(1 / (e.fps * av_q2d(e.timeBase))));
        encoder_ = std::make_unique<Encoder>(e, false, cancel);
    }
    void add(const AVFrame& frame) { encoder_->send(frame, step_ * frames_++, count_); }
    void finish() { encoder_->finish(count_); }
    double first = 0, rest = 0; ///< bytes of the first frame, of all others

private:
    std::unique_ptr<Encoder> encoder_;
    Encoder::OnPacket count_ = [this](AVPacket& p) { (packets_++ ? rest : first) += p.size; };
    std::int64_t step_ = 1, frames_ = 0, packets_ = 0;
};

struct Runs {
    int count, length;
};
bool isLarge(const VideoEncoding& e) { return isLargeFrame(e.width, e.height); }
using PictureOf = std::function<av::Frame(std::int64_t n)>;

// Bytes of all `frames` at each quality, as runs of them foretell. Runs are centred in equal parts, so a quiet start or
// end does not speak for the whole.
std::vector<double> foretold(const VideoEncoding& e, std::int64_t frames, const std::vector<double>& crfs, Runs runs,
                             const PictureOf& picture, const CancelToken& cancel) {
    const std::int64_t length = std::min<std::int64_t>(runs.length, frames);
    const auto count = std::clamp<std::int64_t>(runs.count, 1, frames / length);
    std::vector<double> first(crfs.size()), rest(crfs.size());
    for (std::int64_t w = 0; w < count; ++w) {
        const std::int64_t start =
            std::clamp<std::int64_t>(frames * (2 * w + 1) / (2 * count) - length / 2, 0, frames - length);
        const auto take = [&](std::size_t i, RunCounter& c) {
            c.finish();
            first[i] += c.first;
            rest[i] += c.rest;
        };
        if (isLarge(e)) { // one encoder at a time
            std::vector<av::Frame> run;
            for (std::int64_t n = start; n < start + length; ++n) run.push_back(picture(n));
            for (std::size_t i = 0; i < crfs.size(); ++i) {
                RunCounter c(e, crfs[i], cancel);
                for (const av::Frame& f : run) c.add(*f);
                take(i, c);
            }
            continue;
        }
        std::vector<std::unique_ptr<RunCounter>> counters;
        for (const double crf : crfs) counters.push_back(std::make_unique<RunCounter>(e, crf, cancel));
        for (std::int64_t n = start; n < start + length; ++n) {
            cancel.check();
            const av::Frame f = picture(n);
            for (const auto& c : counters) c->add(*f);
        }
        for (std::size_t i = 0; i < crfs.size(); ++i) take(i, *counters[i]);
    }
    const double keys = 1 + std::floor(double(frames - 1) / (e.fps * 5));
    std::vector<double> bytes;
    for (std::size_t i = 0; i < crfs.size(); ++i)
        bytes.push_back(length == frames
                            ? first[i] + rest[i]
                            : keys * first[i] / double(count) +
                                  (double(frames) - keys) * rest[i] / std::max(1.0, double(count * (length - 1))));
    return bytes;
}

// Four tiles of the delivered picture, one in the middle of each quarter, set side by side: an eighth of a tall HD
// picture's work, yet it moves, cuts and costs as the whole does.
class Mosaic {
public:
    explicit Mosaic(const Delivery& p) : p_(p), format_(p.result->format()) {
        format_.width = std::min(format_.width, kTile * kTilesAcross);
        format_.height = std::min(format_.height, kTile * kTilesAcross);
    }
    const PictureFormat& format() const { return format_; }
    Picture picture(Engine& engine, std::int64_t stage, const CancelToken& cancel) const {
        const PictureFormat& full = p_.result->format();
        Picture out = Picture::make(format_, format_.frame());
        const auto tiles = [](int length) { return length > kTile * kTilesAcross ? kTilesAcross : 1; };
        const int across = tiles(full.width), down = tiles(full.height);
        const int w = format_.width / across, h = format_.height / down;
        for (int j = 0; j < down; ++j)
            for (int i = 0; i < across; ++i) {
                const Rect there{(full.width * (2 * i + 1) / (2 * across) - w / 2) & ~1,
                                 (full.height * (2 * j + 1) / (2 * down) - h / 2) & ~1, w, h};
                const Picture tile = engine.pull(*p_.result, stage, there, cancel, Engine::Keep::Inputs);
                paste(tile, out, i * w, j * h);
            }
        return out;
    }

private:
    static void paste(const Picture& tile, Picture& out, int x, int y) {
        for (int k = 0; k < 3; ++k) {
            const int sw = k ? out.format.subW : 0, sh = k ? out.format.subH : 0;
            const Rect from = tile.planes[k].area();
            for (int row = 0; row < from.h && (y >> sh) + row < out.planes[k].area().h; ++row)
                std::copy_n(tile.planes[k].row(from.y + row), std::min(from.w, out.planes[k].area().w - (x >> sw)),
                            out.planes[k].row((y >> sh) + row) + (x >> sw));
        }
    }
    const Delivery& p_;
    PictureFormat format_;
};

Runs samplesOf(const Delivery& p) { return {3, isLarge(encodingFor(p)) ? kLargeRun : kRun}; }
Runs followedOf(const Delivery& p) {
    return p.frames() <= kParts * kFollowed ? Runs{1, int(p.frames())} : Runs{kParts, kFollowed};
}
double picturesOf(Runs runs, const Delivery& p) {
    return double(std::min<std::int64_t>(std::int64_t(runs.count) * runs.length, p.frames()));
}

// How far a forecast is: its pictures, counted by their pixels in those of the mosaic.
class Far {
public:
    Far(const ForecastWatch& watch, const Delivery& p, bool networks) : watch_(watch) {
        const PictureFormat &whole = p.result->format(), tiles = Mosaic(p).format();
        whole_ = double(whole.width) * whole.height / (double(tiles.width) * tiles.height);
        const double samples = picturesOf(samplesOf(p), p);
        total_ = samples * (whole_ + 1) + picturesOf(followedOf(p), p) + (networks ? samples * (kNetworkCost + 1) : 0);
    }
    double whole() const { return whole_; }
    void made(double pictures) {
        done_ += pictures;
        if (watch_.far) watch_.far(std::min(1.0, done_ / total_));
    }

private:
    const ForecastWatch& watch_;
    double whole_ = 1, total_ = 1, done_ = 0;
};

// What runs of the mosaic foretell; each of its pictures costs `cost`.
std::vector<double> foretoldByMosaic(Engine& engine, const Delivery& p, const std::vector<double>& crfs, Runs runs,
                                     Far& far, const CancelToken& cancel, int cost = 1) {
    const Mosaic mosaic(p);
    VideoEncoding e = encodingFor(p);
    e.width = mosaic.format().width;
    e.height = mosaic.format().height;
    e.pixelFormat = mosaic.format().bitDepth > 8 ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
    return foretold(
        e, p.frames(), crfs, runs,
        [&](std::int64_t n) {
            far.made(cost);
            return toFrame(mosaic.picture(engine, p.clock.first() + n, cancel), e.pixelFormat);
        },
        cancel);
}

// How far the whole samples misjudge the movie: bytes of the mosaic followed through it, over what samples of the
// mosaic foretell.
std::vector<double> sampleBias(Engine& engine, const Delivery& p, const std::vector<double>& crfs, Runs samples,
                               Far& far, const CancelToken& cancel) {
    std::vector<double> bias = foretoldByMosaic(engine, p, crfs, followedOf(p), far, cancel);
    const std::vector<double> sampled = foretoldByMosaic(engine, p, crfs, samples, far, cancel);
    for (std::size_t i = 0; i < crfs.size(); ++i) bias[i] /= std::max(1.0, sampled[i]);
    return bias;
}

Forecast pointsOf(const std::vector<double>& crfs, const std::vector<double>& bytes) {
    Forecast f;
    for (std::size_t i = 0; i < crfs.size(); ++i) f.points.push_back({crfs[i], bytes[i]});
    std::ranges::sort(f.points, {}, &Forecast::Point::crf);
    return f;
}

Forecast forecastBy(Engine& engine, const Delivery& p, const std::vector<double>& crfs, Far& far,
                    const ForecastWatch& watch, const CancelToken& cancel) {
    const LargeWork work(isLarge(encodingFor(p)));
    const Runs samples = samplesOf(p);
    std::vector<double> bytes = foretold(
        encodingFor(p), p.frames(), crfs, samples,
        [&](std::int64_t n) {
            far.made(far.whole());
            return deliveredPicture(engine, p, n, cancel);
        },
        cancel);
    if (watch.early) {
        Forecast f = pointsOf(crfs, bytes);
        f.rough = true;
        watch.early(f);
    }
    const std::vector<double> bias = sampleBias(engine, p, crfs, samples, far, cancel);
    for (std::size_t i = 0; i < crfs.size(); ++i) bytes[i] *= bias[i];
    return pointsOf(crfs, bytes);
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

VideoEncoding encodingFor(const Delivery& p) {
    VideoEncoding e;
    e.codec = p.ticket.deliver.codec;
    const PictureFormat& f = p.result->format();
    e.width = f.width;
    e.height = f.height;
    e.colour = f.colour;
    if (f.colour.transfer == p.facts.video.colour.transfer && p.facts.video.hdr())
        e.mastering = p.facts.video.mastering;
    e.pixelFormat = passesThrough(p) ? sourcePixelFormat(p)
                    : f.bitDepth > 8 ? AV_PIX_FMT_YUV420P10LE
                                     : AV_PIX_FMT_YUV420P;
    e.timeBase = p.clock.timeBase();
    e.fps = p.fps();
    e.enlarged = p.planAt(p.clock.first()).scale() >= kTwice;
    return e;
}

av::Frame deliveredPicture(Engine& engine, const Delivery& d, std::int64_t k, const CancelToken& cancel) {
    const std::int64_t stage = d.clock.first() + k;
    if (passesThrough(d)) {
        const VideoFacts& v = d.facts.video;
        const DecodedFrame f = d.reader->frame(d.clock.sourceOf(stage), cancel);
        if (f.picture->format == sourcePixelFormat(d) && f.picture->width == v.codedWidth &&
            f.picture->height == v.codedHeight)
            return av::Frame(av_frame_clone(f.picture.get()));
    }
    const PictureFormat& f = d.result->format();
    av::Frame out = emptyFrame(f.width, f.height, encodingFor(d).pixelFormat);
    const int rows = bandRows(f);
    for (int y = 0; y < f.height; y += rows)
        writeInto(*out, engine.pull(*d.result, stage, Rect{0, y, f.width, rows}.intersected(f.frame()), cancel,
                                    Engine::Keep::Inputs));
    return out;
}

int bandRows(const PictureFormat& f) {
    constexpr int kMostPixels = 3840 * 2304;
    return f.width * f.height <= kMostPixels ? f.height : std::max(64, kMostPixels / f.width / 64 * 64);
}

Forecast forecastSize(Engine& engine, const Delivery& p, const std::vector<double>& crfs, const CancelToken& cancel,
                      const ForecastWatch& watch) {
    Far far(watch, p, false);
    return forecastBy(engine, p, crfs, far, watch, cancel);
}

Forecast forecastFor(Engine& engine, const DeliveryPtr& d, const CancelToken& cancel, const ForecastWatch& watch) {
    const DeliveryPtr stand = withoutNetworks(d);
    const VideoCodec& codec = videoCodec(d->ticket.deliver.codec);
    const std::vector<double> crfs{bestCrf(*d), codec.floor};
    Far far(watch, *d, stand != d);
    Forecast f = forecastBy(engine, *stand, crfs, far, watch, cancel);
    f.standIn = stand != d;
    if (!f.standIn) return f;
    // Networks make more detail than filters do: by how much more it takes, samples of the mosaic tell.
    const LargeWork work(isLarge(encodingFor(*d)));
    const Runs samples = samplesOf(*d);
    const std::vector<double> by = foretoldByMosaic(engine, *d, crfs, samples, far, cancel, kNetworkCost),
                              without = foretoldByMosaic(engine, *stand, crfs, samples, far, cancel);
    for (Forecast::Point& p : f.points)
        for (std::size_t i = 0; i < crfs.size(); ++i)
            if (p.crf == crfs[i]) p.bytes *= std::clamp(by[i] / std::max(1.0, without[i]), 0.25, 4.0);
    return f;
}

bool clearlyFits(Engine& engine, const DeliveryPtr& d, double budget, const CancelToken& cancel) {
    const DeliveryPtr stand = withoutNetworks(d);
    const VideoEncoding e = encodingFor(*stand);
    const LargeWork work(isLarge(e));
    const double bytes = foretold(
        e, stand->frames(), {bestCrf(*d)}, {3, kGlance},
        [&](std::int64_t n) { return deliveredPicture(engine, *stand, n, cancel); }, cancel)[0];
    return bytes < budget / (stand == d ? 2 : 4);
}

Forecast carriedOver(const Forecast& known, Size fromSize, std::int64_t fromFrames, const Delivery& to) {
    const double pixels = double(to.size().w) * to.size().h / (double(fromSize.w) * fromSize.h);
    Forecast f = known;
    for (Forecast::Point& p : f.points) p.bytes *= std::pow(pixels, 0.8) * double(to.frames()) / double(fromFrames);
    f.rough = true;
    return f;
}

} // namespace ulm
