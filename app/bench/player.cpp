#include "app/bench/player.h"

#include "app/tasks/image.h"
#include "core/pipeline/pipeline.h"

#include <QAudioDevice>
#include <QAudioSink>
#include <QBuffer>
#include <QMediaDevices>
#include <cmath>

namespace ulm::app {
namespace {
constexpr double kMostSound = 600; // seconds kept in memory: 115 MB
}

Player::Player(Project& project, QObject* parent) : QObject(parent), project_(project) {
    tick_.setInterval(10);
    connect(&tick_, &QTimer::timeout, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (!c || !c->clip) return pause();
        const double t = now();
        shared_ = t;
        if (t >= c->clip->secondsAt(c->clip->frameCount())) {
            project_.setPlayhead(c->clip->frameCount() - 1);
            return pause();
        }
        project_.setPlayhead(c->clip->frameAt(t));
    });
    connect(&project_, &Project::currentChanged, this, &Player::pause);
}

Player::~Player() { stopSound(); }

double Player::now() const { return startedAt_ + double(clock_.elapsed()) / 1000; }

void Player::play() {
    ClipEntry* c = project_.currentClip();
    if (playing_ || !c || !c->clip) return;
    if (c->playhead >= c->clip->frameCount() - 1) project_.setPlayhead(0);
    playing_ = true;
    startedAt_ = c->clip->secondsAt(c->playhead);
    shared_ = startedAt_;
    clock_.start();
    tick_.start();
    Q_EMIT stateChanged(true);
    if (sound_ && soundOf_ == c->path)
        startSound(sound_, startedAt_);
    else {
        const QPointer<QObject> self(this);
        inBackground(Lane::Quick, [this, self, path = c->path] {
            auto sound = std::make_shared<PlainSound>();
            try {
                *sound = readSound(path.toStdString(), kMostSound, {});
            } catch (const Error&) { // silent then; opening the clip told what is wrong
            }
            onInterface(self, [=, this] {
                sound_ = sound;
                soundOf_ = path;
                const ClipEntry* now_ = project_.currentClip();
                if (playing_ && now_ && now_->path == path) startSound(sound, now());
            });
        });
    }
    const std::uint64_t round = ++round_;
    const QPointer<QObject> self(this);
    worker_.submit([this, self, round, clip = c->clip, first = c->playhead](const CancelToken& cancel) {
        try {
            const auto source = std::make_shared<SourceStage>(
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(24) << 20));
            const StagePtr rgb = asRgb(source);
            Engine once(0);
            const bool large = source->format().width * source->format().height > 1300 * 1300;
            for (std::int64_t n = first; n < clip->frameCount(); ++n) {
                cancel.check();
                const double due = clip->secondsAt(n), ends = clip->secondsAt(n + 1);
                if (ends < shared_) { // late: only keep decoding
                    source->reader().frame(n, cancel);
                    continue;
                }
                QImage image = toImage(once.pull(*rgb, n, source->format().frame(), cancel));
                if (large) image = image.scaled(image.size() / 2);
                while (shared_ < due - 0.02) {
                    cancel.check();
                    std::this_thread::sleep_for(std::chrono::milliseconds(4));
                }
                onInterface(self, [=, this] {
                    if (playing_ && round == round_) Q_EMIT picture(image);
                });
            }
        } catch (const Error&) { // cancelled, or nothing left to decode
        }
    });
}

void Player::pause() {
    if (!playing_) return;
    playing_ = false;
    ++round_;
    tick_.stop();
    worker_.stop();
    stopSound();
    Q_EMIT picture({});
    Q_EMIT stateChanged(false);
}

void Player::startSound(std::shared_ptr<PlainSound> sound, double from) {
    stopSound();
    const ClipEntry* c = project_.currentClip();
    const QAudioDevice device = QMediaDevices::defaultAudioOutput();
    if (sound->samples.empty() || device.isNull() || !c || !c->clip) return;
    QAudioFormat format;
    format.setSampleRate(PlainSound::kRate);
    format.setChannelCount(2);
    format.setSampleFormat(QAudioFormat::Int16);
    // The pictures' zero on the file's clock, against that of the sound.
    const double zero = double(c->clip->frames().front().pts) * av_q2d(c->clip->timeBase());
    const double at = from + zero - sound->startsAt;
    const auto skip = static_cast<qsizetype>(std::max(0.0, at) * PlainSound::kRate) * 4;
    const auto all = static_cast<qsizetype>(sound->samples.size() * 2);
    if (skip >= all) return;
    bytes_ = QByteArray::fromRawData(reinterpret_cast<const char*>(sound->samples.data()) + skip, all - skip);
    buffer_ = std::make_unique<QBuffer>(&bytes_);
    buffer_->open(QIODevice::ReadOnly);
    sink_ = std::make_unique<QAudioSink>(device, format);
    sink_->start(buffer_.get());
}

void Player::stopSound() {
    if (sink_) sink_->stop();
    sink_.reset();
    buffer_.reset();
}

} // namespace ulm::app
