#include "cli/commands.h"
#include "core/deliver/export.h"
#include "core/deliver/output_file.h"

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <iostream>

namespace ulm::cli {
namespace {
namespace fs = std::filesystem;

struct Options {
    std::vector<std::string> files;
    TicketOptions ticket;
    std::string output, stretch, progress, report;
    bool replace = false;
};

double secondsOf(const char* a, const char* b, const std::string& whole) {
    double v = 0;
    if (auto r = std::from_chars(a, b, v); r.ec != std::errc() || r.ptr != b || !(v >= 0))
        throw Error(Fault::Usage, "", "--stretch " + whole + " is not FROM:TO in seconds",
                    "Write --stretch 2.5:6, for instance.");
    return v;
}

void applyStretch(Ticket& t, const std::string& text) {
    const auto colon = text.find(':');
    const char* p = text.data();
    if (colon == std::string::npos) secondsOf(p, p, text);
    t.stretch = {true, secondsOf(p, p + colon, text), secondsOf(p + colon + 1, p + text.size(), text)};
    if (t.stretch.to <= t.stretch.from)
        throw Error(Fault::Usage, "", "--stretch " + text + " ends before it begins", "");
}

// Where each clip goes: no two of one call to the same name.
std::vector<std::string> outputsFor(const Options& o) {
    std::error_code ec;
    if (!fs::is_directory(o.output, ec)) {
        if (o.files.size() > 1)
            throw Error(Fault::Usage, o.output, "several clips need a folder to go to",
                        "Make the folder, and name it with -o.");
        return {o.output};
    }
    std::vector<std::string> all;
    for (const std::string& file : o.files) {
        const std::string stem = (fs::path(o.output) / fs::path(file).stem()).string();
        std::string name = stem + ".mp4";
        for (int n = 2; std::ranges::find(all, name) != all.end(); ++n) name = stem + "-" + std::to_string(n) + ".mp4";
        all.push_back(name);
    }
    return all;
}

int render(const Options& o, Surroundings& s) {
    Ticket ticket = o.ticket.ticket(s.err);
    if (!o.stretch.empty()) applyStretch(ticket, o.stretch);
    if (!o.progress.empty() && o.progress != "json") throw Error(Fault::Usage, "", "--progress takes json", "");
    const std::optional<Target> target = o.ticket.target();
    const std::vector<std::string> outputs = outputsFor(o);
    std::optional<OutputFile> report;
    if (!o.report.empty()) {
        std::vector<std::string> kept = o.ticket.read(o.files);
        kept.insert(kept.end(), outputs.begin(), outputs.end());
        report.emplace(o.report, o.replace, kept);
    }
    nlohmann::json reports = nlohmann::json::array();
    const auto writeReport = [&] {
        if (report) report->write((reports.size() == 1 ? reports[0] : reports).dump(2) + "\n");
    };
    int worst = 0;
    for (std::size_t i = 0; i < o.files.size(); ++i) try {
            const std::string& file = o.files[i];
            // Nor onto another clip of this call that is still to be read.
            const OutputFile allowed(outputs[i], o.replace, o.ticket.read(o.files));
            const ExportJob job{file, outputs[i], ticket, target, nullptr, o.replace};
            const ExportReport r = exportClip(
                job, s.cancel,
                [&](const ExportProgress& p) {
                    if (o.progress.empty()) return;
                    s.out << nlohmann::json{{"phase", p.phase},
                                            {"done", p.done},
                                            {"total", p.total},
                                            {"fps", p.fps},
                                            {"left_s", p.left}}
                                 .dump()
                          << std::endl;
                },
                [&](const Delivery& d) { // before anything is done
                    for (const std::string& remark : d.remarks()) s.err << file << ": note: " << remark << "\n";
                });
            reports.push_back(toJson(r));
            if (o.progress.empty())
                s.out << r.output << ": " << r.frames << " frames, " << r.seconds << " s, " << r.bytes << " bytes\n";
            if (!r.soundNote.empty()) s.err << file << ": note: " << r.soundNote << "\n";
            if (r.lostFrames)
                s.err << file << ": note: " << r.lostFrames
                      << " frames were damaged or could not be decoded; the one before stands in\n";
        } catch (const Cancelled&) {
            if (!reports.empty()) writeReport(); // of what was done until then
            throw;
        } catch (const Error& e) {
            if (o.files.size() == 1) throw;
            s.err << e.what() << "\n"; // one bad clip does not stop the others
            worst = std::max(worst, static_cast<int>(e.fault));
        }
    writeReport();
    return worst;
}

} // namespace

void addRender(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("render", "Do what the ticket says and write the movie");
    auto o = std::make_shared<Options>();
    c->footer("Examples:\n"
              "  ulmwood-cli render clip.mp4 -o out.mp4 --set clean.blocks=measured --set clean.noise=nudge:+3\n"
              "  ulmwood-cli render clip.mp4 -o out.mp4 --set enlarge.scale=3 --set frame.aspect=9:16 --set "
              "deliver.size_mb=16\n"
              "  ulmwood-cli render *.mp4 -o ready/ --ticket my.ticket.json --target vertical-1080 --progress json");
    c->add_option("FILE", o->files, "Clips")->required();
    c->add_option("-o,--output", o->output, "File, or folder that exists")->required()->type_name("OUT|DIR");
    o->ticket.addTo(*c);
    c->add_option("--stretch", o->stretch, "Only this part, seconds")->type_name("FROM:TO");
    c->add_option("--progress", o->progress, "json: a line of progress at a time")->type_name("json");
    c->add_option("--report", o->report, "Write what was done as JSON")->type_name("R.json");
    c->add_flag("--replace", o->replace, "Replace an output that exists");
    c->callback([=, &action] { action = [=](Surroundings& s) { return render(*o, s); }; });
}

} // namespace ulm::cli
