#include "core/media/sound_reader.h"

#include "core/media/decoder.h"

extern "C" {
#include <libswresample/swresample.h>
}

namespace ulm {

PlainSound readSound(const std::string& path, double mostSeconds, const CancelToken& cancel) {
    PlainSound out;
    const av::Input input = openInput(path);
    const int stream = av_find_best_stream(input.get(), AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    if (stream < 0) return out;
    const AVStream& s = *input->streams[stream];
    PacketDecoder decoder(s, path, PacketDecoder::Threads::Slices);
    const auto most = static_cast<std::size_t>(mostSeconds * PlainSound::kRate) * 2;
    std::unique_ptr<SwrContext, av::FreeBy<swr_free>> swr;
    bool first = true;
    const auto take = [&](AVFrame& f) {
        cancel.check();
        if (out.samples.size() >= most) return;
        if (first && f.best_effort_timestamp != AV_NOPTS_VALUE)
            out.startsAt = double(f.best_effort_timestamp) * av_q2d(s.time_base);
        first = false;
        if (!swr) {
            AVChannelLayout stereo = AV_CHANNEL_LAYOUT_STEREO;
            SwrContext* raw = nullptr;
            if (swr_alloc_set_opts2(&raw, &stereo, AV_SAMPLE_FMT_S16, PlainSound::kRate, &f.ch_layout,
                                    static_cast<AVSampleFormat>(f.format), f.sample_rate, 0, nullptr) < 0)
                return;
            swr.reset(raw);
            if (swr_init(raw) < 0) swr.reset();
            if (!swr) return;
        }
        const int room = swr_get_out_samples(swr.get(), f.nb_samples);
        const std::size_t at = out.samples.size();
        out.samples.resize(at + static_cast<std::size_t>(std::max(room, 0)) * 2);
        auto* to = reinterpret_cast<std::uint8_t*>(out.samples.data() + at);
        const int got =
            swr_convert(swr.get(), &to, room, const_cast<const std::uint8_t**>(f.extended_data), f.nb_samples);
        out.samples.resize(at + static_cast<std::size_t>(std::max(got, 0)) * 2);
    };
    av::Packet packet(av_packet_alloc());
    while (out.samples.size() < most && av_read_frame(input.get(), packet.get()) >= 0) {
        if (packet->stream_index == stream) decoder.send(packet.get(), take);
        av_packet_unref(packet.get());
    }
    if (out.samples.size() < most) decoder.send(nullptr, take);
    return out;
}

} // namespace ulm
