#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"
#include "core/proof/proof.h"

namespace ulm {

/// Source and result brought to the same shape and time: what both kinds of proof are made from.
struct Pairing {
    ClipPtr source, result;
    Ticket ticket;
    bool ticketKnown = false;
    DeliveryPtr delivery;   ///< of the source on that ticket: its `before` has the result's size
    StagePtr before, after; ///< R'G'B'
    /// The frame of `before` that belongs to the result's frame.
    std::int64_t beforeFrame(std::int64_t resultFrame) const;
    /// The source frame that the result's frame shows.
    std::int64_t sourceFrame(std::int64_t resultFrame) const;
    /// The result's frame that shows a source frame, or the nearest.
    std::int64_t resultFrame(std::int64_t sourceFrame) const;
    /// A point of the upright source, on one of its frames, in the result's pixels.
    Point toDelivered(std::int64_t sourceFrame, Point) const;
};

/// Errors: Fault::Input; Fault::Usage where the ticket does not lead to a picture of the result's size.
Pairing pairUp(const ProofJob&, const CancelToken&);

} // namespace ulm
