#include "cli/commands.h"

#include <algorithm>
#include <iostream>

namespace ulm::cli {

void TicketOptions::addTo(CLI::App& app) {
    app.add_option("--ticket", file, "Ticket file (.ticket.json) to follow")->type_name("T.ticket.json");
    app.add_option(
           "--set", assignments,
           "Set one value, such as clean.noise=12, clean.blocks=measured or clean.noise=nudge:+3; may be repeated")
        ->type_name("STEP.KEY=VALUE")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
}

Ticket TicketOptions::ticket(std::ostream& err) const {
    Ticket t;
    if (!file.empty()) t = loadTicket(file);
    for (const auto& key : unknownKeys(t))
        err << file << ": note: the key " << key << " is not known to this version; it was kept and not used\n";
    for (const auto& a : assignments) setByAssignment(t, a);
    return t;
}

int run(const std::vector<std::string>& arguments, Surroundings& s) {
    CLI::App app{
        "Ulmwood: finish short clips. See what is wrong, clean, enlarge, sharpen, reframe, and fit them to a limit."};
    app.name("ulmwood-cli");
    app.require_subcommand(1);
    app.footer(
        "Examples:\n"
        "  ulmwood-cli inspect clip.mp4                                    what is wrong with it\n"
        "  ulmwood-cli render clip.mp4 -o out.mp4 --set clean.blocks=measured --set enlarge.scale=2\n"
        "  ulmwood-cli render clip.mp4 -o out.mp4 --target email-20        under 20 MB, in two passes\n"
        "Exit: 0 done, 2 usage, 3 input cannot be read, 4 cannot fit the limit, 5 output not written, 130 cancelled.");
    Action action;
    for (const auto add : {addProbe, addInspect, addRender, addFrame, addMeasure, addCheck, addProof, addTargets})
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
