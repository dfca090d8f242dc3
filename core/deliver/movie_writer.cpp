#include "core/deliver/movie_writer.h"

#include "core/deliver/sound_track.h"

#include <algorithm>
#include <filesystem>

namespace ulm {
namespace {

[[noreturn]] void failWriting(const std::string& path, int code) {
    const std::string why = code == AVERROR(ENOSPC) ? "the disk is full" : av::errorText(code);
    throw Error(Fault::Output, path, "it could not be written (" + why + ")",
                "Check that the folder exists, that you may write there, and that the disk has room.");
}

} // namespace

struct MovieWriter::Impl {
    std::string path;
    AVFormatContext* output = nullptr;
    av::Codec encoder;
    AVStream* video = nullptr;
    std::unique_ptr<SoundFeeder> sound;
    av::Packet packet{av_packet_alloc()};
    std::vector<std::pair<std::int64_t, std::int64_t>> durations; ///< pts → duration, ascending, not yet written
    std::int64_t videoBytes = 0;
    bool finished = false;

    ~Impl() {
        if (output && output->pb) avio_closep(&output->pb);
        if (output) avformat_free_context(output);
    }

    void put(AVPacket& p) {
        const int e = av_interleaved_write_frame(output, &p);
        if (e < 0) failWriting(path, e);
        // Buffered bytes reach the disk late; a full disk shows on the I/O context first.
        if (output->pb && output->pb->error < 0) failWriting(path, output->pb->error);
    }

    void drain() {
        while (avcodec_receive_packet(encoder.get(), packet.get()) >= 0) {
            videoBytes += packet->size;
            const auto it =
                std::ranges::lower_bound(durations, packet->pts, {}, &std::pair<std::int64_t, std::int64_t>::first);
            if (it != durations.end() && it->first == packet->pts) {
                packet->duration = it->second;
                durations.erase(it);
            }
            packet->stream_index = video->index;
            av_packet_rescale_ts(packet.get(), encoder->time_base, video->time_base);
            const double at = double(packet->dts) * av_q2d(video->time_base);
            if (sound) sound->feedUntil(at, [this](AVPacket& p) { put(p); });
            put(*packet);
            av_packet_unref(packet.get());
        }
    }

    void send(const AVFrame* frame) {
        int e = avcodec_send_frame(encoder.get(), frame);
        if (e == AVERROR(EAGAIN)) {
            drain();
            e = avcodec_send_frame(encoder.get(), frame);
        }
        if (e < 0 && e != AVERROR_EOF) failWriting(path, e);
        drain();
    }
};

MovieWriter::MovieWriter(const std::string& path, const std::string& muxer, const VideoEncoding& v,
                         const std::optional<SoundSource>& sound)
    : impl_(std::make_unique<Impl>()) {
    av::quiet();
    Impl& m = *impl_;
    m.path = path;
    const std::string url = "file:" + path;
    if (const int e = avformat_alloc_output_context2(&m.output, nullptr, muxer.c_str(), url.c_str()); e < 0)
        failWriting(path, e);
    m.encoder = openVideoEncoder(v, m.output->oformat->flags & AVFMT_GLOBALHEADER);
    m.video = avformat_new_stream(m.output, nullptr);
    avcodec_parameters_from_context(m.video->codecpar, m.encoder.get());
    m.video->codecpar->chroma_location = m.encoder->chroma_sample_location;
    m.video->time_base = v.timeBase;
    m.video->avg_frame_rate = m.encoder->framerate;
    if (sound) m.sound = std::make_unique<SoundFeeder>(*sound, *m.output);
    if (const int e = avio_open(&m.output->pb, url.c_str(), AVIO_FLAG_WRITE); e < 0) failWriting(path, e);
    AVDictionary* options = nullptr;
    if (muxer == "mp4") {
        av_dict_set(&options, "movflags", "+faststart+write_colr", 0);
        // Keep the pictures' own clock, finer where it is coarse: frame times stay exact.
        const int scale = v.timeBase.num == 1 && v.timeBase.den >= 1000 ? v.timeBase.den : 0;
        if (scale) av_dict_set_int(&options, "video_track_timescale", scale, 0);
    }
    const int e = avformat_write_header(m.output, &options);
    av_dict_free(&options);
    if (e < 0) failWriting(path, e);
}

MovieWriter::~MovieWriter() {
    const bool unfinished = impl_ && !impl_->finished && impl_->output && impl_->output->pb;
    const std::string path = impl_->path;
    impl_.reset();
    std::error_code ec;
    if (unfinished && !path.starts_with("/proc/")) std::filesystem::remove(path, ec);
}

void MovieWriter::write(const AVFrame& picture, std::int64_t pts, std::int64_t duration) {
    av::Frame frame(av_frame_clone(&picture));
    frame->pts = pts;
    frame->pict_type = AV_PICTURE_TYPE_NONE;
    frame->pkt_duration = duration;
    impl_->durations.emplace_back(pts, duration);
    impl_->send(frame.get());
}

MovieWriter::Result MovieWriter::finish() {
    Impl& m = *impl_;
    m.send(nullptr);
    if (m.sound) m.sound->finish([&](AVPacket& p) { m.put(p); });
    int e = av_write_trailer(m.output);
    if (e >= 0 && m.output->pb->error < 0) e = m.output->pb->error;
    const int closed = avio_closep(&m.output->pb);
    if (e >= 0 && closed < 0) e = closed;
    if (e < 0) {
        std::error_code ec;
        if (!m.path.starts_with("/proc/")) std::filesystem::remove(m.path, ec);
        failWriting(m.path, e);
    }
    m.finished = true;
    std::error_code ec;
    return {static_cast<std::int64_t>(std::filesystem::file_size(m.path, ec)), m.videoBytes,
            m.sound ? m.sound->note() : ""};
}

} // namespace ulm
