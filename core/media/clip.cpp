#include "core/media/clip.h"

#include "core/media/decoder.h"
#include "core/media/facts_words.h"
#include "core/media/hdr_side_data.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <mutex>
#include <utility>

namespace ulm {
namespace fs = std::filesystem;

void av::quiet() {
    static std::once_flag once;
    std::call_once(once, [] { av_log_set_level(AV_LOG_QUIET); });
}

namespace {

constexpr int kMostPixelsAside = 16384;
constexpr int kPacketsForOne = 200; // until a first picture comes out

[[noreturn]] void refuse(const std::string& path, const std::string& reason, const std::string& remedy) {
    throw Error(Fault::Input, path, reason, remedy);
}

// libav* reports everything as "Invalid data": look at what people really hit first.
void refuseUnreadable(const std::string& path) {
    std::error_code ec;
    const auto status = fs::status(path, ec);
    if (!fs::exists(status)) refuse(path, "there is no such file", "Check the name, or whether the disk is connected.");
    if (fs::is_directory(status)) refuse(path, "this is a folder, not a clip", "Name a video file inside it.");
    if (!std::ifstream(path)) refuse(path, "it may not be read (no permission)", "Give yourself read access to it.");
    if (fs::is_regular_file(status) && fs::file_size(path, ec) == 0)
        refuse(path, "the file is empty (0 bytes)", "Copy or export the clip again.");
}

std::string colourless(const char* text) { return text ? text : "unknown"; }

// A matrix that mirrors is a turn after left and right were exchanged: that exchange is taken out first.
void readDisplayMatrix(const AVStream* s, VideoFacts& v) {
    const auto* side =
        reinterpret_cast<const std::int32_t*>(av_stream_get_side_data(s, AV_PKT_DATA_DISPLAYMATRIX, nullptr));
    if (!side) return;
    std::array<std::int32_t, 9> matrix;
    std::copy_n(side, matrix.size(), matrix.begin());
    v.mirrored = double(matrix[0]) * matrix[4] - double(matrix[1]) * matrix[3] < 0;
    if (v.mirrored) matrix[0] = -matrix[0], matrix[1] = -matrix[1];
    const double ccw = av_display_rotation_get(matrix.data());
    if (std::isnan(ccw)) {
        v.mirrored = false;
        return;
    }
    v.rotation = ((static_cast<int>(std::lround(-ccw / 90.0)) % 4) + 4) % 4 * 90;
}

// What is not told is decided here, by the stored size: a picture that is enlarged later keeps its colours. Broadcast
// sizes have primaries of their own; all else below 720 lines comes from cameras and screens of BT.709, and is encoded
// with the matrix that players take for granted there.
void assumeColour(VideoFacts& v) {
    ColourDescription& c = v.colour;
    constexpr int kUnknown = AVCOL_SPC_UNSPECIFIED;
    v.colourAssumed = c.matrix == kUnknown || c.matrix == AVCOL_SPC_RGB;
    if (v.colourAssumed)
        c.matrix = c.primaries == AVCOL_PRI_BT2020 ? AVCOL_SPC_BT2020_NCL : likelyMatrix(v.codedHeight);
    if (c.primaries == kUnknown || c.primaries == AVCOL_PRI_RESERVED0) {
        const bool sd = c.matrix == AVCOL_SPC_SMPTE170M || c.matrix == AVCOL_SPC_BT470BG;
        const bool lines625 = v.codedHeight == 576 && v.codedWidth <= 720,
                   lines525 = (v.codedHeight == 480 || v.codedHeight == 486) && v.codedWidth <= 720;
        c.primaries = c.matrix == AVCOL_SPC_BT2020_NCL ? AVCOL_PRI_BT2020
                      : sd && lines625                 ? AVCOL_PRI_BT470BG
                      : sd && lines525                 ? AVCOL_PRI_SMPTE170M
                                                       : AVCOL_PRI_BT709;
    }
    if (c.transfer == kUnknown || c.transfer == AVCOL_TRC_RESERVED0) c.transfer = AVCOL_TRC_BT709;
}

} // namespace

av::Input openInput(const std::string& path) {
    av::quiet();
    refuseUnreadable(path);
    AVFormatContext* raw = nullptr;
    // The file protocol prefix keeps names such as "a:b.mp4" from being taken for other protocols; the whitelist keeps
    // playlists inside hostile files from reaching anything but files.
    AVDictionary* options = nullptr;
    av_dict_set(&options, "protocol_whitelist", "file", 0);
    const int opened = avformat_open_input(&raw, ("file:" + path).c_str(), nullptr, &options);
    av_dict_free(&options);
    if (opened < 0)
        refuse(path, "this is not a video file that can be read (" + av::errorText(opened) + ")",
               "Open it where it was made and export it again, as MP4 for instance.");
    av::Input input(raw);
    const std::string format = input->iformat->name;
    if (format == "tty" || format == "subviewer" || format == "srt" || format == "webvtt" || format == "ass")
        refuse(path, "this is text, not a video file", "Choose the clip itself.");
    if (input->nb_streams > 64)
        refuse(path, "it holds more than 64 streams", "Export it again with one picture stream.");
    const int found = avformat_find_stream_info(input.get(), nullptr);
    if (found < 0)
        refuse(path, "its streams cannot be read (" + av::errorText(found) + ")",
               "The file may be cut short: copy or export it again.");
    return input;
}

class ClipOpener {
public:
    ClipOpener(const std::string& path, const CancelToken& cancel) : path_(path), cancel_(cancel) {}

    ClipPtr open() {
        clip_ = std::make_shared<Clip>();
        clip_->path_ = path_;
        clip_->state_ = FileState::of(path_); // before anything is read: what changes meanwhile is noticed later
        input_ = openInput(path_);
        readFileFacts();
        if (stream_) {
            checkSizes();
            readVideoFacts();
            indexByPackets();
            if (clip_->frames_.empty())
                refuse(path_, "it holds no complete picture", "The file may be cut short: copy or export it again.");
            finishTimes();
            if (clip_->facts_.video.hdr()) readMastering();
        }
        if (clip_->facts_.duration <= 0)
            refuse(path_, "it has no duration", "The file may be cut short: copy or export it again.");
        return clip_;
    }

private:
    void readFileFacts() {
        MediaFacts& f = clip_->facts_;
        f.file = path_;
        const auto* brand = av_dict_get(input_->metadata, "major_brand", nullptr, 0);
        f.container = containerName(input_->iformat->name, brand ? brand->value : "", path_);
        if (const auto* tag = av_dict_get(input_->metadata, "comment", nullptr, 0))
            f.comment = std::string(tag->value).substr(0, 1 << 16);
        f.bytes = clip_->state_.bytes;
        if (input_->duration > 0) f.duration = static_cast<double>(input_->duration) / AV_TIME_BASE;
        const int best = av_find_best_stream(input_.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
        for (unsigned i = 0; i < input_->nb_streams; ++i) {
            const AVStream* s = input_->streams[i];
            const AVCodecParameters* p = s->codecpar;
            if (p->codec_type == AVMEDIA_TYPE_AUDIO && p->sample_rate > 0 && p->ch_layout.nb_channels > 0)
                f.audio.push_back(
                    {int(i), avcodec_get_name(p->codec_id), p->sample_rate, p->ch_layout.nb_channels, p->bit_rate});
            if (p->codec_type == AVMEDIA_TYPE_SUBTITLE) {
                const auto* tag = av_dict_get(s->metadata, "language", nullptr, 0);
                f.subtitles.push_back({int(i), avcodec_get_name(p->codec_id), tag ? tag->value : ""});
            }
        }
        if (best >= 0 && !(input_->streams[best]->disposition & AV_DISPOSITION_ATTACHED_PIC)) {
            clip_->videoStream_ = best;
            stream_ = input_->streams[best];
            f.hasVideo = true;
        }
        if (!f.hasVideo && f.audio.empty())
            refuse(path_, "it holds neither pictures nor sound", "Choose a video file.");
    }

    void checkSizes() const {
        const AVCodecParameters* p = stream_->codecpar;
        if (p->width <= 0 || p->height <= 0)
            refuse(path_, "its picture size cannot be read", "The file may be cut short: copy or export it again.");
        if (p->width > kMostPixelsAside || p->height > kMostPixelsAside)
            refuse(path_,
                   "its pictures are " + std::to_string(p->width) + "×" + std::to_string(p->height) +
                       "; at most 16384 pixels a side can be handled",
                   "Scale it down where it was made.");
        if (!avcodec_find_decoder(p->codec_id))
            refuse(path_, std::string("its codec ") + avcodec_get_name(p->codec_id) + " cannot be decoded here",
                   "Export it again as H.264, for instance.");
    }

    void readVideoFacts() {
        const AVCodecParameters* p = stream_->codecpar;
        VideoFacts& v = clip_->facts_.video;
        clip_->timeBase_ = stream_->time_base;
        v.codec = avcodec_get_name(p->codec_id);
        const auto format = static_cast<AVPixelFormat>(p->format);
        v.pixelFormat = colourless(av_get_pix_fmt_name(format));
        if (const auto* d = av_pix_fmt_desc_get(format)) v.bitDepth = std::clamp(d->comp[0].depth, 8, 16);
        v.codedWidth = p->width;
        v.codedHeight = p->height;
        readDisplayMatrix(stream_, v);
        const AVRational sar = av_guess_sample_aspect_ratio(input_.get(), stream_, nullptr);
        if (sar.num > 0 && sar.den > 0 && sar.num <= 16 * sar.den && sar.den <= 16 * sar.num)
            v.sarNum = sar.num, v.sarDen = sar.den;
        int w = std::max(1, static_cast<int>(std::lround(static_cast<double>(p->width) * v.sarNum / v.sarDen)));
        int h = p->height;
        if (w > kMostPixelsAside)
            refuse(path_, "it is displayed wider than 16384 pixels", "Scale it down where it was made.");
        if (v.rotation % 180) std::swap(w, h);
        v.width = w;
        v.height = h;
        v.interlaced = p->field_order != AV_FIELD_UNKNOWN && p->field_order != AV_FIELD_PROGRESSIVE;
        v.bitrate = p->bit_rate;
        v.colour = {p->color_primaries, p->color_trc, p->color_space, p->color_range == AVCOL_RANGE_JPEG,
                    p->chroma_location};
        if (v.pixelFormat.starts_with("yuvj")) v.colour.fullRange = true;
        const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(format);
        v.alpha = d && (d->flags & AV_PIX_FMT_FLAG_ALPHA);
        // R'G'B' has no matrix until it is converted.
        if (d && (d->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL)))
            v.colour.matrix = AVCOL_SPC_RGB;
        else
            assumeColour(v);
    }

    void indexByPackets() {
        auto& frames = clip_->frames_;
        av::Packet packet(av_packet_alloc());
        bool usable = true;
        std::int64_t bytes = 0;
        std::int64_t counted = 0;
        while (av_read_frame(input_.get(), packet.get()) >= 0) {
            watchSound(*packet);
            if (packet->stream_index == clip_->videoStream_) {
                bytes += packet->size;
                if (++counted % 256 == 0) cancel_.check();
                if (packet->pts == AV_NOPTS_VALUE)
                    usable = false;
                else if (!(packet->flags & AV_PKT_FLAG_DISCARD))
                    frames.push_back(
                        {packet->pts, packet->duration, (packet->flags & AV_PKT_FLAG_KEY) != 0, packet->pos});
            }
            av_packet_unref(packet.get());
        }
        std::ranges::sort(frames, {}, &FrameTime::pts);
        const auto same = [](const FrameTime& a, const FrameTime& b) { return a.pts == b.pts; };
        if (std::ranges::adjacent_find(frames, same) != frames.end()) usable = false;
        // Packets that show nothing (hidden reference frames) would give an index longer than what comes out.
        const auto codec = stream_->codecpar->codec_id;
        if (codec == AV_CODEC_ID_VP8 || codec == AV_CODEC_ID_MPEG4) usable = usable && frames.size() > 0;
        if (!usable) indexByDecoding();
        if (bytes > 0) streamBytes_ = bytes;
    }

    // Copied sound has one description for the whole track: a stream whose own changes cannot be copied.
    void watchSound(const AVPacket& p) {
        const auto a = std::ranges::find(clip_->facts_.audio, p.stream_index, &AudioFacts::stream);
        if (a == clip_->facts_.audio.end()) return;
        if (av_packet_get_side_data(&p, AV_PKT_DATA_NEW_EXTRADATA, nullptr) ||
            av_packet_get_side_data(&p, AV_PKT_DATA_PARAM_CHANGE, nullptr))
            a->changes = true;
        // ADTS: sync word, then profile, rate and channels before each packet's own length (ISO/IEC 13818-7, 6.2).
        if (a->codec != "aac" || p.size < 7 || p.data[0] != 0xFF || (p.data[1] & 0xF6) != 0xF0) return;
        const int kind = (p.data[2] & 0xFD) << 8 | (p.data[3] & 0xC0);
        const auto known = adtsKinds_.try_emplace(p.stream_index, kind).first;
        if (known->second != kind) a->changes = true;
    }

    void indexByDecoding() {
        auto& frames = clip_->frames_;
        frames.clear();
        clip_->byPosition_ = true;
        input_ = openInput(path_);
        stream_ = input_->streams[clip_->videoStream_];
        PacketDecoder decoder(*stream_, path_, PacketDecoder::Threads::Frames);
        const AVRational rate = av_guess_frame_rate(input_.get(), stream_, nullptr);
        const AVRational tb = clip_->timeBase_;
        const std::int64_t step = rate.num > 0 ? std::max<std::int64_t>(1, av_rescale_q(1, av_inv_q(rate), tb)) : 1;
        decoder.decodeAll(*input_, clip_->videoStream_, [&](const AVFrame& f) {
            cancel_.check();
            std::int64_t pts = f.best_effort_timestamp;
            if (!frames.empty() && (pts == AV_NOPTS_VALUE || pts <= frames.back().pts)) pts = frames.back().pts + step;
            if (pts == AV_NOPTS_VALUE) pts = 0;
            frames.push_back({pts, step, f.key_frame != 0, f.pkt_pos});
        });
    }

    // Many files tell it in their pictures only.
    void readMastering() {
        HdrData& told = clip_->facts_.video.mastering;
        told = hdrDataOf(*stream_);
        if (told.any()) return;
        input_ = openInput(path_);
        stream_ = input_->streams[clip_->videoStream_];
        PacketDecoder decoder(*stream_, path_, PacketDecoder::Threads::Single);
        const av::Packet packet(av_packet_alloc());
        bool shown = false;
        const auto look = [&](const AVFrame& f) {
            if (!std::exchange(shown, true)) told = hdrDataOf(f);
        };
        for (int i = 0; i < kPacketsForOne && !shown && av_read_frame(input_.get(), packet.get()) >= 0; ++i) {
            if (packet->stream_index == clip_->videoStream_) decoder.send(packet.get(), look);
            av_packet_unref(packet.get());
        }
        if (!shown) decoder.send(nullptr, look); // a clip of few frames
    }

    void finishTimes() {
        auto& frames = clip_->frames_;
        VideoFacts& v = clip_->facts_.video;
        const AVRational tb = clip_->timeBase_;
        const AVRational rate = av_guess_frame_rate(input_.get(), stream_, nullptr);
        std::int64_t typical = rate.num > 0 && rate.den > 0 ? av_rescale_q(1, av_inv_q(rate), tb) : 0;
        const std::int64_t span = frames.back().pts - frames.front().pts;
        if (frames.size() > 1)
            typical = std::max<std::int64_t>(1, std::llround(double(span) / double(frames.size() - 1)));
        if (typical <= 0) typical = std::max<std::int64_t>(1, av_rescale_q(1, {1, 25}, tb));
        std::int64_t shortest = INT64_MAX, longest = 0;
        for (std::size_t i = 0; i + 1 < frames.size(); ++i) {
            frames[i].duration = frames[i + 1].pts - frames[i].pts;
            shortest = std::min(shortest, frames[i].duration);
            longest = std::max(longest, frames[i].duration);
        }
        FrameTime& last = frames.back();
        if (last.duration <= 0 || last.duration > 10 * typical) last.duration = typical;
        const double seconds = double(span + last.duration) * av_q2d(tb);
        v.frames = clip_->frameCount();
        v.fps = frames.size() > 1 ? double(frames.size()) / seconds : (rate.num > 0 ? av_q2d(rate) : 1.0 / seconds);
        // Averages of rounded timestamps land a hair off the nominal rate: prefer that where it fits.
        if (rate.num > 0 && std::abs(av_q2d(rate) / v.fps - 1) < 0.002) v.fps = av_q2d(rate);
        const std::int64_t rounding = std::max<std::int64_t>(1, static_cast<std::int64_t>(0.0011 / av_q2d(tb)));
        v.variableRate = frames.size() > 2 && longest - shortest > 2 * rounding;
        clip_->facts_.duration = std::max(seconds, 1e-3);
        if (v.bitrate <= 0 && streamBytes_ > 0)
            v.bitrate = static_cast<std::int64_t>(double(streamBytes_) * 8 / seconds);
    }

    std::string path_;
    const CancelToken& cancel_;
    av::Input input_;
    AVStream* stream_ = nullptr;
    std::shared_ptr<Clip> clip_;
    std::int64_t streamBytes_ = 0;
    std::map<int, int> adtsKinds_; ///< by stream: what the first packet's header says
};

ClipPtr Clip::open(const std::string& path, const CancelToken& cancel) {
    return guarded(path, [&] { return ClipOpener(path, cancel).open(); });
}

ClipPtr Clip::openVideo(const std::string& path, const CancelToken& cancel) {
    ClipPtr clip = open(path, cancel);
    if (!clip->facts().hasVideo) refuse(path, "it holds sound but no pictures", "Choose a video file.");
    return clip;
}

bool Clip::wasRewritten() const {
    const FileState now = FileState::of(path_);
    return now.isThere() && now != state_;
}

double Clip::secondsAt(std::int64_t n) const {
    const auto& first = frames_.front();
    if (n >= frameCount()) return double(frames_.back().pts + frames_.back().duration - first.pts) * av_q2d(timeBase_);
    return double(frames_[std::max<std::int64_t>(0, n)].pts - first.pts) * av_q2d(timeBase_);
}

double Clip::fileSecondsAt(std::int64_t n) const {
    return double(frames_[static_cast<std::size_t>(n)].pts) * av_q2d(timeBase_);
}

std::int64_t Clip::frameAt(double seconds) const {
    // Half a microsecond of slack: "0.04" must name the frame that starts at 0.04.
    const double pts = double(frames_.front().pts) + (seconds + 5e-7) / av_q2d(timeBase_);
    const auto after = std::ranges::upper_bound(frames_, pts, {}, [](const FrameTime& f) { return double(f.pts); });
    return std::clamp<std::int64_t>(after - frames_.begin() - 1, 0, frameCount() - 1);
}

std::int64_t Clip::indexOfPts(std::int64_t pts) const {
    const auto it = std::ranges::lower_bound(frames_, pts, {}, &FrameTime::pts);
    return it != frames_.end() && it->pts == pts ? it - frames_.begin() : -1;
}

std::int64_t Clip::indexOfPosition(std::int64_t position) const {
    const auto it = std::ranges::find(frames_, position, &FrameTime::position);
    return position >= 0 && it != frames_.end() ? it - frames_.begin() : -1;
}

} // namespace ulm
