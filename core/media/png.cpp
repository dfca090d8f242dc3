#include "core/media/png.h"

#include "core/media/av.h"

#include <cmath>
#include <new>

namespace ulm {

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

} // namespace ulm
