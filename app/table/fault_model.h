#pragma once

#include "app/live/delivery_model.h"
#include "app/tasks/background.h"

#include <QTimer>
#include <functional>

namespace ulm::app {

/// One fault over the whole frame, before and after Clean, for the overlay.
struct FaultView {
    QString key;             ///< a reading's, or "face", "text", "overlay", "overdone", "paths"
    bool mapped = false;     ///< it lies somewhere: there are maps
    double from = 0, to = 1; ///< readings between which its heat runs
    FaultMap before, after;  ///< upright source pixels
    double readingBefore = 0, readingAfter = 0;
    std::optional<Picture> paths; ///< of "paths": see pathsAt()
    std::vector<Mark> marks;      ///< for what has boxes instead of a map
    bool fresh = false;
};

/// Keeps the overlay on the viewing table up to date.
class FaultModel : public QObject {
    Q_OBJECT
public:
    /// busy: whether spots or table are still being computed; the overlay reads what they have.
    FaultModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent = nullptr);

    /// Shows a fault over the picture; empty: none.
    void show(const QString& key);
    const QString& key() const { return key_; }
    const FaultView& view() const { return view_; }
    void setPlaying(bool playing) { playing_ = playing; }

signals:
    void updated();

private:
    void refresh();
    void stale(int wait);
    FaultView look(const DeliveryPtr& d, std::int64_t stage, FaultView view, const CancelToken& cancel);
    void showOverdone(const Delivery& d, std::int64_t stage, const CancelToken& cancel, FaultView& view);

    Project& project_;
    DeliveryModel& deliveries_;
    std::function<bool()> busy_;
    bool playing_ = false;
    QString key_;
    FaultView view_;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_; // last: it ends before what it uses
};

} // namespace ulm::app
