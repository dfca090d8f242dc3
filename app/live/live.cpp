#include "app/live/live.h"

namespace ulm::app {

Live::Live(Project& project, QObject* parent)
    : QObject(parent), deliveries_(project), spots_(project, deliveries_),
      forecasts_(project, deliveries_, [this] { return spots_.busy() || table_.busy(); }),
      table_(project, deliveries_, [this] { return forecasts_.plannedCrf(); }),
      faults_(project, deliveries_, [this] { return spots_.busy() || table_.busy(); }),
      doubts_(project, deliveries_, [this] { return spots_.busy() || table_.busy(); }) {}

void Live::setPlaying(bool playing) {
    table_.setPlaying(playing);
    faults_.setPlaying(playing);
    forecasts_.setPlaying(playing);
    doubts_.setPlaying(playing);
}

void Live::setStep(const QString& key) {
    if (key == step_) return;
    step_ = key;
    Q_EMIT stepChanged();
}

} // namespace ulm::app
