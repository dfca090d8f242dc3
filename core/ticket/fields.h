#pragma once

#include "core/ticket/ticket.h"

#include <functional>

namespace ulm {

/// One entry of the table that reading, writing, validating and `--set` all share.
struct TicketField {
    std::string path; ///< "clean.blocks"; the same dots nest in JSON
    std::function<nlohmann::json(const Ticket&)> get;
    /// Takes a JSON value; returns what is wrong with it, or an empty text.
    std::function<std::string(Ticket&, const nlohmann::json&)> set;
    /// Turns a command line text into the JSON value set() takes.
    std::function<nlohmann::json(const std::string&)> parse;
};

const std::vector<TicketField>& ticketFields();
/// The steps in the order of the sheet; also the JSON's top-level keys.
const std::vector<std::string>& ticketSteps();

/// Ranges of the measured quantities.
inline constexpr double kMostBlocks = 100, kMostNoise = 50, kMostRinging = 20, kMostStairs = 100, kMostBanding = 100,
                        kMostStrength = 150;

} // namespace ulm
