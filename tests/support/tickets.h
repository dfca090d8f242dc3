#pragma once

#include "core/ticket/ticket.h"

namespace ulm::test {

/// A ticket with these "step.key=value" settings, as `--set` takes them.
inline Ticket ticketOf(const std::vector<std::string>& settings) {
    Ticket t;
    for (const std::string& s : settings) setByAssignment(t, s);
    return t;
}

} // namespace ulm::test
