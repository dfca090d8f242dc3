#pragma once

#include "app/project/project.h"
#include "app/tasks/background.h"
#include "core/media/sound_reader.h"

#include <QElapsedTimer>
#include <QImage>
#include <QTimer>

class QAudioSink;
class QBuffer;

namespace ulm::app {

/// Plays the current clip's original, with its sound, from the playhead. Without a sound device the pictures still run,
/// by the wall clock. Pictures that come too late are left out.
class Player : public QObject {
    Q_OBJECT
public:
    explicit Player(Project& project, QObject* parent = nullptr);
    ~Player() override;
    bool playing() const { return playing_; }
    void play();
    void pause();
    void toggle() { playing_ ? pause() : play(); }

signals:
    void picture(const QImage& source); ///< null: nothing plays any more
    void stateChanged(bool playing);

private:
    double now() const;
    void startSound(std::shared_ptr<PlainSound> sound, double from);
    void stopSound();

    Project& project_;
    bool playing_ = false;
    std::uint64_t round_ = 0;
    double startedAt_ = 0; ///< clip seconds
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
