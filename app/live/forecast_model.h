#pragma once

#include "app/live/delivery_model.h"
#include "app/tasks/background.h"
#include "core/deliver/size_plan.h"

#include <QTimer>
#include <functional>

namespace ulm::app {

/// Keeps size plans of the watched destinations up to date: a forecast a delivery, the one on the table first, in the
/// background, when what people look at is done.
class ForecastModel : public QObject {
    Q_OBJECT
public:
    /// busy: whether what people look at is still being computed.
    ForecastModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent = nullptr);

    /// By its own forecast, or until that is there by its first samples, or by one of another shape of the clip.
    SizePlan plan(const DeliveryPtr& d) const;
    /// The constant rate factor with which the delivery on the table would be encoded now.
    double plannedCrf() const;
    void setPlaying(bool playing);
    bool busy() const { return worker_.busy(); }

signals:
    void updated();

private:
    void refresh();
    std::vector<DeliveryPtr> wanted() const;
    bool waitsForInspection() const;

    Project& project_;
    DeliveryModel& deliveries_;
    std::function<bool()> busy_;
    bool playing_ = false;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_; // last: it ends before what it uses
};

} // namespace ulm::app
