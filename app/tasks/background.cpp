#include "app/tasks/background.h"

#include <QCoreApplication>
#include <QThreadPool>
#include <sys/resource.h>

namespace ulm::app {

namespace {

std::mutex uncaughtMutex;
std::function<void(const Error&)> uncaught;

// The last boundary: a job that throws what nobody foresaw is told, and its thread goes on.
void runGuarded(const std::function<void()>& job) {
    try {
        guarded("", job);
    } catch (const Cancelled&) { // a newer job waits
    } catch (const Error& e) {
        QCoreApplication* app = QCoreApplication::instance();
        if (!app) return;
        QMetaObject::invokeMethod(
            app,
            [e] {
                std::lock_guard lock(uncaughtMutex);
                if (uncaught) uncaught(e);
            },
            Qt::QueuedConnection);
    }
}

// Work gives way to the window: on Linux each thread has a niceness of its own, and those it starts inherit it.
void giveWay(int niceness) { setpriority(PRIO_PROCESS, 0, niceness); }

} // namespace

LatestWorker::LatestWorker(int niceness)
    : thread_([this, niceness] {
          giveWay(niceness);
          loop();
      }) {}

LatestWorker::~LatestWorker() {
    {
        std::lock_guard lock(mutex_);
        ending_ = true;
        next_.reset();
        running_.cancel();
    }
    wake_.notify_all();
    thread_.join();
}

void LatestWorker::submit(Job job) {
    {
        std::lock_guard lock(mutex_);
        running_.cancel();
        next_ = std::move(job);
    }
    wake_.notify_all();
}

bool LatestWorker::stop() {
    std::lock_guard lock(mutex_);
    const bool waited = next_.has_value();
    next_.reset();
    running_.cancel();
    return waited;
}

bool LatestWorker::busy() const {
    std::lock_guard lock(mutex_);
    return working_ || next_.has_value();
}

void LatestWorker::loop() {
    for (;;) {
        Job job;
        CancelToken token;
        {
            std::unique_lock lock(mutex_);
            working_ = false;
            wake_.wait(lock, [&] { return ending_ || next_; });
            if (ending_) return;
            job = std::move(*next_);
            next_.reset();
            running_ = token;
            working_ = true;
        }
        runGuarded([&] { job(token); });
    }
}

void onUncaught(std::function<void(const Error&)> tell) {
    std::lock_guard lock(uncaughtMutex);
    uncaught = std::move(tell);
}

void onInterface(const QPointer<QObject>& context, std::function<void()> then) {
    QCoreApplication* app = QCoreApplication::instance();
    if (!app) return;
    QMetaObject::invokeMethod(
        app,
        [context, then = std::move(then)] {
            if (context) then();
        },
        Qt::QueuedConnection);
}

namespace {

QThreadPool& pool(Lane lane) {
    static QThreadPool quick, long_, thumbnails;
    quick.setMaxThreadCount(4);
    long_.setMaxThreadCount(1);
    thumbnails.setMaxThreadCount(1);
    return lane == Lane::Quick ? quick : lane == Lane::Long ? long_ : thumbnails;
}

} // namespace

void inBackground(Lane lane, std::function<void()> work) {
    pool(lane).start([work = std::move(work), lane] {
        giveWay(lane == Lane::Long ? 8 : 4);
        runGuarded(work);
    });
}

void finishBackground() {
    pool(Lane::Long).waitForDone();
    pool(Lane::Thumbnails).waitForDone();
    pool(Lane::Quick).waitForDone();
}

} // namespace ulm::app
