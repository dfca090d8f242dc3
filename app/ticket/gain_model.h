#pragma once

#include "app/live/live.h"
#include "core/judge/self_check.h"

namespace ulm::app {

/// Works out what the open step gains, while its controls are looked at: for Enlarge, against Lanczos on the clip's own
/// spots; for Finish, how much of the grain an encode leaves.
class GainModel : public QObject {
    Q_OBJECT
public:
    GainModel(Project& project, Live& live, QObject* parent = nullptr);
    /// Empty while not known.
    const std::optional<EnlargeGain>& enlarge() const { return enlarge_; }
    const std::optional<double>& grainLeft() const { return grainLeft_; }

signals:
    void updated();

private:
    void refresh();
    template <class Work, class Result>
    void weigh(Work, std::optional<Result>& to);
    void weighEnlarge(const ClipEntry&, DeliveryPtr);
    void weighGrain(DeliveryPtr);

    Project& project_;
    Live& live_;
    std::optional<EnlargeGain> enlarge_;
    std::optional<double> grainLeft_;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{8}; // last: it ends before what it uses
};

} // namespace ulm::app
