#include "core/media/sound_reader.h"

#include "core/media/decoder.h"
#include "core/media/sound_converter.h"

namespace ulm {

bool forEachSound(const std::string& path, double mostSeconds, const CancelToken& cancel,
                  const std::function<void(const std::int16_t*, std::size_t)>& onSound, double* startsAt) {
    const av::Input input = openInput(path);
    const int stream = av_find_best_stream(input.get(), AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    if (stream < 0) return false;
    for (unsigned i = 0; i < input->nb_streams; ++i)
        if (static_cast<int>(i) != stream) input->streams[i]->discard = AVDISCARD_ALL;
    const AVStream& s = *input->streams[stream];
    PacketDecoder decoder(s, path, PacketDecoder::Threads::Single);
    auto left = static_cast<std::size_t>(mostSeconds * PlainSound::kRate);
    SoundConverter converter({PlainSound::kRate, 2, AV_SAMPLE_FMT_S16, true});
    bool first = true;
    const auto give = [&](const AVFrame& f) {
        cancel.check();
        const std::size_t n = std::min(left, static_cast<std::size_t>(f.nb_samples));
        if (n) onSound(reinterpret_cast<const std::int16_t*>(f.data[0]), n);
        left -= n;
    };
    const auto take = [&](AVFrame& f) {
        if (left == 0) return;
        f.pts = f.best_effort_timestamp;
        if (startsAt && first && f.pts != AV_NOPTS_VALUE) *startsAt = double(f.pts) * av_q2d(s.time_base);
        first = false;
        converter.send(f, s.time_base, give);
    };
    av::Packet packet(av_packet_alloc());
    while (left > 0 && av_read_frame(input.get(), packet.get()) >= 0) {
        if (packet->stream_index == stream) decoder.send(packet.get(), take);
        av_packet_unref(packet.get());
    }
    if (left > 0) decoder.send(nullptr, take);
    if (left > 0) converter.finish(give);
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
