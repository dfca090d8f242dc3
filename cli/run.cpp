#include "cli/commands.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <iostream>

namespace ulm::cli {

void TicketOptions::addTo(CLI::App& app) {
    app.add_option("--ticket", file, "Ticket file (.ticket.json) to follow")->type_name("T.ticket.json");
    app.add_option("--set", assignments,
                   "Set one value, such as clean.noise=12, clean.blocks=measured or clean.noise=nudge:+3, or "
                   "frame.x@my-target=0.3 for one destination only; may be repeated (see: ulmwood-cli keys)")
        ->type_name("STEP.KEY=VALUE")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    app.add_option("--target", targetName, "Destination whose limits must hold (see: ulmwood-cli targets)")
        ->type_name("NAME");
}

Ticket TicketOptions::ticket(std::ostream& err) const {
    Ticket t;
    if (!file.empty()) t = loadTicket(file);
    for (const auto& key : unknownKeys(t))
        err << file << ": note: the key " << key << " is not known to this version; it was kept and not used\n";
    std::vector<std::string> set;
    for (const auto& a : assignments)
        if (a.find('@') < a.find('='))
            setByAssignment(t, a);
        else
            set.push_back(setByAssignment(t, a));
    for (const auto& idle : idleKeys(t, set)) err << "note: " << idle << "; as the ticket is, it does nothing\n";
    return t;
}

std::optional<Target> TicketOptions::target() const {
    if (targetName.empty()) return std::nullopt;
    return findTarget(loadTargets(targetFolders()), targetName);
}

std::vector<std::string> TicketOptions::read(std::vector<std::string> clips) const {
    clips.push_back(file);
    clips.push_back(targetName); // a card may be named by its path
    return clips;
}

int run(const std::vector<std::string>& arguments, Surroundings& s) {
    CLI::App app{
        "Ulmwood: finish short clips. See what is wrong, clean, enlarge, sharpen, reframe, and fit them to a limit."};
    app.name("ulmwood-cli");
    app.set_version_flag("--version", "ulmwood-cli " ULMWOOD_VERSION);
    app.require_subcommand(1);
    app.footer(
        "Examples:\n"
        "  ulmwood-cli inspect clip.mp4                                    what is wrong with it\n"
        "  ulmwood-cli render clip.mp4 -o out.mp4 --set clean.blocks=measured --set enlarge.scale=2\n"
        "  ulmwood-cli render clip.mp4 -o out.mp4 --target email-20        under 20 MB, in two passes\n"
        "Exit: 0 done, 2 usage, 3 input cannot be read, 4 cannot fit the limit, 5 output not written, 130 cancelled.");
    Action action;
    for (const auto add :
         {addProbe, addInspect, addRender, addFrame, addMeasure, addCheck, addProof, addTargets, addKeys})
        add(app, action);
    try {
        std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
        app.parse(reversed);
        return action(s);
    } catch (const CLI::ParseError& e) {
        return app.exit(e, s.out, s.err) == 0 ? 0 : static_cast<int>(Fault::Usage);
    } catch (const Cancelled&) {
        s.err << "cancelled; nothing was left behind\n";
        return static_cast<int>(Fault::Cancelled);
    } catch (const Error& e) {
        s.err << e.what() << '\n';
        return static_cast<int>(e.fault);
    } catch (const std::bad_alloc&) {
        s.err << "there is not enough memory for this\n  Choose a smaller size, or close other programs.\n";
        return static_cast<int>(Fault::Output);
    } catch (const std::exception& e) {
        s.err << "something went wrong that should not: " << e.what() << '\n';
        return static_cast<int>(Fault::Output);
    }
}

} // namespace ulm::cli
