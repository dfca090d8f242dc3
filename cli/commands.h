#pragma once

#include "core/engine/cancel.h"
#include "core/target/target.h"
#include "core/ticket/ticket.h"

#include <CLI/CLI.hpp>
#include <functional>
#include <iosfwd>
#include <string>
#include <utility>
#include <vector>

namespace ulm::cli {

/// Where a command prints and how it is stopped; tests put their own streams here.
struct Surroundings {
    std::ostream& out;
    std::ostream& err;
    CancelToken cancel;
    bool terminal = false; ///< err is one: progress may be drawn there
};

/// --cores and --memory: what the process may take; in force from then on.
struct PlanOptions {
    int cores = 0;
    std::string memory;
    void addTo(CLI::App&);
    /// Errors: Fault::Usage.
    void apply() const;
};

/// Notes on stderr, unless --quiet was given.
struct Notes {
    bool quiet = false;
    void addTo(CLI::App&);
    void tell(Surroundings&, const std::string& file, const std::string& text) const;
};

/// Seconds as a person writes them: "2.5" or "0:02.5". Errors: Fault::Usage naming `option`.
double timeOf(const std::string& text, const std::string& option);
/// "FROM:TO" in seconds, "0:02:0:06" or "0:02-0:06". Errors: Fault::Usage.
std::pair<double, double> stretchOf(const std::string& text);

/// Runs one command line in this process; returns the exit code of the contract. Never throws.
int run(const std::vector<std::string>& arguments, Surroundings&);

/// Each adds its subcommand; the action to run is put into `action` once parsed.
using Action = std::function<int(Surroundings&)>;
void addProbe(CLI::App&, Action& action);
void addProof(CLI::App&, Action& action);
void addInspect(CLI::App&, Action& action);
void addRender(CLI::App&, Action& action);
void addFrame(CLI::App&, Action& action);
void addLook(CLI::App&, Action& action);
void addMeasure(CLI::App&, Action& action);
void addCheck(CLI::App&, Action& action);
void addTargets(CLI::App&, Action& action);
void addKeys(CLI::App&, Action& action);

/// Does `work` on each file. Of several, one that fails does not stop the others: its error is told, and the worst
/// exit code returned. Errors, of a single file: those of `work`.
int forEachFile(const std::vector<std::string>& files, Surroundings&,
                const std::function<void(const std::string&)>& work);
/// What --json prints of several files: an array, or of one file its object alone.
void printJson(const nlohmann::json& all, Surroundings&);

/// --ticket, --set and --target, shared by the commands that treat a clip.
struct TicketOptions {
    std::string file, targetName;
    std::vector<std::string> assignments;
    Notes notes;
    PlanOptions plan;
    void addTo(CLI::App&);
    /// Loads, applies, notes what is not known or does nothing.
    Ticket ticket(Surroundings&) const;
    /// The same of the card. Errors: Fault::Usage where there is none of that name.
    std::optional<Target> target(Surroundings&) const;
    /// `clips`, and the files that these options read: what must not be written over.
    std::vector<std::string> read(std::vector<std::string> clips) const;
};

} // namespace ulm::cli
