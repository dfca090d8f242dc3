#include "core/deliver/sound_track.h"

extern "C" {
#include <libavutil/audio_fifo.h>
#include <libswresample/swresample.h>
}

#include <algorithm>
#include <cmath>

namespace ulm {

bool mp4CanHold(AVCodecID codec) {
    switch (codec) {
    case AV_CODEC_ID_AAC:
    case AV_CODEC_ID_MP3:
    case AV_CODEC_ID_AC3:
    case AV_CODEC_ID_EAC3:
    case AV_CODEC_ID_ALAC: return true;
    default: return false;
    }
}

struct SoundFeeder::Track {
    int from = 0; ///< stream index in the source
    AVStream* to = nullptr;
    AVRational sourceBase{};
    // Only where sound is encoded anew:
    std::unique_ptr<PacketDecoder> decoder;
    av::Codec encoder;
    SwrContext* resampler = nullptr;
    AVAudioFifo* fifo = nullptr;
    std::int64_t written = 0; ///< samples handed to the encoder
    bool started = false;
    std::int64_t skip = 0; ///< samples to drop before the movie's start

    ~Track() {
        swr_free(&resampler);
        if (fifo) av_audio_fifo_free(fifo);
    }
    void openEncoder(const AVStream& source, const std::string& path, AVFormatContext& output);
    void encode(const AVFrame* frame, const SoundFeeder::OnPacket& onPacket);
    void take(AVFrame& frame, double movieTime);
    void drainFifo(bool all, const SoundFeeder::OnPacket& onPacket);
};

void SoundFeeder::Track::openEncoder(const AVStream& s, const std::string& path, AVFormatContext& output) {
    decoder = std::make_unique<PacketDecoder>(s, path, PacketDecoder::Threads::Slices);
    const AVCodec* aac = avcodec_find_encoder(AV_CODEC_ID_AAC);
    encoder.reset(avcodec_alloc_context3(aac));
    encoder->sample_fmt = AV_SAMPLE_FMT_FLTP;
    const int rate = s.codecpar->sample_rate;
    encoder->sample_rate =
        rate == 44100 || rate == 48000 || rate == 32000 || rate == 22050 || rate == 24000 || rate == 16000 ? rate
                                                                                                           : 48000;
    av_channel_layout_default(&encoder->ch_layout, std::clamp(s.codecpar->ch_layout.nb_channels, 1, 2));
    encoder->bit_rate = encoder->ch_layout.nb_channels == 1 ? 96000 : 192000;
    encoder->time_base = {1, encoder->sample_rate};
    if (output.oformat->flags & AVFMT_GLOBALHEADER) encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    if (const int e = avcodec_open2(encoder.get(), aac, nullptr); e < 0)
        throw Error(Fault::Output, path, "its sound cannot be encoded as AAC (" + av::errorText(e) + ")",
                    "Drop the sound in the Sound step.");
    avcodec_parameters_from_context(to->codecpar, encoder.get());
    to->time_base = encoder->time_base;
    fifo = av_audio_fifo_alloc(AV_SAMPLE_FMT_FLTP, encoder->ch_layout.nb_channels, encoder->frame_size * 4);
}

void SoundFeeder::Track::encode(const AVFrame* frame, const SoundFeeder::OnPacket& onPacket) {
    if (avcodec_send_frame(encoder.get(), frame) < 0) return;
    av::Packet packet(av_packet_alloc());
    while (avcodec_receive_packet(encoder.get(), packet.get()) >= 0) {
        packet->stream_index = to->index;
        av_packet_rescale_ts(packet.get(), encoder->time_base, to->time_base);
        onPacket(*packet);
        av_packet_unref(packet.get());
    }
}

void SoundFeeder::Track::take(AVFrame& frame, double movieTime) {
    if (!resampler) {
        AVChannelLayout layout = frame.ch_layout;
        if (swr_alloc_set_opts2(&resampler, &encoder->ch_layout, encoder->sample_fmt, encoder->sample_rate, &layout,
                                static_cast<AVSampleFormat>(frame.format), frame.sample_rate, 0, nullptr) < 0 ||
            swr_init(resampler) < 0)
            throw Error(Fault::Input, "", "its sound format cannot be converted", "Drop the sound in the Sound step.");
    }
    if (!started) {
        started = true;
        const auto offset = std::llround(movieTime * encoder->sample_rate);
        if (offset < 0)
            skip = -offset;
        else
            written = offset;
    }
    const int room = swr_get_out_samples(resampler, frame.nb_samples);
    av::Frame out(av_frame_alloc());
    out->nb_samples = std::max(room, 1);
    out->format = encoder->sample_fmt;
    av_channel_layout_copy(&out->ch_layout, &encoder->ch_layout);
    if (av_frame_get_buffer(out.get(), 0) < 0) throw std::bad_alloc();
    const int got = swr_convert(resampler, out->extended_data, out->nb_samples,
                                const_cast<const std::uint8_t**>(frame.extended_data), frame.nb_samples);
    if (got <= 0) return;
    const int drop = static_cast<int>(std::min<std::int64_t>(skip, got));
    skip -= drop;
    std::uint8_t* planes[8] = {};
    for (int c = 0; c < encoder->ch_layout.nb_channels; ++c) planes[c] = out->extended_data[c] + drop * sizeof(float);
    if (got > drop) av_audio_fifo_write(fifo, reinterpret_cast<void**>(planes), got - drop);
}

void SoundFeeder::Track::drainFifo(bool all, const SoundFeeder::OnPacket& onPacket) {
    while (av_audio_fifo_size(fifo) >= encoder->frame_size || (all && av_audio_fifo_size(fifo) > 0)) {
        av::Frame frame(av_frame_alloc());
        frame->nb_samples = std::min(encoder->frame_size, av_audio_fifo_size(fifo));
        frame->format = encoder->sample_fmt;
        frame->sample_rate = encoder->sample_rate;
        av_channel_layout_copy(&frame->ch_layout, &encoder->ch_layout);
        if (av_frame_get_buffer(frame.get(), 0) < 0) throw std::bad_alloc();
        av_audio_fifo_read(fifo, reinterpret_cast<void**>(frame->extended_data), frame->nb_samples);
        frame->pts = written;
        written += frame->nb_samples;
        encode(frame.get(), onPacket);
    }
}

SoundFeeder::SoundFeeder(const SoundSource& source, AVFormatContext& output) : source_(source) {
    if (source.mode == SoundMode::Drop) {
        ended_ = true;
        return;
    }
    input_ = openInput(source.path);
    for (unsigned i = 0; i < input_->nb_streams; ++i) {
        const AVStream& s = *input_->streams[i];
        const AVCodecParameters& p = *s.codecpar;
        const bool usable = p.codec_type == AVMEDIA_TYPE_AUDIO && p.sample_rate > 0 && p.ch_layout.nb_channels > 0;
        const bool copy = source.mode == SoundMode::Keep && mp4CanHold(p.codec_id);
        if (!usable || (!copy && !avcodec_find_decoder(p.codec_id))) {
            input_->streams[i]->discard = AVDISCARD_ALL;
            if (usable)
                note_ = std::string("Sound in ") + avcodec_get_name(p.codec_id) + " cannot be read and was left out.";
            continue;
        }
        auto track = std::make_unique<Track>();
        track->from = static_cast<int>(i);
        track->sourceBase = s.time_base;
        track->to = avformat_new_stream(&output, nullptr);
        if (copy) {
            avcodec_parameters_copy(track->to->codecpar, &p);
            track->to->codecpar->codec_tag = 0;
            track->to->time_base = s.time_base;
        } else {
            track->openEncoder(s, source.path, output);
            if (source.mode == SoundMode::Keep)
                note_ = std::string("MP4 does not carry ") + avcodec_get_name(p.codec_id) +
                        " sound; it was encoded as AAC.";
        }
        if (const auto* tag = av_dict_get(s.metadata, "language", nullptr, 0))
            av_dict_set(&track->to->metadata, "language", tag->value, 0);
        tracks_.push_back(std::move(track));
    }
    if (tracks_.empty()) ended_ = true;
    // A stretch far into a long clip: no need to read all that comes before.
    if (!ended_ && !source.whole && source.from > 5)
        avformat_seek_file(input_.get(), -1, INT64_MIN, static_cast<std::int64_t>((source.from - 2) * AV_TIME_BASE),
                           static_cast<std::int64_t>((source.from - 2) * AV_TIME_BASE), 0);
}

SoundFeeder::~SoundFeeder() = default;

bool SoundFeeder::readOne(const OnPacket& onPacket) {
    av::Packet packet(av_packet_alloc());
    if (av_read_frame(input_.get(), packet.get()) < 0) return false;
    const auto it = std::ranges::find_if(tracks_, [&](const auto& t) { return t->from == packet->stream_index; });
    if (it == tracks_.end()) return true;
    Track& t = **it;
    const std::int64_t stamp = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
    if (stamp == AV_NOPTS_VALUE) return true;
    const double at = double(stamp) * av_q2d(t.sourceBase);
    const double length = double(packet->duration) * av_q2d(t.sourceBase);
    if (!source_.whole && at >= source_.to) return false;
    if (!source_.whole && at + length <= source_.from) return true;
    reached_ = at - source_.zero;
    if (t.decoder) {
        t.decoder->send(packet.get(), [&](AVFrame& f) {
            const auto ts = f.best_effort_timestamp != AV_NOPTS_VALUE ? f.best_effort_timestamp : stamp;
            t.take(f, double(ts) * av_q2d(t.sourceBase) - source_.zero);
        });
        t.drainFifo(false, onPacket);
        return true;
    }
    const std::int64_t shift = std::llround(source_.zero / av_q2d(t.sourceBase));
    packet->pts = stamp - shift;
    packet->dts = (packet->dts != AV_NOPTS_VALUE ? packet->dts : stamp) - shift;
    packet->stream_index = t.to->index;
    packet->pos = -1;
    av_packet_rescale_ts(packet.get(), t.sourceBase, t.to->time_base);
    onPacket(*packet);
    return true;
}

void SoundFeeder::feedUntil(double seconds, const OnPacket& onPacket) {
    while (!ended_ && reached_ < seconds)
        if (!readOne(onPacket)) ended_ = true;
}

void SoundFeeder::finish(const OnPacket& onPacket) {
    feedUntil(1e18, onPacket);
    for (auto& t : tracks_) {
        if (!t->decoder) continue;
        t->decoder->send(nullptr, [&](AVFrame& f) { t->take(f, 0); });
        t->drainFifo(true, onPacket);
        t->encode(nullptr, onPacket);
    }
}

} // namespace ulm
