#pragma once

#include "core/ticket/ticket.h"

#include <optional>

namespace ulm {

/// What a delivered file says of itself in its comment: the ticket that it was made with, as far as that differs from
/// an untouched one. No path and no name of the person's goes with it.
std::string madeWith(const Ticket&);
/// The ticket in a file's comment; none where it holds none that is sound.
std::optional<Ticket> ticketIn(const std::string& comment);

} // namespace ulm
