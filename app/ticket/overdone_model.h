#pragma once

#include "app/live/live.h"
#include "app/live/other_clip.h"
#include "core/judge/overdone.h"

namespace ulm::app {

/// Keeps the overdone meter up to date: judges the spots and a few frames of the stretch after every change, and finds
/// how far a ticket has to be eased.
class OverdoneModel : public QObject {
    Q_OBJECT
public:
    OverdoneModel(Project& project, Live& live, QObject* parent = nullptr);

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
        std::int64_t stage;
        Point source; ///< upright source pixels
        bool text, moving;
    };
    std::vector<Place> places() const;
    Overdone judge(const Delivery&, const std::vector<Place>&, const CancelToken&);

    Project& project_;
    Live& live_;
    OtherClip other_;
    Overdone overdone_;
    bool fresh_ = false, easing_ = false;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{8}, easer_{8}; // last: they end before what they use
};

} // namespace ulm::app
