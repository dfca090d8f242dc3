#include "core/media/sound_reader.h"

#include "core/media/decoder.h"

extern "C" {
#include <libswresample/swresample.h>
}

namespace ulm {

bool forEachSound(const std::string& path, double mostSeconds, const CancelToken& cancel,
                  const std::function<void(const std::int16_t*, std::size_t)>& onSound, double* startsAt) {
    const av::Input input = openInput(path);
    const int stream = av_find_best_stream(input.get(), AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    if (stream < 0) return false;
    for (unsigned i = 0; i < input->nb_streams; ++i)
        if (static_cast<int>(i) != stream) input->streams[i]->discard = AVDISCARD_ALL;
    const AVStream& s = *input->streams[stream];
    PacketDecoder decoder(s, path, PacketDecoder::Threads::Slices);
    auto left = static_cast<std::size_t>(mostSeconds * PlainSound::kRate);
    std::unique_ptr<SwrContext, av::FreeBy<swr_free>> swr;
    std::vector<std::int16_t> piece;
    bool first = true;
    const auto take = [&](AVFrame& f) {
        cancel.check();
        if (left == 0) return;
        if (startsAt && first && f.best_effort_timestamp != AV_NOPTS_VALUE)
            *startsAt = double(f.best_effort_timestamp) * av_q2d(s.time_base);
        first = false;
        if (!swr) {
            AVChannelLayout stereo = AV_CHANNEL_LAYOUT_STEREO;
            SwrContext* raw = nullptr;
            if (swr_alloc_set_opts2(&raw, &stereo, AV_SAMPLE_FMT_S16, PlainSound::kRate, &f.ch_layout,
                                    static_cast<AVSampleFormat>(f.format), f.sample_rate, 0, nullptr) < 0)
                return;
            swr.reset(raw);
            // One channel plays from both speakers as it is; the usual mix would lower it by 3 dB.
            constexpr double kBoth[] = {1, 1};
            if (f.ch_layout.nb_channels == 1) swr_set_matrix(swr.get(), kBoth, 1);
            if (swr_init(raw) < 0) swr.reset();
            if (!swr) return;
        }
        const int room = std::max(0, swr_get_out_samples(swr.get(), f.nb_samples));
        piece.resize(static_cast<std::size_t>(room) * 2);
        auto* to = reinterpret_cast<std::uint8_t*>(piece.data());
        const int got =
            swr_convert(swr.get(), &to, room, const_cast<const std::uint8_t**>(f.extended_data), f.nb_samples);
        const std::size_t n = std::min(left, static_cast<std::size_t>(std::max(got, 0)));
        if (n) onSound(piece.data(), n);
        left -= n;
    };
    av::Packet packet(av_packet_alloc());
    while (left > 0 && av_read_frame(input.get(), packet.get()) >= 0) {
        if (packet->stream_index == stream) decoder.send(packet.get(), take);
        av_packet_unref(packet.get());
    }
    if (left > 0) decoder.send(nullptr, take);
    return true;
}

PlainSound readSound(const std::string& path, double mostSeconds, const CancelToken& cancel) {
    PlainSound out;
    forEachSound(
        path, mostSeconds, cancel,
        [&](const std::int16_t* s, std::size_t n) { out.samples.insert(out.samples.end(), s, s + 2 * n); },
        &out.startsAt);
    return out;
}

} // namespace ulm
