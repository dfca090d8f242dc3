#include "core/media/png.h"

#include "core/base/error.h"
#include "core/media/av.h"
#include "core/media/filter_graph.h"

extern "C" {
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/intreadwrite.h>
#include <libavutil/pixdesc.h>
}

#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <new>

namespace ulm {
namespace {

constexpr std::uintmax_t kMostBytes = 64u << 20;
constexpr int kMostSide = 8192;
constexpr std::int64_t kMostPixels = std::int64_t(16) << 20; // they are kept as floats: 256 MB

[[noreturn]] void refuse(const std::string& path, const std::string& reason) {
    throw Error(Fault::Input, path, reason, "Choose a PNG picture of up to 16 million pixels, 8192 a side.");
}

av::Frame decoded(const std::string& path) {
    std::error_code failed;
    const auto bytes = std::filesystem::file_size(path, failed);
    if (failed || !std::filesystem::is_regular_file(path, failed)) refuse(path, "there is no such file");
    if (bytes > kMostBytes) refuse(path, "it is larger than 64 MB");
    const av::Packet packet(av_packet_alloc());
    if (!packet || av_new_packet(packet.get(), int(bytes)) < 0) throw std::bad_alloc();
    std::ifstream file(path, std::ios::binary);
    file.read(reinterpret_cast<char*>(packet->data), std::streamsize(bytes));
    if (!file) refuse(path, "it cannot be read");
    if (const auto* d = packet->data; bytes >= 24 && std::memcmp(d + 12, "IHDR", 4) == 0) // its size comes first
        if (const std::int64_t w = AV_RB32(d + 16), h = AV_RB32(d + 20);
            w > kMostSide || h > kMostSide || w * h > kMostPixels)
            refuse(path, "it is too large");
    const AVCodec* png = avcodec_find_decoder(AV_CODEC_ID_PNG);
    const av::Codec c(avcodec_alloc_context3(png));
    c->max_pixels = kMostPixels;
    av::Frame f(av_frame_alloc());
    if (avcodec_open2(c.get(), png, nullptr) < 0 || avcodec_send_packet(c.get(), packet.get()) < 0 ||
        avcodec_receive_frame(c.get(), f.get()) < 0)
        refuse(path, "it is no PNG picture, or a damaged one");
    return f;
}

// Whatever its kind of pixels: palettes, greys, 16 bits.
av::Frame asRgba(const std::string& path, av::Frame f) {
    FilterGraph graph;
    const std::string source = "width=" + std::to_string(f->width) + ":height=" + std::to_string(f->height) +
                               ":pix_fmt=" + av_get_pix_fmt_name(AVPixelFormat(f->format)) + ":time_base=1/25";
    av::Frame out(av_frame_alloc());
    if (graph.build("buffer", source, "format=rgba64le", "buffersink") < 0 ||
        av_buffersrc_add_frame(graph.in(), f.get()) < 0 || av_buffersrc_add_frame(graph.in(), nullptr) < 0 ||
        av_buffersink_get_frame(graph.out(), out.get()) < 0)
        refuse(path, "its kind of pixels cannot be read");
    return out;
}

} // namespace

std::string pngOf(const Picture& rgb, int bits) {
    const AVCodec* png = avcodec_find_encoder(AV_CODEC_ID_PNG);
    const av::Codec c(avcodec_alloc_context3(png));
    c->width = rgb.area.w;
    c->height = rgb.area.h;
    c->pix_fmt = bits == 16 ? AV_PIX_FMT_RGB48BE : AV_PIX_FMT_RGB24;
    c->time_base = {1, 25};
    const av::Frame f(av_frame_alloc());
    f->width = c->width;
    f->height = c->height;
    f->format = c->pix_fmt;
    if (avcodec_open2(c.get(), png, nullptr) < 0 || av_frame_get_buffer(f.get(), 0) < 0) throw std::bad_alloc();
    const float top = bits == 16 ? 65535.f : 255.f;
    for (int y = 0; y < rgb.area.h; ++y) {
        std::uint8_t* row = f->data[0] + y * f->linesize[0];
        for (int x = 0; x < rgb.area.w; ++x)
            for (int k = 0; k < 3; ++k) {
                const float v = rgb.planes[static_cast<std::size_t>(k)].row(rgb.area.y + y)[x];
                const int code = static_cast<int>(std::lround(std::clamp(v, 0.f, 1.f) * top));
                if (bits == 16) *row++ = static_cast<std::uint8_t>(code >> 8);
                *row++ = static_cast<std::uint8_t>(code & 255);
            }
    }
    const av::Packet p(av_packet_alloc());
    avcodec_send_frame(c.get(), f.get());
    avcodec_send_frame(c.get(), nullptr);
    if (avcodec_receive_packet(c.get(), p.get()) < 0) throw std::bad_alloc();
    return {reinterpret_cast<const char*>(p->data), static_cast<std::size_t>(p->size)};
}

Cover readPng(const std::string& path) {
    const av::Frame f = asRgba(path, decoded(path));
    Cover c{f->width, f->height, std::vector<float>(std::size_t(f->width) * std::size_t(f->height) * 4)};
    for (int y = 0; y < c.h; ++y) {
        const auto* row = reinterpret_cast<const std::uint16_t*>(f->data[0] + std::ptrdiff_t(y) * f->linesize[0]);
        float* to = c.rgba.data() + std::size_t(y) * std::size_t(c.w) * 4;
        for (int x = 0; x < c.w; ++x, row += 4, to += 4) {
            const float alpha = float(row[3]) / 65535;
            for (int k = 0; k < 3; ++k) to[k] = float(row[k]) / 65535 * alpha;
            to[3] = alpha;
        }
    }
    return c;
}

} // namespace ulm
