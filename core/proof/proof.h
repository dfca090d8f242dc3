#pragma once

#include "core/inspect/inspection.h"
#include "core/target/target.h"
#include "core/ticket/ticket.h"

#include <functional>
#include <optional>

namespace ulm {

/// Two files to hold against each other: a clip as it was, and what was made of it.
struct ProofJob {
    std::string source, result;
    std::optional<Ticket>
        ticket; ///< what was done; without it, what the result says of itself, or else the whole picture, cropped
    std::string ticketFile;       ///< where the ticket was read from, so that it is not written over; may be empty
    std::optional<Target> target; ///< the destination it was made for, with the ticket
    std::optional<Inspection> inspection; ///< of the source, if known
    std::vector<WatchPlace> places;       ///< in the source's pixels; empty: chosen by the readings
    bool replace = false;                 ///< an existing proof may be replaced
};

/// One PNG page: facts of both files, readings before and after, the ticket's values, both whole frames, and crops at
/// up to four places, delivered pixels as they are.
/// Errors: Fault::Input, Usage (files that do not belong together: other size, length or pictures), Output. Throws
/// Cancelled.
void writeProofSheet(const ProofJob&, const std::string& path, const CancelToken&,
                     const std::function<void(double)>& onProgress = {});

enum class ProofMovie { SideBySide, Wipe };
/// An MP4 of both, at most 1920 pixels wide, with the result's sound: side by side, or with a divider that wanders
/// across. Errors as writeProofSheet().
void writeProofMovie(const ProofJob&, ProofMovie, const std::string& path, const CancelToken&,
                     const std::function<void(double)>& onProgress = {});

} // namespace ulm
