#include "core/media/decoder.h"

#include "core/engine/work_plan.h"

#include <algorithm>

namespace ulm {

PacketDecoder::PacketDecoder(const AVStream& stream, const std::string& path, Threads threads)
    : frame_(av_frame_alloc()) {
    const AVCodec* codec = avcodec_find_decoder(stream.codecpar->codec_id);
    codec_.reset(codec ? avcodec_alloc_context3(codec) : nullptr);
    const auto fail = [&](const std::string& why) {
        throw Error(Fault::Input, path,
                    std::string("its ") + avcodec_get_name(stream.codecpar->codec_id) + " stream cannot be decoded (" +
                        why + ")",
                    "Export it again as H.264, for instance.");
    };
    if (!codec_) fail("no decoder");
    if (const int e = avcodec_parameters_to_context(codec_.get(), stream.codecpar); e < 0) fail(av::errorText(e));
    codec_->pkt_timebase = stream.time_base;
    codec_->max_pixels = std::int64_t(16384) * 16384;
    // Most H.264 has one slice a picture: a single frame, too, is soonest there when those on the way to it are decoded
    // side by side. H.265's rows are decoded so by its slices' threads.
    const bool few = threads == Threads::Single && codec->id == AV_CODEC_ID_H264;
    codec_->thread_count = few ? std::min(workPlan().cores, 4) : workPlan().cores; // each holds pictures
    codec_->thread_type = threads == Threads::Frames || few ? FF_THREAD_FRAME | FF_THREAD_SLICE : FF_THREAD_SLICE;
    codec_->flags |= AV_CODEC_FLAG_OUTPUT_CORRUPT; // show what there is; the damage is counted and told
    codec_->export_side_data |= AV_CODEC_EXPORT_DATA_VIDEO_ENC_PARAMS; // for meanQuantiser()
    if (const int e = avcodec_open2(codec_.get(), codec, nullptr); e < 0) fail(av::errorText(e));
}

void PacketDecoder::drainReady(const OnFrame& onFrame) {
    while (avcodec_receive_frame(codec_.get(), frame_.get()) >= 0) {
        onFrame(*frame_);
        av_frame_unref(frame_.get());
    }
}

void PacketDecoder::leaveOutUnused(bool on) { codec_->skip_frame = on ? AVDISCARD_NONREF : AVDISCARD_DEFAULT; }

void PacketDecoder::send(const AVPacket* packet, const OnFrame& onFrame) {
    if (avcodec_send_packet(codec_.get(), packet) == AVERROR(EAGAIN)) {
        drainReady(onFrame);
        avcodec_send_packet(codec_.get(), packet);
    }
    drainReady(onFrame);
}

void PacketDecoder::decodeAll(AVFormatContext& input, int stream, const OnFrame& onFrame) {
    av::Packet packet(av_packet_alloc());
    while (av_read_frame(&input, packet.get()) >= 0) {
        if (packet->stream_index == stream) send(packet.get(), onFrame);
        av_packet_unref(packet.get());
    }
    send(nullptr, onFrame);
}

void PacketDecoder::flush() { avcodec_flush_buffers(codec_.get()); }

FrameReader::FrameReader(ClipPtr clip, PacketDecoder::Threads threads, std::size_t budgetBytes)
    : clip_(std::move(clip)), threads_(threads), budget_(budgetBytes) {}

void FrameReader::open() {
    decoder_.reset(); // before the input it reads from
    input_ = openInput(clip_->path());
    const auto stream = static_cast<unsigned>(clip_->videoStream());
    if (stream >= input_->nb_streams || input_->streams[stream]->codecpar->codec_type != AVMEDIA_TYPE_VIDEO)
        throw Error(Fault::Input, clip_->path(), "it changed since it was opened", "Open it again.");
    for (unsigned i = 0; i < input_->nb_streams; ++i)
        if (i != stream) input_->streams[i]->discard = AVDISCARD_ALL;
    decoder_ = std::make_unique<PacketDecoder>(*input_->streams[stream], clip_->path(), threads_);
    restarted(true);
}

void FrameReader::restarted(bool atStart) {
    reached_ = -1;
    whole_ = 0;
    fromStart_ = atStart;
    first_ = 0;
    ended_ = false;
    last_.reset();
}

std::int64_t FrameReader::keyOf(std::int64_t n) const {
    while (n > 0 && !clip_->frames()[n].key) --n;
    return std::max<std::int64_t>(n, 0);
}

// What holds for all pictures may be told beside the first one only: which build of x264 made them, on which decoding
// some of 4:4:4 depends.
void FrameReader::lookAtFirst() {
    const av::Packet packet(av_packet_alloc());
    bool sent = false;
    while (!sent && av_read_frame(input_.get(), packet.get()) >= 0) {
        sent = packet->stream_index == clip_->videoStream();
        if (sent) decoder_->send(packet.get(), [](AVFrame&) {});
        av_packet_unref(packet.get());
    }
}

void FrameReader::seekTo(std::int64_t key) {
    const bool fresh = !decoder_;
    if (fresh) {
        open();
        if (key > 0) lookAtFirst();
    }
    if (key > 0 &&
        av_seek_frame(input_.get(), clip_->videoStream(), clip_->frames()[key].pts, AVSEEK_FLAG_BACKWARD) >= 0) {
        decoder_->flush();
        restarted(false);
        first_ = key;
    } else if (key > 0 || !fresh) {
        open();
    }
}

namespace {

// H.265's and others' unused pictures may serve those of a higher layer; a field may be unused and its other one not.
bool leavesOutExactly(const Clip& clip) {
    const VideoFacts& v = clip.facts().video;
    return (v.codec == "h264" || v.codec == "mpeg4" || v.codec == "mpeg2video") && !v.interlaced &&
           !clip.indexedByPosition();
}

} // namespace

void FrameReader::take(AVFrame& frame) {
    std::int64_t index = clip_->indexedByPosition() ? clip_->indexOfPosition(frame.pkt_pos)
                                                    : clip_->indexOfPts(frame.best_effort_timestamp);
    // Small pictures that share a packet of an MPEG stream have no place of their own: they follow the one before.
    if (clip_->indexedByPosition() && frame.pkt_pos < 0 && (reached_ >= 0 || fromStart_)) index = reached_ + 1;
    if (index < 0 || frame.width <= 0 || frame.height <= 0) return; // not one of the shown frames
    if (index < first_) return; // shown before the key frame, and made from pictures that were not decoded
    const bool damaged = frame.decode_error_flags != 0 || (frame.flags & AV_FRAME_FLAG_CORRUPT);
    av::Frame copy(av_frame_alloc());
    av_frame_move_ref(copy.get(), &frame);
    const av::SharedFrame shared(copy.release(), [](const AVFrame* f) {
        AVFrame* p = const_cast<AVFrame*>(f);
        av_frame_free(&p);
    });
    // Frames that never came out between the last one and this one are shown as the last one.
    if ((reached_ >= 0 || fromStart_) && reached_ + 1 >= whole_)
        for (std::int64_t missing = reached_ + 1; missing < index; ++missing)
            keep(missing, {last_ ? last_ : shared, true});
    keep(index, {shared, damaged});
    last_ = shared;
    reached_ = std::max(reached_, index);
}

void FrameReader::keep(std::int64_t index, const DecodedFrame& frame) {
    if (frame.lost) lost_.insert(index);
    std::size_t bytes = 0;
    for (const AVBufferRef* b : frame.picture->buf)
        if (b) bytes += static_cast<std::size_t>(b->size);
    kept_.push_front({index, frame, bytes, index == wanted_});
    bytes_ += bytes;
    while (bytes_ > budget_ && kept_.size() > 4) {
        // Single pictures are asked for again, as a slider moves; of others that came out the last few may be.
        constexpr auto kFew = 4;
        const auto last = std::prev(kept_.end());
        auto oldest = last->index == wanted_ ? std::prev(last) : last;
        if (threads_ == PacketDecoder::Threads::Single)
            for (auto k = std::next(kept_.begin(), kFew); k != kept_.end(); ++k)
                if (!k->asked) oldest = k;
        bytes_ -= oldest->bytes;
        kept_.erase(oldest);
    }
}

const FrameReader::Kept* FrameReader::kept(std::int64_t n) {
    const auto it = std::ranges::find(kept_, n, &Kept::index);
    if (it == kept_.end()) return nullptr;
    kept_.splice(kept_.begin(), kept_, it);
    it->asked = true;
    return &*it;
}

// The last few before it are decoded all the same: people step back.
bool FrameReader::isOnTheWay(const AVPacket& packet) const {
    constexpr std::int64_t kNear = 8;
    if (!mayLeaveOut_ || packet.pts == AV_NOPTS_VALUE) return false;
    const std::int64_t index = clip_->indexOfPts(packet.pts);
    return index >= 0 && index + kNear < wanted_;
}

bool FrameReader::decodeMore() {
    if (ended_) return false;
    av::Packet packet(av_packet_alloc());
    const auto onFrame = [this](AVFrame& f) { take(f); };
    if (av_read_frame(input_.get(), packet.get()) < 0) {
        ended_ = true;
        decoder_->send(nullptr, onFrame);
    } else if (packet->stream_index == clip_->videoStream()) {
        const bool unused = isOnTheWay(*packet);
        if (unused) whole_ = std::max(whole_, clip_->indexOfPts(packet->pts) + 1);
        decoder_->leaveOutUnused(unused);
        decoder_->send(packet.get(), onFrame);
    }
    return true;
}

DecodedFrame FrameReader::frame(std::int64_t n, const CancelToken& cancel) {
    std::lock_guard lock(mutex_);
    if (const Kept* k = kept(n)) return k->frame;
    if (n <= end_) {
        wanted_ = n;
        std::int64_t key = keyOf(n);
        // Going on is cheaper than going back to a key frame that lies behind what was reached already.
        if (!decoder_ || ended_ || reached_ >= n || (reached_ < 0 && !fromStart_) || key > reached_ + 1) seekTo(key);
        mayLeaveOut_ = leavesOutExactly(*clip_);
        for (int back = 1;; back *= 4) {
            while (reached_ < n && decodeMore()) cancel.check();
            if (const Kept* k = kept(n)) return k->frame;
            if (whole_ > 0) { // it never came: what stands for it may have been left out
                mayLeaveOut_ = false;
                seekTo(key);
                continue;
            }
            if (fromStart_ || (ended_ && reached_ >= 0 && reached_ < n)) break;
            // The container's seek landed late, or on pictures that cannot be placed: from further and further back.
            for (int k = 0; k < back && key > 0; ++k) key = keyOf(key - 1);
            seekTo(key);
        }
        if (!last_)
            throw Error(Fault::Input, clip_->path(), "none of its pictures can be decoded",
                        "The file is damaged: copy or export it again.");
        end_ = reached_;
        final_ = last_;
    }
    keep(n, {final_, true}); // the clip's tail is missing: hold its last picture
    return {final_, true};
}

void FrameReader::rest() {
    const std::unique_lock lock(mutex_, std::try_to_lock);
    if (!lock) return;
    decoder_.reset();
    input_.reset();
    restarted(false);
    kept_.clear();
    bytes_ = 0;
    end_ = std::numeric_limits<std::int64_t>::max();
    final_.reset();
}

std::int64_t FrameReader::lostFrames() const {
    std::lock_guard lock(mutex_);
    return static_cast<std::int64_t>(lost_.size());
}

} // namespace ulm
