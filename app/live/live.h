#pragma once

#include "app/live/doubt_model.h"
#include "app/live/forecast_model.h"
#include "app/spots/spots_model.h"
#include "app/table/fault_model.h"
#include "app/table/table_model.h"

namespace ulm::app {

/// What the Bench keeps up to date with the current clip, its ticket, its destination and its playhead, a model a kind:
/// spots first, then the viewing table, the overlay and the forecasts. Every change cancels what it makes stale.
class Live : public QObject {
    Q_OBJECT
public:
    explicit Live(Project& project, QObject* parent = nullptr);

    DeliveryModel& deliveries() { return deliveries_; }
    SpotsModel& spots() { return spots_; }
    TableModel& table() { return table_; }
    FaultModel& faults() { return faults_; }
    ForecastModel& forecasts() { return forecasts_; }
    DoubtModel& doubts() { return doubts_; }

    /// The delivery on the table, or null.
    const Delivery* delivery() const { return deliveries_.onTable().get(); }
    QPointF toDelivered(double x, double y) const { return deliveries_.toDelivered(x, y); }
    QRectF toDelivered(const Rect& box) const { return deliveries_.toDelivered(box); }
    QPointF toSource(const QPointF& d) const { return deliveries_.toSource(d); }
    bool busy() const { return spots_.busy() || table_.busy() || forecasts_.busy(); }
    void setPlaying(bool playing);

    /// The step whose controls are open, by its ticket key; empty: none.
    void setStep(const QString& key);
    const QString& step() const { return step_; }

signals:
    void stepChanged();

private:
    QString step_;
    DeliveryModel deliveries_;
    SpotsModel spots_;
    ForecastModel forecasts_;
    TableModel table_;
    FaultModel faults_;
    DoubtModel doubts_;
};

} // namespace ulm::app
