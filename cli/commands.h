#pragma once

#include "core/engine/cancel.h"
#include "core/ticket/ticket.h"

#include <CLI/CLI.hpp>
#include <functional>
#include <iosfwd>
#include <string>
#include <vector>

namespace ulm::cli {

/// Where a command prints and how it is stopped; tests put their own streams here.
struct Surroundings {
    std::ostream& out;
    std::ostream& err;
    CancelToken cancel;
};

/// Runs one command line in this process; returns the exit code of the contract. Never throws.
int run(const std::vector<std::string>& arguments, Surroundings&);

/// Each adds its subcommand; the action to run is put into `action` once parsed.
using Action = std::function<int(Surroundings&)>;
void addProbe(CLI::App&, Action& action);
void addProof(CLI::App&, Action& action);
void addInspect(CLI::App&, Action& action);
void addRender(CLI::App&, Action& action);
void addFrame(CLI::App&, Action& action);
void addMeasure(CLI::App&, Action& action);
void addCheck(CLI::App&, Action& action);
void addTargets(CLI::App&, Action& action);

/// --ticket and --set, shared by render and frame.
struct TicketOptions {
    std::string file;
    std::vector<std::string> assignments;
    void addTo(CLI::App&);
    /// Loads, applies, reports unknown keys on `err`.
    Ticket ticket(std::ostream& err) const;
};

} // namespace ulm::cli
