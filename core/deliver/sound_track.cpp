#include "core/deliver/sound_track.h"

#include "core/media/sound_converter.h"
#include "core/media/sound_stretcher.h"

extern "C" {
#include <libavutil/audio_fifo.h>
}

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// The encoder's own clock is kept by time, not by counting what came: sound that starts late, stops for a while or
// overlaps stays beside its pictures. Smaller steps are rounding of the container's clock.
constexpr double kMostDrift = 0.04;
// Where parts are joined the sound dips for so long on both sides: two waves set end to end click.
constexpr double kJoin = 0.006;

} // namespace

struct SoundFeeder::Track {
    int from = 0; ///< stream index in the source
    AVStream* to = nullptr;
    AVRational sourceBase{};
    // Only where sound is encoded anew:
    std::unique_ptr<PacketDecoder> decoder;
    std::unique_ptr<SoundConverter> converter;
    av::Codec encoder;
    std::unique_ptr<SoundStretcher> stretcher; ///< where it runs at another speed than it was filmed at
    AVAudioFifo* fifo = nullptr;               ///< at the source's speed
    AVAudioFifo* stretched = nullptr;          ///< where there is a stretcher
    std::int64_t placed = 0;                   ///< samples put into the queue since the movie's start
    std::int64_t encoded = 0;                  ///< samples handed to the encoder
    std::int64_t zero = 0;                     ///< of the source's clock, in samples: the movie's start
    std::int64_t length = INT64_MAX;           ///< samples that belong to the movie
    double fadeIn = 0, fadeOut = 0, seconds = 0;
    std::vector<std::pair<std::int64_t, std::int64_t>> without; ///< samples since the movie's start: [from, to)
    std::vector<double> joins;                                  ///< seconds of the movie
    std::int64_t filmed = 0; ///< where the sound that came last ended, counting what is left out
    bool started = false;

    ~Track() {
        if (fifo) av_audio_fifo_free(fifo);
        if (stretched) av_audio_fifo_free(stretched);
    }
    void openEncoder(const AVStream& source, const SoundSource& what, int channels, AVFormatContext& output);
    void encode(const AVFrame* frame, const SoundFeeder::OnPacket& onPacket);
    void take(AVFrame& frame) {
        converter->send(frame, sourceBase, [this](const AVFrame& f) { place(f); });
    }
    void place(const AVFrame& sound);
    /// A piece of which nothing is left out: where it belongs in what remains.
    void placePiece(const AVFrame& sound, std::int64_t first, std::int64_t count, std::int64_t at);
    void silence(std::int64_t samples);
    void drainFifo(bool all, const SoundFeeder::OnPacket& onPacket);
    void stretch(bool all);
    av::Frame taken(AVAudioFifo* from, int samples) const;
    void fade(AVFrame& sound) const;
};

void SoundFeeder::Track::openEncoder(const AVStream& s, const SoundSource& what, int channels,
                                     AVFormatContext& output) {
    decoder = std::make_unique<PacketDecoder>(s, what.path, PacketDecoder::Threads::Single);
    const AVCodec* aac = avcodec_find_encoder(AV_CODEC_ID_AAC);
    encoder.reset(avcodec_alloc_context3(aac));
    encoder->sample_fmt = AV_SAMPLE_FMT_FLTP;
    const int rate = s.codecpar->sample_rate;
    encoder->sample_rate =
        rate == 44100 || rate == 48000 || rate == 32000 || rate == 22050 || rate == 24000 || rate == 16000 ? rate
                                                                                                           : 48000;
    av_channel_layout_default(&encoder->ch_layout, channels);
    encoder->bit_rate = encodedSoundBits(channels);
    encoder->time_base = {1, encoder->sample_rate};
    if (output.oformat->flags & AVFMT_GLOBALHEADER) encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    if (const int e = avcodec_open2(encoder.get(), aac, nullptr); e < 0)
        throw Error(Fault::Output, what.path, "its sound cannot be encoded as AAC (" + av::errorText(e) + ")",
                    "Drop the sound in the Sound step.");
    avcodec_parameters_from_context(to->codecpar, encoder.get());
    to->time_base = encoder->time_base;
    fifo = av_audio_fifo_alloc(AV_SAMPLE_FMT_FLTP, channels, encoder->frame_size * 4);
    if (!fifo) throw std::bad_alloc();
    fadeIn = what.fadeIn, fadeOut = what.fadeOut, seconds = what.seconds;
    double gone = 0;
    for (const LeftOut& p : what.without) {
        without.emplace_back(std::llround(p.from * encoder->sample_rate), std::llround(p.to * encoder->sample_rate));
        joins.push_back(what.movieAt(p.from));
        gone += p.to - p.from;
    }
    if (what.stretched) {
        const auto due = [what](double kept) {
            for (const LeftOut& p : what.without)
                if (kept >= p.from) kept += p.to - p.from;
            return what.movieAt(kept);
        };
        stretcher = std::make_unique<SoundStretcher>(encoder->sample_rate, encoder->ch_layout, due);
        stretched = av_audio_fifo_alloc(AV_SAMPLE_FMT_FLTP, channels, encoder->frame_size * 4);
        if (!stretched) throw std::bad_alloc();
    }
    converter = std::make_unique<SoundConverter>(
        SoundConverter::Wanted{encoder->sample_rate, channels, AV_SAMPLE_FMT_FLTP, true});
    zero = std::llround(what.zero * encoder->sample_rate);
    if (!what.whole) length = std::llround((what.to - what.zero - gone) * encoder->sample_rate);
}

void SoundFeeder::Track::encode(const AVFrame* frame, const SoundFeeder::OnPacket& onPacket) {
    const auto fail = [](int e) {
        throw Error(Fault::Output, "", "its sound could not be encoded (" + av::errorText(e) + ")",
                    "Drop the sound in the Sound step, or export the clip again.");
    };
    if (const int e = avcodec_send_frame(encoder.get(), frame); e < 0 && e != AVERROR_EOF) fail(e);
    av::Packet packet(av_packet_alloc());
    for (;;) {
        const int e = avcodec_receive_packet(encoder.get(), packet.get());
        if (e == AVERROR(EAGAIN) || e == AVERROR_EOF) return;
        if (e < 0) fail(e);
        packet->stream_index = to->index;
        av_packet_rescale_ts(packet.get(), encoder->time_base, to->time_base);
        onPacket(*packet);
        av_packet_unref(packet.get());
    }
}

void SoundFeeder::Track::silence(std::int64_t samples) {
    constexpr int kPiece = 4096;
    av::Frame quiet(av_frame_alloc());
    quiet->nb_samples = kPiece;
    quiet->format = encoder->sample_fmt;
    av_channel_layout_copy(&quiet->ch_layout, &encoder->ch_layout);
    if (av_frame_get_buffer(quiet.get(), 0) < 0) throw std::bad_alloc();
    av_samples_set_silence(quiet->extended_data, 0, kPiece, encoder->ch_layout.nb_channels, encoder->sample_fmt);
    for (; samples > 0; samples -= kPiece) {
        const int n = static_cast<int>(std::min<std::int64_t>(samples, kPiece));
        av_audio_fifo_write(fifo, reinterpret_cast<void**>(quiet->extended_data), n);
        placed += n;
    }
}

void SoundFeeder::Track::place(const AVFrame& f) {
    const std::int64_t at = f.pts == AV_NOPTS_VALUE ? filmed : f.pts - zero;
    filmed = at + f.nb_samples;
    std::int64_t gone = 0, from = at; // samples left out before `from`
    for (const auto& [first, past] : without) {
        if (first > from) placePiece(f, from - at, std::min(first, filmed) - from, from - gone);
        from = std::max(from, std::min(past, filmed));
        if (past > filmed) return;
        gone += past - first;
    }
    placePiece(f, from - at, filmed - from, from - gone);
}

void SoundFeeder::Track::placePiece(const AVFrame& f, std::int64_t first, std::int64_t count, std::int64_t at) {
    if (count <= 0) return;
    const auto drift = static_cast<double>(at - placed) / encoder->sample_rate;
    std::int64_t drop = 0;
    if (!started || std::abs(drift) > kMostDrift) {
        // A clock that leaps by hours is the file's fault; the sound goes on where it was.
        if (at > placed && drift < 3600) silence(std::min(at, length) - placed);
        if (at < placed) drop = placed - at;
    }
    started = true;
    const std::int64_t n = std::min<std::int64_t>(count - drop, length - placed);
    if (n <= 0) return;
    std::uint8_t* planes[2] = {};
    for (int c = 0; c < encoder->ch_layout.nb_channels; ++c)
        planes[c] = f.extended_data[c] + (first + drop) * static_cast<std::int64_t>(sizeof(float));
    if (av_audio_fifo_write(fifo, reinterpret_cast<void**>(planes), static_cast<int>(n)) < n) throw std::bad_alloc();
    placed += n;
}

av::Frame SoundFeeder::Track::taken(AVAudioFifo* from, int samples) const {
    av::Frame frame(av_frame_alloc());
    if (!frame) throw std::bad_alloc();
    frame->nb_samples = samples;
    frame->format = encoder->sample_fmt;
    frame->sample_rate = encoder->sample_rate;
    av_channel_layout_copy(&frame->ch_layout, &encoder->ch_layout);
    if (av_frame_get_buffer(frame.get(), 0) < 0) throw std::bad_alloc();
    av_audio_fifo_read(from, reinterpret_cast<void**>(frame->extended_data), samples);
    return frame;
}

// Even in loudness as it is heard: squared, half way is a quarter.
void SoundFeeder::Track::fade(AVFrame& sound) const {
    const double from = double(sound.pts) / encoder->sample_rate,
                 to = from + double(sound.nb_samples) / encoder->sample_rate;
    std::vector<double> near;
    for (const double join : joins)
        if (join > from - kJoin && join < to + kJoin) near.push_back(join);
    if (fadeIn <= 0 && fadeOut <= 0 && near.empty()) return;
    for (int i = 0; i < sound.nb_samples; ++i) {
        const double at = double(sound.pts + i) / encoder->sample_rate;
        const double in = fadeIn > 0 ? std::clamp(at / fadeIn, 0.0, 1.0) : 1,
                     out = fadeOut > 0 ? std::clamp((seconds - at) / fadeOut, 0.0, 1.0) : 1;
        double dip = 1;
        for (const double join : near) dip = std::min(dip, std::abs(at - join) / kJoin);
        const auto gain = float(in * in * out * out * dip);
        for (int c = 0; c < sound.ch_layout.nb_channels; ++c)
            reinterpret_cast<float*>(sound.extended_data[c])[i] *= gain;
    }
}

void SoundFeeder::Track::stretch(bool all) {
    const auto keep = [this](const AVFrame& f) {
        const int n = f.nb_samples;
        if (av_audio_fifo_write(stretched, reinterpret_cast<void**>(f.extended_data), n) < n) throw std::bad_alloc();
    };
    while (const int n = std::min(4096, av_audio_fifo_size(fifo))) stretcher->send(*taken(fifo, n), keep);
    if (all) stretcher->finish(keep);
}

void SoundFeeder::Track::drainFifo(bool all, const SoundFeeder::OnPacket& onPacket) {
    if (stretcher) stretch(all);
    AVAudioFifo* ready = stretcher ? stretched : fifo;
    while (av_audio_fifo_size(ready) >= encoder->frame_size || (all && av_audio_fifo_size(ready) > 0)) {
        const av::Frame frame = taken(ready, std::min(encoder->frame_size, av_audio_fifo_size(ready)));
        frame->pts = encoded;
        fade(*frame);
        encoded += frame->nb_samples;
        encode(frame.get(), onPacket);
    }
}

SoundFeeder::SoundFeeder(const SoundSource& source, AVFormatContext& output) : source_(source) {
    if (std::ranges::all_of(source.tracks, [](const auto& t) { return t.second.way == SoundWay::Dropped; })) {
        ended_ = true;
        return;
    }
    input_ = openInput(source.path);
    for (unsigned i = 0; i < input_->nb_streams; ++i) {
        const AVStream& s = *input_->streams[i];
        const AVCodecParameters& p = *s.codecpar;
        const auto plan = source.tracks.find(static_cast<int>(i));
        if (plan == source.tracks.end() || plan->second.way == SoundWay::Dropped ||
            p.codec_type != AVMEDIA_TYPE_AUDIO) {
            input_->streams[i]->discard = AVDISCARD_ALL;
            continue;
        }
        const bool copy = plan->second.way == SoundWay::Copied;
        auto track = std::make_unique<Track>();
        track->from = static_cast<int>(i);
        track->sourceBase = s.time_base;
        track->to = avformat_new_stream(&output, nullptr);
        if (copy) {
            avcodec_parameters_copy(track->to->codecpar, &p);
            track->to->codecpar->codec_tag = 0;
            track->to->time_base = s.time_base;
        } else {
            track->openEncoder(s, source, plan->second.channels, output);
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
    reached_ = source_.movieAt ? source_.movieAt(at - source_.zero) : at - source_.zero;
    if (t.decoder) {
        t.decoder->send(packet.get(), [&](AVFrame& f) {
            f.pts = f.best_effort_timestamp;
            t.take(f);
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
        t->decoder->send(nullptr, [&](AVFrame& f) {
            f.pts = f.best_effort_timestamp;
            t->take(f);
        });
        t->converter->finish([&](const AVFrame& f) { t->place(f); });
        t->drainFifo(true, onPacket);
        t->encode(nullptr, onPacket);
    }
}

} // namespace ulm
