#pragma once

#include "app/reel/result_reel.h"
#include "app/tasks/background.h"
#include "core/media/sound_reader.h"

#include <QElapsedTimer>
#include <QImage>
#include <QTimer>

class QAudioSink;
class QBuffer;

namespace ulm::app {

/// Plays the current clip from the playhead: its original with its sound at full rate, or what has been rendered of the
/// result; or shuttles through the original at several times its speed, either way, without sound. Without a sound
/// device the pictures still run, by the wall clock. Pictures that come too late are left out.
class Player : public QObject {
    Q_OBJECT
public:
    Player(Project& project, const ResultReel& reel, QObject* parent = nullptr);
    ~Player() override;
    bool playing() const { return playing_; }
    void play();
    void playResult();
    /// Direction 1 or −1: each call in the same direction doubles the speed, up to eight times.
    void shuttle(int direction);
    double speed() const { return playing_ ? speed_ : 0; }
    void pause();
    void toggle() { playing_ ? pause() : play(); }

signals:
    /// Null: nothing plays any more. `delivered`: a rendered result, else an upright source picture.
    void picture(const QImage& picture, bool delivered, const QString& words);
    void stateChanged(bool playing);

private:
    enum class Of { Original, Result };
    void begin(Of of, double speed);
    void startPictures();
    void startSoundSoon();
    void showResult(double movie);
    double now() const; ///< of the clip; of the movie where the result plays
    double clipNow() const;
    void startSound(std::shared_ptr<PlainSound> sound, double from);
    void stopSound();

    Project& project_;
    const ResultReel& reel_;
    bool playing_ = false;
    Of of_ = Of::Original;
    double speed_ = 1;
    QImage last_;
    std::uint64_t round_ = 0;
    double startedAt_ = 0; ///< as now()
    QElapsedTimer clock_;
    std::atomic<double> shared_{0}; ///< now(), for the decoding thread
    QTimer tick_;
    std::unique_ptr<QAudioSink> sink_;
    std::unique_ptr<QBuffer> buffer_;
    QByteArray bytes_;
    std::shared_ptr<PlainSound> sound_;
    QString soundOf_;
    LatestWorker worker_;
};

} // namespace ulm::app
