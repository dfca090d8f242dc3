#include "app/table/player.h"

#include "app/tasks/image.h"
#include "core/pipeline/delivery.h"

#include <QAudioDevice>
#include <QAudioSink>
#include <QBuffer>
#include <QMediaDevices>
#include <cmath>

namespace ulm::app {
namespace {
constexpr double kMostSound = 600; // seconds kept in memory: 115 MB
}

Player::Player(Project& project, const ResultReel& reel, QObject* parent)
    : QObject(parent), project_(project), reel_(reel) {
    tick_.setInterval(10);
    connect(&tick_, &QTimer::timeout, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (!c || !c->clip) return pause();
        const double t = now();
        shared_ = t;
        if (of_ == Of::Result) return showResult(t);
        const bool over = t >= c->clip->secondsAt(c->clip->frameCount());
        if (over || t < 0) {
            project_.setPlayhead(over ? c->clip->frameCount() - 1 : 0);
            return pause();
        }
        project_.setPlayhead(c->clip->frameAt(t));
    });
    connect(&project_, &Project::currentChanged, this, &Player::pause);
}

Player::~Player() { stopSound(); }

double Player::now() const { return startedAt_ + speed_ * double(clock_.elapsed()) / 1000; }

double Player::clipNow() const { return of_ == Of::Result ? reel_.clipSeconds(now()) : now(); }

void Player::begin(Of of, double speed) {
    of_ = of;
    speed_ = speed;
    last_ = QImage();
    playing_ = true;
    startedAt_ = project_.currentClip()->clip->secondsAt(project_.currentClip()->playhead);
    shared_ = startedAt_;
    clock_.start();
    tick_.start();
    Q_EMIT stateChanged(true);
}

void Player::play() {
    const ClipEntry* c = project_.currentClip();
    if (playing_ || !c || !c->clip) return;
    if (c->playhead >= c->clip->frameCount() - 1) project_.setPlayhead(0);
    begin(Of::Original, 1);
    startSoundSoon();
    startPictures();
}

void Player::playResult() {
    const ClipEntry* c = project_.currentClip();
    if (playing_ || !c || !c->clip) return;
    begin(Of::Result, 1);
    startedAt_ = reel_.movieSeconds(startedAt_);
    if (reel_.indexAt(startedAt_) < 0) startedAt_ = 0;
    if (reel_.asFilmed()) startSoundSoon(); // sound at another speed is heard in the file only
    showResult(startedAt_);
}

void Player::shuttle(int direction) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    double speed = direction;
    if (playing_ && of_ == Of::Original && speed_ * direction > 0) speed = std::clamp(speed_ * 2, -8.0, 8.0);
    pause();
    if (speed == 1) return play();
    begin(Of::Original, speed);
    startPictures();
}

// What is rendered is shown; where nothing is yet, the last picture stays and the words say so. The end leads back to
// the beginning, so that a short stretch can be judged again and again.
void Player::showResult(double movie) {
    const std::int64_t index = reel_.indexAt(movie);
    const ClipEntry* c = project_.currentClip();
    if (index < 0) {
        startedAt_ = 0;
        clock_.restart();
        stopSound();
        if (reel_.asFilmed()) startSoundSoon();
        return;
    }
    project_.setPlayhead(c->clip->frameAt(reel_.clipSeconds(movie) + 1e-6));
    const QImage image = reel_.picture(static_cast<std::size_t>(index));
    if (!image.isNull()) last_ = image;
    if (last_.isNull()) { // nothing at all yet: a black picture that says so
        last_ = QImage(16, 16, QImage::Format_RGB32);
        last_.fill(Qt::black);
    }
    Q_EMIT picture(
        last_, true,
        image.isNull()
            ? tr("Playing the result: this frame is not rendered yet (%1 % are)").arg(std::lround(100 * reel_.share()))
            : tr("Playing the result"));
}

void Player::startSoundSoon() {
    const ClipEntry* c = project_.currentClip();
    if (sound_ && soundOf_ == c->identity()) return startSound(sound_, clipNow());
    const QPointer<QObject> self(this);
    inBackground(Lane::Quick, [this, self, path = c->path, of = c->identity()] {
        auto sound = std::make_shared<PlainSound>();
        try {
            *sound = readSound(path.toStdString(), kMostSound, {});
        } catch (const Error&) { // silent then; opening the clip told what is wrong
        }
        onInterface(self, [=, this] {
            sound_ = sound;
            soundOf_ = of;
            const ClipEntry* now_ = project_.currentClip();
            if (playing_ && speed_ == 1 && now_ && now_->identity() == of) startSound(sound, clipNow());
        });
    });
}

void Player::startPictures() {
    const ClipEntry* c = project_.currentClip();
    const std::uint64_t round = ++round_;
    const QPointer<QObject> self(this);
    const QString words_ =
        speed_ == 1 ? tr("Playing the original")
                    : tr("Original, %1×").arg(speed_ < 0 ? QString("−%1").arg(-speed_) : QString::number(speed_));
    worker_.submit(
        [this, self, round, words_, clip = c->clip, first = c->playhead, speed = speed_](const CancelToken& cancel) {
            try {
                const auto source = std::make_shared<SourceStage>(std::make_shared<FrameReader>(
                    clip, PacketDecoder::Threads::Frames, std::size_t(speed < 0 ? 160 : 24) << 20));
                const StagePtr rgb = asRgb(source);
                Engine once(0);
                const bool large = source->format().width * source->format().height > 1300 * 1300;
                const auto show = [&](std::int64_t n) {
                    QImage image = wholeImage(once, *rgb, n, cancel);
                    return large ? image.scaled(image.size() / 2) : image;
                };
                const auto tell = [&](const QImage& image) {
                    onInterface(self, [=, this] {
                        if (playing_ && round == round_) Q_EMIT picture(image, false, words_);
                    });
                };
                if (speed != 1) { // whatever frame is due by the time the last one was shown
                    for (std::int64_t last = -1;;) {
                        cancel.check();
                        const std::int64_t n = clip->frameAt(std::max(0.0, shared_.load()));
                        if (n == last)
                            std::this_thread::sleep_for(std::chrono::milliseconds(5));
                        else
                            tell(show(last = n));
                    }
                }
                for (std::int64_t n = first; n < clip->frameCount(); ++n) {
                    cancel.check();
                    const double due = clip->secondsAt(n), ends = clip->secondsAt(n + 1);
                    if (ends < shared_) { // late: only keep decoding
                        source->reader().frame(n, cancel);
                        continue;
                    }
                    const QImage image = show(n);
                    while (shared_ < due - 0.02) {
                        cancel.check();
                        std::this_thread::sleep_for(std::chrono::milliseconds(4));
                    }
                    tell(image);
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
    Q_EMIT picture({}, false, {});
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
    const double zero = c->clip->fileSecondsAt(0);
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
