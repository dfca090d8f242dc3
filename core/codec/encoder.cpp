#include "core/codec/encoder.h"

#include "core/base/aside.h"

#include <chrono>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <new>

namespace ulm {
namespace {

constexpr std::size_t kMostWaiting = 1; // pictures, beside those that the library holds
constexpr auto kLook = std::chrono::milliseconds(20);

[[noreturn]] void fail(const std::string& why) {
    throw Error(Fault::Output, "", "the encoder failed (" + why + ")",
                "Try once more; if it fails again, choose another size or quality.");
}

} // namespace

struct Encoder::Work {
    av::Codec codec;
    std::mutex mutex;
    std::condition_variable changed;
    std::deque<av::Frame> pictures; ///< not yet taken by the library; null: there are no more
    std::deque<av::Packet> packets; ///< not yet handed out
    std::exception_ptr error;
    bool done = false, givenUp = false, leftBehind = false;

    void receive() {
        for (;;) {
            av::Packet packet(av_packet_alloc());
            if (!packet) throw std::bad_alloc();
            const int e = avcodec_receive_packet(codec.get(), packet.get());
            if (e == AVERROR(EAGAIN) || e == AVERROR_EOF) return;
            if (e < 0) fail(av::errorText(e));
            const std::lock_guard lock(mutex);
            packets.push_back(std::move(packet));
            changed.notify_all();
            if (givenUp) return;
        }
    }

    void encode(const AVFrame* picture) {
        int e = avcodec_send_frame(codec.get(), picture);
        if (e == AVERROR(EAGAIN)) {
            receive();
            e = avcodec_send_frame(codec.get(), picture);
        }
        if (e < 0 && e != AVERROR_EOF) fail(av::errorText(e));
        receive();
    }

    void run() {
        try {
            for (bool last = false; !last;) {
                std::unique_lock lock(mutex);
                changed.wait(lock, [this] { return givenUp || !pictures.empty(); });
                if (givenUp) break;
                const av::Frame picture = std::move(pictures.front());
                pictures.pop_front();
                last = !picture;
                changed.notify_all();
                lock.unlock();
                encode(picture.get());
            }
        } catch (...) {
            const std::lock_guard lock(mutex);
            error = std::current_exception();
        }
        const std::lock_guard lock(mutex);
        done = true;
        changed.notify_all();
    }
};

Encoder::Encoder(const VideoEncoding& e, bool globalHeader, const CancelToken& cancel)
    : work_(std::make_shared<Work>()), cancel_(cancel) {
    work_->codec = videoCodec(e.codec).open(e, globalHeader);
    thread_ = std::thread([work = work_]() mutable {
        work->run();
        if (std::unique_lock lock(work->mutex); work->leftBehind) {
            lock.unlock();
            work->codec.reset(); // this is what takes long
            leftBehindEnded();
        }
    });
}

Encoder::~Encoder() {
    std::unique_lock lock(work_->mutex);
    if (!work_->done) {
        work_->givenUp = true;
        work_->changed.notify_all();
        if (mayLeaveBehind()) {
            work_->leftBehind = true;
            thread_.detach();
            return;
        }
    }
    lock.unlock();
    thread_.join();
}

const AVCodecContext& Encoder::context() const { return *work_->codec; }

void Encoder::takePackets(const OnPacket& onPacket) {
    std::deque<av::Packet> ready;
    {
        const std::lock_guard lock(work_->mutex);
        ready.swap(work_->packets);
    }
    for (const av::Packet& p : ready) {
        ++given_;
        onPacket(*p);
    }
}

void Encoder::put(av::Frame picture, const OnPacket& onPacket) {
    Work& w = *work_;
    const bool last = !picture;
    std::unique_lock lock(w.mutex);
    if (w.done && !w.error) fail("it had been ended before");
    w.pictures.push_back(std::move(picture));
    w.changed.notify_all();
    const auto ready = [&] { return w.done || !w.packets.empty() || (!last && w.pictures.size() <= kMostWaiting); };
    do {
        while (!w.changed.wait_for(lock, kLook, ready)) cancel_.check();
        const bool more = !w.done && (last || w.pictures.size() > kMostWaiting);
        lock.unlock();
        takePackets(onPacket);
        lock.lock();
        if (w.error) std::rethrow_exception(w.error);
        if (!more) break;
    } while (true);
}

void Encoder::send(const AVFrame& picture, std::int64_t pts, const OnPacket& onPacket) {
    av::Frame f(av_frame_clone(&picture));
    if (!f) throw std::bad_alloc();
    f->pts = pts;
    f->pict_type = AV_PICTURE_TYPE_NONE; // the source's own kinds of picture are not asked for again
    ++taken_;
    put(std::move(f), onPacket);
}

void Encoder::finish(const OnPacket& onPacket) {
    put(nullptr, onPacket);
    if (given_ != taken_) fail("it gave " + std::to_string(given_) + " pictures back of " + std::to_string(taken_));
}

} // namespace ulm
