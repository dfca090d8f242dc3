#include "demo/damage.h"

#include "core/error.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <tbb/parallel_for.h>

namespace ulm::demo {

Picture toPicture420(const Canvas& c) {
    PictureFormat f{c.w, c.h, 1, 1, 8, {1, 1, 1, false, 1}};
    Picture p = Picture::make(f, f.frame());
    const float kr = 0.2126f, kb = 0.0722f, kg = 1 - kr - kb;
    std::vector<float> cb(c.pixels.size()), cr(c.pixels.size());
    tbb::parallel_for(0, c.h, [&](int y) {
        float* luma = p.planes[0].row(y);
        for (int x = 0; x < c.w; ++x) {
            const Rgb& s = c.at(x, y);
            const float r = clamp01(s.r), g = clamp01(s.g), b = clamp01(s.b), l = kr * r + kg * g + kb * b;
            luma[x] = l;
            cb[static_cast<std::size_t>(y) * c.w + x] = (b - l) * 0.5f / (1 - kb);
            cr[static_cast<std::size_t>(y) * c.w + x] = (r - l) * 0.5f / (1 - kr);
        }
    });
    for (int k = 1; k < 3; ++k) {
        const std::vector<float>& full = k == 1 ? cb : cr;
        tbb::parallel_for(0, p.planes[k].area().h, [&](int y) {
            for (int x = 0; x < p.planes[k].area().w; ++x) {
                float sum = 0;
                for (int j = 0; j < 2; ++j) {
                    const float* row = full.data() + static_cast<std::size_t>(std::min(2 * y + j, c.h - 1)) * c.w;
                    sum += 0.25f * row[std::max(0, 2 * x - 1)] + 0.5f * row[2 * x] +
                           0.25f * row[std::min(2 * x + 1, c.w - 1)];
                }
                p.planes[k].row(y)[x] = sum * 0.5f;
            }
        });
    }
    return p;
}

Canvas halved(const Canvas& c) {
    Canvas out(c.w / 2, c.h / 2);
    tbb::parallel_for(0, out.h, [&](int y) {
        for (int x = 0; x < out.w; ++x)
            out.at(x, y) =
                (c.at(2 * x, 2 * y) + c.at(2 * x + 1, 2 * y) + c.at(2 * x, 2 * y + 1) + c.at(2 * x + 1, 2 * y + 1)) *
                0.25f;
    });
    return out;
}

Canvas decimated(const Canvas& c) {
    Canvas out(c.w / 2, c.h / 2);
    for (int y = 0; y < out.h; ++y)
        for (int x = 0; x < out.w; ++x) out.at(x, y) = c.at(2 * x, 2 * y);
    return out;
}

void soften(Canvas& c, float sigma) {
    const int reach = static_cast<int>(std::ceil(2.5f * sigma));
    std::vector<float> taps(static_cast<std::size_t>(2 * reach + 1));
    float total = 0;
    for (int k = -reach; k <= reach; ++k)
        total += taps[static_cast<std::size_t>(k + reach)] = std::exp(-0.5f * float(k * k) / (sigma * sigma));
    for (float& t : taps) t /= total;
    Canvas half(c.w, c.h);
    const auto pass = [&](const Canvas& from, Canvas& to, bool vertical) {
        tbb::parallel_for(0, c.h, [&](int y) {
            for (int x = 0; x < c.w; ++x) {
                Rgb sum;
                for (int k = -reach; k <= reach; ++k) {
                    const Rgb& s = vertical ? from.at(x, std::clamp(y + k, 0, c.h - 1))
                                            : from.at(std::clamp(x + k, 0, c.w - 1), y);
                    sum = sum + s * taps[static_cast<std::size_t>(k + reach)];
                }
                to.at(x, y) = sum;
            }
        });
    };
    pass(c, half, false);
    pass(half, c, true);
}

void addNoise(Canvas& c, float sigma, std::uint32_t frame) {
    tbb::parallel_for(0, c.h, [&](int y) {
        for (int x = 0; x < c.w; ++x) {
            Rgb& p = c.at(x, y);
            const auto gauss = [&](std::uint32_t channel) {
                // Sum of four uniform bytes: near enough to normal, and cheap.
                const std::uint32_t h =
                    hash(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), frame * 3 + channel);
                const float s = float(h & 255) + float(h >> 8 & 255) + float(h >> 16 & 255) + float(h >> 24);
                return (s - 510) / 147.8f;
            };
            const float light = 0.3f * p.r + 0.6f * p.g + 0.1f * p.b, k = sigma / 255 * (1.35f - 0.7f * clamp01(light));
            const float common = gauss(0);
            p = p + Rgb{common + 0.5f * gauss(1), common, common + 0.5f * gauss(2)} * k;
        }
    });
}

void fewerLevels(Canvas& c, int levels) {
    const float n = float(levels - 1);
    for (Rgb& p : c.pixels)
        p = {std::round(clamp01(p.r) * n) / n, std::round(clamp01(p.g) * n) / n, std::round(clamp01(p.b) * n) / n};
}

void oversharpen(Canvas& c, float amount, float sigma) {
    Canvas soft = c;
    soften(soft, sigma);
    for (std::size_t i = 0; i < c.pixels.size(); ++i)
        c.pixels[i] = c.pixels[i] * (1 + amount) + soft.pixels[i] * -amount;
}

BlockyTrip::BlockyTrip(int w, int h, int quantiser) {
    const AVCodec* e = avcodec_find_encoder(AV_CODEC_ID_MPEG4);
    encoder_.reset(avcodec_alloc_context3(e));
    encoder_->width = w;
    encoder_->height = h;
    encoder_->pix_fmt = AV_PIX_FMT_YUV420P;
    encoder_->time_base = {1, 25};
    encoder_->gop_size = 50;
    encoder_->max_b_frames = 0;
    encoder_->flags |= AV_CODEC_FLAG_QSCALE;
    encoder_->global_quality = quantiser * FF_QP2LAMBDA;
    encoder_->thread_count = 1;
    const AVCodec* d = avcodec_find_decoder(AV_CODEC_ID_MPEG4);
    decoder_.reset(avcodec_alloc_context3(d));
    decoder_->flags |= AV_CODEC_FLAG_LOW_DELAY;
    decoder_->thread_count = 1;
    if (avcodec_open2(encoder_.get(), e, nullptr) < 0 || avcodec_open2(decoder_.get(), d, nullptr) < 0)
        throw Error(Fault::Output, "", "the demo's MPEG-4 trip cannot be opened", "");
}

av::Frame BlockyTrip::through(const AVFrame& in) {
    const av::Frame f(av_frame_clone(&in));
    f->pts = n_++;
    f->quality = encoder_->global_quality;
    const av::Packet p(av_packet_alloc());
    av::Frame out(av_frame_alloc());
    if (avcodec_send_frame(encoder_.get(), f.get()) < 0 || avcodec_receive_packet(encoder_.get(), p.get()) < 0 ||
        avcodec_send_packet(decoder_.get(), p.get()) < 0 || avcodec_receive_frame(decoder_.get(), out.get()) < 0)
        throw Error(Fault::Output, "", "the demo's MPEG-4 trip gave no frame back", "");
    return out;
}

} // namespace ulm::demo
