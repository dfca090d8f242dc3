#pragma once

#include "core/media/clip.h"

#include <functional>
#include <limits>
#include <list>
#include <mutex>
#include <set>

namespace ulm {

/// A libav* decoder for one stream; faulty packets are skipped.
class PacketDecoder {
public:
    /// Frames: highest rate in order. Single: shortest wait for a single frame.
    enum class Threads { Frames, Single };
    PacketDecoder(const AVStream& stream, const std::string& path, Threads threads);

    using OnFrame = std::function<void(AVFrame&)>;
    /// From the next packet on, leaves out pictures that no other one is made from.
    void leaveOutUnused(bool on);
    /// Feeds one packet; null drains. Calls `onFrame` for each frame that comes out.
    void send(const AVPacket* packet, const OnFrame& onFrame);
    /// Reads `input` to its end, then drains.
    void decodeAll(AVFormatContext& input, int stream, const OnFrame& onFrame);
    void flush();

private:
    void drainReady(const OnFrame& onFrame);
    av::Codec codec_;
    av::Frame frame_;
};

/// What came of asking for a frame.
struct DecodedFrame {
    av::SharedFrame picture;
    bool lost = false; ///< the frame itself could not be decoded: `picture` is the nearest one before it (or after)
};

/// Frame-exact access to a clip's pictures: in order without a seek, anywhere else by the nearest key frame before,
/// the first time, too. On the way from there what no other picture is made from is left out where that is exact.
/// Keeps frames within a budget: the newest, and where Single ones are asked for, those longest. Thread safe (calls
/// queue up).
class FrameReader {
public:
    FrameReader(ClipPtr clip, PacketDecoder::Threads threads, std::size_t budgetBytes);
    /// n in [0, frameCount()). Errors: Fault::Input where nothing can be decoded at all. Throws Cancelled.
    DecodedFrame frame(std::int64_t n, const CancelToken& cancel);
    /// Lets go of decoder, file and pictures; the next frame() opens them again. Does nothing while a frame is asked
    /// for.
    void rest();
    const Clip& clip() const { return *clip_; }
    const ClipPtr& sharedClip() const { return clip_; }
    /// Frames asked for so far that could not be decoded, or came out damaged.
    std::int64_t lostFrames() const;

private:
    struct Kept {
        std::int64_t index;
        DecodedFrame frame;
        std::size_t bytes;
        bool asked = false; ///< for; others came out on the way
    };
    void open();
    void restarted(bool atStart);
    bool isOnTheWay(const AVPacket& packet) const; ///< to the wanted one, and no other is made from it
    std::int64_t keyOf(std::int64_t n) const;      ///< the key frame from which on it can be decoded
    void seekTo(std::int64_t key);
    void lookAtFirst();
    bool decodeMore();
    void take(AVFrame& frame);
    void keep(std::int64_t index, const DecodedFrame& frame);
    const Kept* kept(std::int64_t n);

    ClipPtr clip_;
    PacketDecoder::Threads threads_;
    std::size_t budget_, bytes_ = 0;
    mutable std::mutex mutex_;
    av::Input input_;
    std::unique_ptr<PacketDecoder> decoder_;
    std::int64_t first_ = 0; ///< the key frame that was sought: what is shown before it is not whole
    std::int64_t wanted_ = -1;
    std::int64_t reached_ = -1; ///< highest index that came out since the last seek; −1 none
    std::int64_t whole_ = 0;    ///< from here on nothing was left out since the last seek
    bool mayLeaveOut_ = false;  ///< pictures on the way; false where that is not exact
    bool ended_ = false;
    bool fromStart_ = false; ///< decoding began at the first packet, so nothing before was skipped
    std::set<std::int64_t> lost_;
    av::SharedFrame last_;
    std::int64_t end_ = std::numeric_limits<std::int64_t>::max(); ///< the last one that comes out, once it is known
    av::SharedFrame final_;                                       ///< its picture
    std::list<Kept> kept_;                                        ///< newest use first
};

} // namespace ulm
