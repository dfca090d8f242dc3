#pragma once

#include "app/bench/live_model.h"
#include "core/judge/overdone.h"

namespace ulm::app {

/// Keeps the overdone meter up to date: judges the spots and a few frames of the stretch after every change, and finds
/// how far a ticket has to be eased.
class OverdoneModel : public QObject {
    Q_OBJECT
public:
    OverdoneModel(Project& project, LiveModel& live, QObject* parent = nullptr);

    /// What was found; old while fresh() is false.
    const Overdone& overdone() const { return overdone_; }
    bool fresh() const { return fresh_; }
    bool easing() const { return easing_; }
    /// Finds the strongest share of the ticket's treatments that stays under the limit, and puts it on the ticket.
    void ease();

signals:
    void updated();
    /// Nothing that can be eased brings it under the limit.
    void cannotEase();

private:
    void refresh();
    /// Regions to judge: the spots, and the middle of frames spread over the stretch.
    struct Place {
        std::int64_t frame;
        QPointF source; ///< upright source pixels
        bool text, moving;
    };
    std::vector<Place> places() const;
    Overdone judge(const Pipeline&, const std::vector<Place>&, double noise, const CancelToken&);

    Project& project_;
    LiveModel& live_;
    Overdone overdone_;
    bool fresh_ = false, easing_ = false;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{8}, easer_{8}; // last: they end before what they use
};

} // namespace ulm::app
