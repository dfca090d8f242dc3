#include "demo/damage.h"

#include "core/base/error.h"

#include <algorithm>
#include <new>
#include <tbb/parallel_for.h>

namespace ulm::demo {

av::Frame toFrame420(const Canvas& c) {
    av::Frame f(av_frame_alloc());
    f->format = AV_PIX_FMT_YUV420P;
    f->width = c.w;
    f->height = c.h;
    if (av_frame_get_buffer(f.get(), 0) < 0) throw std::bad_alloc();
    constexpr float kr = 0.2126f, kb = 0.0722f, kg = 1 - kr - kb;
    const auto code = [](float v) { return static_cast<std::uint8_t>(v + 0.5f); };
    tbb::parallel_for(0, (c.h + 1) / 2, [&](int cy) {
        // A pair of rows, held as the mean of both for chroma: left, itself and right weigh 1 : 2 : 1.
        std::vector<Rgb> mean(static_cast<std::size_t>(c.w));
        for (int j = 0; j < 2; ++j) {
            const int y = std::min(2 * cy + j, c.h - 1);
            std::uint8_t* luma = f->data[0] + std::ptrdiff_t(y) * f->linesize[0];
            for (int x = 0; x < c.w; ++x) {
                const Rgb& s = c.at(x, y);
                const Rgb v{clamp01(s.r), clamp01(s.g), clamp01(s.b)};
                luma[x] = code(16 + 219 * (kr * v.r + kg * v.g + kb * v.b));
                Rgb& m = mean[static_cast<std::size_t>(x)];
                m = m + v * 0.5f;
            }
        }
        std::uint8_t *cb = f->data[1] + std::ptrdiff_t(cy) * f->linesize[1],
                     *cr = f->data[2] + std::ptrdiff_t(cy) * f->linesize[2];
        for (int x = 0; x < (c.w + 1) / 2; ++x) {
            const auto at = [&](int i) { return mean[static_cast<std::size_t>(std::clamp(i, 0, c.w - 1))]; };
            const Rgb v = at(2 * x - 1) * 0.25f + at(2 * x) * 0.5f + at(2 * x + 1) * 0.25f;
            const float l = kr * v.r + kg * v.g + kb * v.b;
            cb[x] = code(128 + 112 / (1 - kb) * (v.b - l));
            cr[x] = code(128 + 112 / (1 - kr) * (v.r - l));
        }
    });
    return f;
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

void spreadNoise(Canvas& c, float sigma, std::uint32_t frame) {
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
