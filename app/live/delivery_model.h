#pragma once

#include "app/project/project.h"
#include "core/pipeline/delivery.h"

#include <QPointF>
#include <set>

namespace ulm::app {

/// Keeps the current clip's deliveries up to date: the one on the table, and those of the other destinations.
class DeliveryModel : public QObject {
    Q_OBJECT
public:
    explicit DeliveryModel(Project& project, QObject* parent = nullptr);

    /// The delivery on the table; null while no clip is open or its ticket cannot be worked out (then problem() says
    /// why).
    const DeliveryPtr& onTable() const { return onTable_; }
    const QString& problem() const { return problem_; }
    /// Of the ticket and one destination, by name ("": none); null where it cannot be worked out.
    DeliveryPtr of(const std::string& target) const;
    /// Of another ticket and the destination on the table.
    DeliveryPtr ofTicket(const Ticket& ticket) const;

    /// The stage frame on the table: the one that shows the playhead's, or one between it and the next that was stepped
    /// to.
    std::int64_t stage() const;
    /// Seconds of the clip at the playhead's frame.
    double seconds() const;
    /// Goes by so many delivered frames: those in between too.
    void stepDelivered(int by);
    /// Goes to the delivered frame after the one that shows the clip's `frame`: in between, where some are made there.
    void goBehind(std::int64_t frame);
    /// What is on the table lies between two frames of the clip: how far, (0, 1); 0 where it does not.
    double between() const;
    /// Between upright source pixels and delivered ones, on that frame.
    QPointF toDelivered(double x, double y) const;
    QRectF toDelivered(const Rect& box) const;
    QPointF toSource(const QPointF& delivered) const;

signals:
    void changed();

private:
    void goTo(std::int64_t stage);
    void rebuild();
    /// Opens what the current ticket has of files (a network of the person's own, a look-up table) off the interface
    /// thread; false where all are open already or there are none. rebuild() follows, once a file.
    bool openingFile();

    Project& project_;
    DeliveryPtr onTable_;
    std::int64_t stepped_ = 0; ///< stage frames away from the playhead's own
    QString problem_;
    mutable std::map<std::string, DeliveryPtr> others_; ///< worked out since the last change
    std::set<std::string> tried_;                       ///< files that were just opened, or could not be
};

} // namespace ulm::app
