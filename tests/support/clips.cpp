#include "tests/support/clips.h"

#include "core/media/frame_convert.h"
#include "core/picture/gaussian.h"
#include "demo/damage.h"
#include "demo/scenes/scene.h"

extern "C" {
#include <libavutil/display.h>
}

#include <cmath>
#include <cstdlib>
#include <numbers>
#include <random>
#include <stdexcept>

namespace ulm::test {
namespace fs = std::filesystem;

TempFolder::TempFolder() {
    std::string name = (fs::temp_directory_path() / "ulmwood-test-XXXXXX").string();
    if (!::mkdtemp(name.data())) throw std::runtime_error("no temporary folder");
    path_ = name;
}

TempFolder::~TempFolder() {
    std::error_code ec;
    fs::permissions(path_, fs::perms::owner_all, ec);
    fs::remove_all(path_, ec);
}

std::vector<std::string> TempFolder::names() const {
    std::vector<std::string> all;
    for (const auto& e : fs::directory_iterator(path_)) all.push_back(e.path().filename().string());
    return all;
}

namespace {

void check(int code, const char* what) {
    if (code < 0) throw std::runtime_error(std::string("test clip: ") + what + ": " + av::errorText(code));
}

int valueAt(int x, int y, int n, int w) {
    const int square = w / 8;
    if (y < 16 && x < 8 * square) return (n >> (x / square) & 1) ? 255 : 0;
    return static_cast<int>(128 + 80 * std::sin((x + 3 * n) * 0.11) * std::cos((y + n) * 0.07));
}

void fillFrame(AVFrame& f, int n) {
    const AVPixFmtDescriptor& d = *av_pix_fmt_desc_get(static_cast<AVPixelFormat>(f.format));
    const int depth = d.comp[0].depth;
    const bool rgb = d.flags & AV_PIX_FMT_FLAG_RGB;
    for (int c = 0; c < std::min<int>(d.nb_components, 3); ++c) {
        const bool chroma = c > 0 && !rgb;
        const int w = chroma ? AV_CEIL_RSHIFT(f.width, d.log2_chroma_w) : f.width,
                  h = chroma ? AV_CEIL_RSHIFT(f.height, d.log2_chroma_h) : f.height;
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                int v = chroma ? 128 + (c == 1 ? 30 : -20)
                        : rgb  ? valueAt(x, y, n, f.width)
                               : 16 + valueAt(x, y, n, f.width) * 219 / 255;
                v <<= depth - 8;
                std::uint8_t* p =
                    f.data[d.comp[c].plane] + y * f.linesize[d.comp[c].plane] + x * d.comp[c].step + d.comp[c].offset;
                if (depth > 8)
                    *reinterpret_cast<std::uint16_t*>(p) = static_cast<std::uint16_t>(v << d.comp[c].shift);
                else
                    *p = static_cast<std::uint8_t>(v);
            }
    }
}

av::Codec openSound(const SoundRecipe& r, AVFormatContext& out, AVStream*& stream) {
    const AVCodec* codec = avcodec_find_encoder_by_name(r.codec.c_str());
    if (!codec) throw std::runtime_error("test clip: no encoder " + r.codec);
    av::Codec c(avcodec_alloc_context3(codec));
    c->sample_fmt = codec->sample_fmts[0];
    c->sample_rate = r.rate;
    av_channel_layout_default(&c->ch_layout, r.channels);
    c->bit_rate = 96000;
    c->time_base = {1, r.rate};
    if (out.oformat->flags & AVFMT_GLOBALHEADER) c->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    check(avcodec_open2(c.get(), codec, nullptr), "sound encoder");
    stream = avformat_new_stream(&out, nullptr);
    avcodec_parameters_from_context(stream->codecpar, c.get());
    stream->time_base = c->time_base;
    return c;
}

av::Frame piece(const SoundRecipe& r, const AVCodecContext& c, std::int64_t first) {
    av::Frame f(av_frame_alloc());
    f->format = c.sample_fmt;
    f->nb_samples = c.frame_size > 0 ? c.frame_size : 1024;
    f->sample_rate = r.rate;
    av_channel_layout_copy(&f->ch_layout, &c.ch_layout);
    check(av_frame_get_buffer(f.get(), 0), "sound frame");
    for (int i = 0; i < f->nb_samples; ++i) {
        const double t = double(first + i) / r.rate,
                     v = t < r.begins ? 0 : 0.3 * std::sin(2 * std::numbers::pi * 440 * t);
        for (int ch = 0; ch < r.channels; ++ch)
            if (c.sample_fmt == AV_SAMPLE_FMT_FLTP)
                reinterpret_cast<float*>(f->data[ch])[i] = static_cast<float>(v);
            else
                reinterpret_cast<std::int16_t*>(f->data[0])[r.channels * i + ch] = static_cast<std::int16_t>(v * 32000);
    }
    f->pts = first;
    return f;
}

} // namespace

static void paintLuma(AVFrame& f, int n, const std::function<int(int, int, int)>& luma) {
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x) f.data[0][y * f.linesize[0] + x] = static_cast<std::uint8_t>(luma(x, y, n));
    for (const int c : {1, 2})
        std::fill_n(f.data[c], f.linesize[c] * ((f.height + 1) / 2), static_cast<std::uint8_t>(128));
}

void writeClip(const std::string& path, const ClipRecipe& r) {
    av::quiet();
    AVFormatContext* out = nullptr;
    check(avformat_alloc_output_context2(&out, nullptr, r.muxer.empty() ? nullptr : r.muxer.c_str(), path.c_str()),
          "container");
    const AVCodec* codec = avcodec_find_encoder_by_name(r.encoder.c_str());
    if (!codec) throw std::runtime_error("test clip: no encoder " + r.encoder);
    const av::Codec c(avcodec_alloc_context3(codec));
    c->width = r.width;
    c->height = r.height;
    c->pix_fmt = r.format;
    c->time_base = r.pts.empty() ? av_inv_q(r.fps) : AVRational{1, 1000};
    c->framerate = r.fps;
    c->gop_size = r.gop;
    c->max_b_frames = r.bFrames;
    c->sample_aspect_ratio = r.sar;
    c->bit_rate = 2000000;
    c->thread_count = 1;
    c->color_primaries = static_cast<AVColorPrimaries>(r.colour.primaries);
    c->color_trc = static_cast<AVColorTransferCharacteristic>(r.colour.transfer);
    c->colorspace = static_cast<AVColorSpace>(r.colour.matrix);
    if (out->oformat->flags & AVFMT_GLOBALHEADER) c->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    for (const auto& [k, v] : r.options) av_opt_set(c.get(), k.c_str(), v.c_str(), AV_OPT_SEARCH_CHILDREN);
    check(avcodec_open2(c.get(), codec, nullptr), r.encoder.c_str());
    AVStream* video = avformat_new_stream(out, nullptr);
    avcodec_parameters_from_context(video->codecpar, c.get());
    video->time_base = c->time_base;
    video->avg_frame_rate = r.fps;
    video->sample_aspect_ratio = r.sar;
    if (r.rotate || r.mirror) {
        auto* matrix = reinterpret_cast<std::int32_t*>(
            av_stream_new_side_data(video, AV_PKT_DATA_DISPLAYMATRIX, 9 * sizeof(std::int32_t)));
        av_display_rotation_set(matrix, r.rotate);
        if (r.mirror) { // first exchanged, then turned: its row of the matrix is negated
            matrix[0] = -matrix[0];
            matrix[1] = -matrix[1];
        }
    }
    std::vector<SoundRecipe> tracks = r.tracks;
    if (r.sound) tracks.push_back({r.soundCodec});
    std::vector<av::Codec> sounds;
    std::vector<AVStream*> audio(tracks.size());
    for (std::size_t i = 0; i < tracks.size(); ++i) sounds.push_back(openSound(tracks[i], *out, audio[i]));
    if (r.offset > 0) {
        out->output_ts_offset = std::llround(r.offset * AV_TIME_BASE);
        out->avoid_negative_ts = AVFMT_AVOID_NEG_TS_DISABLED;
    }
    check(avio_open(&out->pb, path.c_str(), AVIO_FLAG_WRITE), "open");
    check(avformat_write_header(out, nullptr), "header");
    const av::Packet p(av_packet_alloc());
    const auto drain = [&](AVCodecContext& from, AVStream& to) {
        while (avcodec_receive_packet(&from, p.get()) >= 0) {
            p->stream_index = to.index;
            if (p->duration == 0 && &from == c.get() && r.pts.empty()) p->duration = 1;
            av_packet_rescale_ts(p.get(), from.time_base, to.time_base);
            check(av_interleaved_write_frame(out, p.get()), "write");
        }
    };
    const double seconds = r.pts.empty() ? r.frames / av_q2d(r.fps) : double(r.pts.back()) / 1000 + 0.04;
    for (int n = 0; n < r.frames; ++n) {
        const av::Frame f(av_frame_alloc());
        f->format = r.format;
        f->width = r.width;
        f->height = r.height;
        check(av_frame_get_buffer(f.get(), 0), "frame");
        fillFrame(*f, n);
        if (r.luma) paintLuma(*f, n, r.luma);
        f->pts = r.pts.empty() ? n : r.pts[static_cast<std::size_t>(n)];
        check(avcodec_send_frame(c.get(), f.get()), "send");
        drain(*c, *video);
    }
    avcodec_send_frame(c.get(), nullptr);
    drain(*c, *video);
    for (std::size_t i = 0; i < tracks.size(); ++i) {
        const SoundRecipe& t = tracks[i];
        const double end = t.to < 0 ? seconds : t.to;
        for (auto first = std::llround(t.from * t.rate); double(first) < end * t.rate;) {
            const av::Frame f = piece(t, *sounds[i], first);
            first += f->nb_samples;
            check(avcodec_send_frame(sounds[i].get(), f.get()), "send sound");
            drain(*sounds[i], *audio[i]);
        }
        avcodec_send_frame(sounds[i].get(), nullptr);
        drain(*sounds[i], *audio[i]);
    }
    check(av_write_trailer(out), "trailer");
    avio_closep(&out->pb);
    avformat_free_context(out);
}

int numberOn(const Plane& luma) {
    int n = 0;
    const int square = luma.area().w / 8;
    for (int bit = 0; bit < 8; ++bit) {
        const float v = luma.at(bit * square + square / 2, 8);
        if (v > 0.25f && v < 0.75f) return -1;
        n |= (v > 0.5f) << bit;
    }
    return n;
}

Picture photograph(int width, int height, std::uint32_t seed) {
    demo::Canvas canvas(width, height);
    demo::makeWheel(width, height, seed)->draw(1.3, canvas);
    const av::Frame f = demo::toFrame420(canvas);
    const PictureFormat format = pictureFormatFor(AV_PIX_FMT_YUV420P, width, height, {1, 1, 1, false, 1});
    Picture p = Picture::make(format, format.frame());
    toPicture(*f, p);
    return p;
}

void addNoise(Picture& picture, double sigma, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(0, static_cast<float>(sigma / 219));
    Plane& p = picture.planes[0];
    for (int y = 0; y < p.area().h; ++y)
        for (int x = 0; x < p.area().w; ++x) p.row(y)[x] += normal(random);
}

void quantiseBlocks(Picture& picture, double step) {
    Plane& p = picture.planes[0];
    double basis[8][8];
    for (int k = 0; k < 8; ++k)
        for (int x = 0; x < 8; ++x)
            basis[k][x] = (k ? 0.5 : std::sqrt(0.125)) * std::cos((2 * x + 1) * k * std::numbers::pi / 16);
    const double s = step / 219;
    for (int by = 0; by + 8 <= p.area().h; by += 8)
        for (int bx = 0; bx + 8 <= p.area().w; bx += 8) {
            double c[8][8] = {};
            for (int v = 0; v < 8; ++v)
                for (int u = 0; u < 8; ++u) {
                    for (int y = 0; y < 8; ++y)
                        for (int x = 0; x < 8; ++x) c[v][u] += basis[v][y] * basis[u][x] * p.at(bx + x, by + y);
                    c[v][u] = std::round(c[v][u] / s) * s;
                }
            for (int y = 0; y < 8; ++y)
                for (int x = 0; x < 8; ++x) {
                    double sum = 0;
                    for (int v = 0; v < 8; ++v)
                        for (int u = 0; u < 8; ++u) sum += basis[v][y] * basis[u][x] * c[v][u];
                    p.row(by + y)[bx + x] = static_cast<float>(sum);
                }
        }
}

double meanSquare(const Plane& a, const Plane& b) {
    double sum = 0;
    for (int y = a.area().y; y < a.area().bottom(); ++y)
        for (int x = a.area().x; x < a.area().right(); ++x) sum += std::pow(double(a.at(x, y)) - b.at(x, y), 2);
    return sum / double(a.area().pixels());
}

} // namespace ulm::test
