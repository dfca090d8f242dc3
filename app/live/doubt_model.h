#pragma once

#include "app/live/delivery_model.h"
#include "app/tasks/background.h"
#include "core/pipeline/between_doubt.h"

#include <QTimer>
#include <functional>

namespace ulm::app {

/// Works out, after spots and table, where the pictures in between of the delivery on the table are doubtful:
/// frame after frame, so that what is known shows at once.
class DoubtModel : public QObject {
    Q_OBJECT
public:
    DoubtModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent = nullptr);
    /// In order of frame; empty where none are made, or nothing is known yet.
    const std::vector<BetweenDoubt>& doubts() const { return doubts_; }
    /// [0, 1]; 1 where there is nothing to look at.
    double done() const;
    /// The most doubtful so far.
    std::optional<BetweenDoubt> worst() const;
    void setPlaying(bool playing) { playing_ = playing; }

signals:
    void updated();

private:
    /// What the pictures in between depend on: no other change of the ticket asks for them anew.
    struct Seen {
        std::shared_ptr<FrameReader> reader;
        std::shared_ptr<const Inspection> found;
        Ticket::Motion motion;
        Ticket::Stretch stretch;
        bool operator==(const Seen&) const = default;
    };
    void changed();
    void goOn();

    Project& project_;
    DeliveryModel& deliveries_;
    std::function<bool()> busy_;
    bool playing_ = false;
    Seen seen_;
    DeliveryPtr delivery_;
    struct Looking {
        DoubtPlan plan;
        Engine engine{std::size_t(64) << 20}; // the project's keeps what people look at
    };
    std::shared_ptr<Looking> looking_;  ///< null before the plan is made, and when all is looked at
    std::optional<std::size_t> wanted_; ///< frames of the plan; none before it is made
    std::vector<BetweenDoubt> doubts_;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{10}; // last: it ends before what it uses
};

} // namespace ulm::app
