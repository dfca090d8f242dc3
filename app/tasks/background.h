#pragma once

#include "core/engine/cancel.h"

#include <QObject>
#include <QPointer>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace ulm::app {

/// One thread that always works on the newest job: submitting cancels the one that runs and replaces the one that
/// waits.
class LatestWorker {
public:
    using Job = std::function<void(const CancelToken&)>;
    /// `niceness` of its thread, [0, 19]: higher gives way to the window and to lower ones.
    explicit LatestWorker(int niceness = 4);
    ~LatestWorker();
    void submit(Job job);
    /// Cancels what runs and forgets what waits; true where a job waited, which now never runs.
    bool stop();
    bool busy() const;

private:
    void loop();
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::optional<Job> next_;
    CancelToken running_;
    bool working_ = false, ending_ = false;
    std::thread thread_;
};

/// What is done with an exception that no job caught; called on the interface thread. One at a time, for all.
void onUncaught(std::function<void(const Error&)> tell);

/// Runs `then` on the interface thread, if `context` still lives by then. Callable from any thread.
void onInterface(const QPointer<QObject>& context, std::function<void()> then);

/// Runs `work` off the interface thread. Long work, and thumbnails, which take memory, queue up behind their like, so
/// they never delay quick work.
enum class Lane { Quick, Long, Thumbnails };
void inBackground(Lane lane, std::function<void()> work);
/// Waits for everything started by inBackground(): call before the application object goes.
void finishBackground();

} // namespace ulm::app
