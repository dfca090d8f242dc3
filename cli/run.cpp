#include "cli/commands.h"
#include "core/base/words.h"
#include "core/engine/work_plan.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <charconv>
#include <iostream>

namespace ulm::cli {

void TicketOptions::addTo(CLI::App& app) {
    app.add_option("--ticket", file, "Ticket file (.ticket.json) to follow, or the report of a render")
        ->type_name("T.json");
    app.add_option("--set", assignments,
                   "Set one value, such as clean.noise=12, clean.blocks=measured or clean.noise=nudge:+3, or "
                   "frame.x@my-target=0.3 for one destination only; may be repeated (see: ulmwood-cli keys)")
        ->type_name("STEP.KEY=VALUE")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    app.add_option("--target", targetName, "Destination whose limits must hold (see: ulmwood-cli targets)")
        ->type_name("NAME");
    notes.addTo(app);
    plan.addTo(app);
}

void PlanOptions::addTo(CLI::App& app) {
    app.add_option("--cores", cores, "Processor cores to take; else all")->type_name("N")->check(CLI::Range(1, 64));
    app.add_option("--memory", memory, "Memory to take, about; else three quarters of it")->type_name("MB|2GB");
}

void PlanOptions::apply() const {
    WorkPlan p = workPlan();
    if (cores) p.cores = cores;
    if (!memory.empty()) {
        double v = 0;
        const char* end = memory.data() + memory.size();
        const auto r = std::from_chars(memory.data(), end, v);
        const std::string unit(r.ptr, end);
        if (r.ec != std::errc() || !(v > 0) || (unit != "" && unit != "MB" && unit != "GB"))
            throw Error(Fault::Usage, "", "--memory " + memory + " is no amount",
                        "Write --memory 2GB or --memory 900MB.");
        p.memory = static_cast<std::int64_t>(v * (unit == "GB" ? 1e9 : 1e6));
        if (p.memory < 512e6)
            throw Error(Fault::Usage, "", "--memory " + memory + " is too little to work with", "At least 512MB.");
    }
    if (!(p == workPlan())) setWorkPlan(p);
}

void Notes::addTo(CLI::App& app) { app.add_flag("-q,--quiet", quiet, "Say nothing but results and errors"); }

void Notes::tell(Surroundings& s, const std::string& file, const std::string& text) const {
    if (!quiet) s.err << (file.empty() ? "" : file + ": ") << "note: " << text << "\n";
}

double timeOf(const std::string& text, const std::string& option) {
    if (const auto t = parseTime(text)) return *t;
    throw Error(Fault::Usage, "", option + " " + text + " is not a time",
                "Write seconds, 2.5, or minutes and seconds, 0:02.5.");
}

std::pair<double, double> stretchOf(const std::string& text) {
    // One colon parts seconds from seconds; a dash, or the middle one of several colons, times from times.
    std::size_t middle = text.find('-');
    if (middle == std::string::npos) {
        const auto colons = std::ranges::count(text, ':');
        if (colons % 2 == 1)
            for (std::ptrdiff_t n = 0; n <= colons / 2; ++n) middle = text.find(':', n ? middle + 1 : 0);
    }
    const std::string end = middle == std::string::npos ? "" : text.substr(middle + 1);
    const auto from = middle == std::string::npos ? std::nullopt : parseTime(text.substr(0, middle)),
               to = middle == std::string::npos ? std::nullopt
                    : end.empty()               ? Ticket::Stretch::kToTheEnd
                                                : parseTime(end);
    if (!from || !to)
        throw Error(
            Fault::Usage, "", "--stretch " + text + " is not FROM:TO",
            "Write --stretch 2.5:6 in seconds, --stretch 0:02.5-0:06, or --stretch 2.5: for all from there on.");
    if (*to <= *from) throw Error(Fault::Usage, "", "--stretch " + text + " ends before it begins", "");
    return {*from, *to};
}

int forEachFile(const std::vector<std::string>& files, Surroundings& s,
                const std::function<void(const std::string&)>& work) {
    int worst = 0;
    for (const std::string& file : files) try {
            work(file);
        } catch (const Cancelled&) {
            throw;
        } catch (const Error& e) {
            if (files.size() == 1) throw;
            s.err << e.what() << "\n";
            worst = std::max(worst, static_cast<int>(e.fault));
        }
    return worst;
}

void printJson(const nlohmann::json& all, Surroundings& s) {
    s.out << (all.size() == 1 ? all[0] : all).dump(2, ' ', false, nlohmann::json::error_handler_t::replace) << "\n";
}

Ticket TicketOptions::ticket(Surroundings& s) const {
    plan.apply();
    Ticket t;
    if (!file.empty()) t = loadTicket(file);
    for (const auto& key : unknownKeys(t))
        notes.tell(s, file, "the key " + key + " is not known to this version; it was kept and not used");
    std::vector<std::string> set;
    for (const auto& a : assignments)
        if (a.find('@') < a.find('='))
            setByAssignment(t, a);
        else
            set.push_back(setByAssignment(t, a));
    for (const auto& idle : idleKeys(t, set)) notes.tell(s, "", idle + "; as the ticket is, it does nothing");
    return t;
}

std::optional<Target> TicketOptions::target(Surroundings& s) const {
    if (targetName.empty()) return std::nullopt;
    Target t = findTarget(loadTargets(targetFolders()), targetName);
    for (const std::string& u : t.unknown) notes.tell(s, t.file, u);
    return t;
}

namespace {

// What CLI11 has to say, and the word that was probably meant.
std::string nearOption(const CLI::App& app, const std::vector<std::string>& arguments) {
    const auto subs = app.get_subcommands();
    if (subs.empty()) return "";
    std::vector<std::string> known;
    for (const CLI::Option* o : subs.front()->get_options())
        for (const std::string& name : o->get_lnames()) known.push_back("--" + name);
    for (const std::string& a : arguments) {
        const std::string word = a.substr(0, a.find('='));
        if (!word.starts_with("--") || word.size() < 3 || std::ranges::find(known, word) != known.end()) continue;
        if (const std::string said = didYouMean(word, known); !said.empty()) return word + ":" + said + "\n";
    }
    return "";
}

// "help render" is "render --help"; a command that does not exist is told with the one that was meant.
std::vector<std::string> understood(const CLI::App& app, std::vector<std::string> arguments) {
    if (arguments.empty()) return arguments;
    if (arguments.front() == "help") {
        arguments.erase(arguments.begin());
        arguments.insert(arguments.begin() + (arguments.empty() ? 0 : 1), "--help");
    }
    if (arguments.front().starts_with("-")) return arguments;
    std::vector<std::string> known;
    for (const CLI::App* c : app.get_subcommands({})) known.push_back(c->get_name());
    if (std::ranges::find(known, arguments.front()) == known.end())
        throw Error(Fault::Usage, "",
                    "there is no command \"" + arguments.front() + "\"." + didYouMean(arguments.front(), known),
                    "Commands: " + listed(known) + "; ulmwood-cli help COMMAND tells of one.");
    return arguments;
}

} // namespace

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
         {addProbe, addInspect, addRender, addFrame, addLook, addMeasure, addCheck, addProof, addTargets, addKeys})
        add(app, action);
    try {
        const std::vector<std::string> all = understood(app, arguments);
        std::vector<std::string> reversed(all.rbegin(), all.rend());
        app.parse(reversed);
        return action(s);
    } catch (const CLI::ParseError& e) {
        if (app.exit(e, s.out, s.err) == 0) return 0;
        s.err << nearOption(app, arguments);
        return static_cast<int>(Fault::Usage);
    } catch (...) {
        try {
            throwAsError("");
        } catch (const Cancelled&) {
            s.err << "cancelled; nothing was left behind\n";
            return static_cast<int>(Fault::Cancelled);
        } catch (const Error& e) {
            s.err << e.what() << '\n';
            return static_cast<int>(e.fault);
        }
    }
}

} // namespace ulm::cli
