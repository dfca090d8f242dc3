#pragma once

#include "core/engine/cancel.h"
#include "core/target/target.h"
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
void addKeys(CLI::App&, Action& action);

/// --ticket, --set and --target, shared by the commands that treat a clip.
struct TicketOptions {
    std::string file, targetName;
    std::vector<std::string> assignments;
    void addTo(CLI::App&);
    /// Loads, applies, reports on `err` what is not known or does nothing.
    Ticket ticket(std::ostream& err) const;
    /// Errors: Fault::Usage where there is none of that name.
    std::optional<Target> target() const;
    /// `clips`, and the files that these options read: what must not be written over.
    std::vector<std::string> read(std::vector<std::string> clips) const;
};

} // namespace ulm::cli
