#include "core/deliver/movie_writer.h"

#include "core/base/part_file.h"
#include "core/codec/encoder.h"
#include "core/deliver/sound_track.h"
#include "core/media/hdr_side_data.h"

#include <algorithm>
#include <filesystem>
#include <utility>

namespace ulm {
namespace {

[[noreturn]] void failWriting(const std::string& path, int code) {
    const std::string why = code == AVERROR(ENOSPC) ? "the disk is full" : av::errorText(code);
    throw Error(Fault::Output, path, "it could not be written (" + why + ")", writingRemedy(AVUNERROR(code)));
}

} // namespace

SoundSource wholeSound(const MediaFacts& facts) {
    SoundSource s;
    s.path = facts.file;
    for (const AudioFacts& a : facts.audio) s.tracks[a.stream] = soundPlan(Ticket{}, a);
    return s;
}

struct MovieWriter::Impl {
    std::string path, told, muxer;
    CancelToken cancel;
    AVFormatContext* output = nullptr;
    std::unique_ptr<Encoder> encoder;
    AVStream* video = nullptr;
    std::unique_ptr<SoundFeeder> sound;
    std::vector<std::pair<std::int64_t, std::int64_t>> durations; ///< pts → duration, ascending, not yet written
    std::function<void()> onWritten;
    std::int64_t videoBytes = 0;
    bool begun = false, finished = false;

    ~Impl() {
        if (output && output->pb) avio_closep(&output->pb);
        if (output) avformat_free_context(output);
    }

    void check(int code) const {
        if (code >= 0) return;
        cancel.check(); // writing was interrupted
        failWriting(told, code);
    }

    // The header waits for what note() may still say.
    void begin() {
        if (std::exchange(begun, true)) return;
        AVDictionary* options = nullptr;
        if (muxer == "mp4") {
            av_dict_set(&options, "movflags", "+faststart+write_colr", 0);
            // Keep the pictures' own clock, finer where it is coarse: frame times stay exact.
            const AVRational base = encoder->context().time_base;
            if (base.num == 1 && base.den >= 1000) av_dict_set_int(&options, "video_track_timescale", base.den, 0);
        }
        const int e = avformat_write_header(output, &options);
        av_dict_free(&options);
        check(e);
    }

    void put(AVPacket& p) {
        check(av_interleaved_write_frame(output, &p));
        // Buffered bytes reach the disk late; a full disk shows on the I/O context first.
        if (output->pb) check(output->pb->error);
    }

    void putPicture(AVPacket& p) {
        cancel.check();
        videoBytes += p.size;
        const auto it = std::ranges::lower_bound(durations, p.pts, {}, &std::pair<std::int64_t, std::int64_t>::first);
        if (it != durations.end() && it->first == p.pts) {
            p.duration = it->second;
            durations.erase(it);
        }
        p.stream_index = video->index;
        av_packet_rescale_ts(&p, encoder->context().time_base, video->time_base);
        const double at = double(p.dts) * av_q2d(video->time_base);
        if (sound) sound->feedUntil(at, [this](AVPacket& s) { put(s); });
        put(p);
        if (onWritten) onWritten();
    }
};

MovieWriter::MovieWriter(const std::string& path, const std::string& muxer, const VideoEncoding& v,
                         const std::optional<SoundSource>& sound, const CancelToken& cancel, const std::string& told)
    : impl_(std::make_unique<Impl>()) {
    av::quiet();
    Impl& m = *impl_;
    m.path = path;
    m.told = told.empty() ? path : told;
    m.muxer = muxer;
    m.cancel = cancel;
    const std::string url = "file:" + path;
    m.check(avformat_alloc_output_context2(&m.output, nullptr, muxer.c_str(), url.c_str()));
    m.encoder = std::make_unique<Encoder>(v, m.output->oformat->flags & AVFMT_GLOBALHEADER, cancel);
    m.video = avformat_new_stream(m.output, nullptr);
    avcodec_parameters_from_context(m.video->codecpar, &m.encoder->context());
    m.video->codecpar->chroma_location = m.encoder->context().chroma_sample_location;
    if (muxer == "mp4") m.video->codecpar->codec_tag = videoCodec(v.codec).tag;
    putHdrData(v.mastering, *m.video);
    m.video->time_base = v.timeBase;
    m.video->avg_frame_rate = m.encoder->context().framerate;
    if (sound) m.sound = std::make_unique<SoundFeeder>(*sound, *m.output);
    // Moving the index of a large file to its front takes seconds: that, too, can be stopped.
    const auto stop = [](void* writer) -> int { return static_cast<Impl*>(writer)->cancel.cancelled(); };
    m.output->interrupt_callback = {stop, &m};
    m.check(avio_open2(&m.output->pb, url.c_str(), AVIO_FLAG_WRITE, &m.output->interrupt_callback, nullptr));
}

void MovieWriter::onWritten(std::function<void()> then) { impl_->onWritten = std::move(then); }

void MovieWriter::note(const std::string& comment) {
    av_dict_set(&impl_->output->metadata, "comment", comment.c_str(), 0);
}

MovieWriter::~MovieWriter() {
    const bool unfinished = impl_ && !impl_->finished && impl_->output && impl_->output->pb;
    const std::string path = impl_->path;
    impl_.reset();
    std::error_code ec;
    if (unfinished && !path.starts_with("/proc/")) std::filesystem::remove(path, ec);
}

void MovieWriter::write(const AVFrame& picture, std::int64_t pts, std::int64_t duration) {
    impl_->begin();
    impl_->durations.emplace_back(pts, duration);
    impl_->encoder->send(picture, pts, [this](AVPacket& p) { impl_->putPicture(p); });
}

MovieWriter::Result MovieWriter::finish() {
    Impl& m = *impl_;
    m.begin();
    m.encoder->finish([&](AVPacket& p) { m.putPicture(p); });
    if (m.sound) m.sound->finish([&](AVPacket& p) { m.put(p); });
    int e = av_write_trailer(m.output);
    if (e >= 0 && m.output->pb->error < 0) e = m.output->pb->error;
    const int closed = avio_closep(&m.output->pb);
    if (e >= 0 && closed < 0) e = closed;
    if (e < 0) {
        std::error_code ec;
        if (!m.path.starts_with("/proc/")) std::filesystem::remove(m.path, ec);
        m.check(e);
    }
    m.finished = true;
    std::error_code ec;
    return {static_cast<std::int64_t>(std::filesystem::file_size(m.path, ec)), m.videoBytes};
}

} // namespace ulm
