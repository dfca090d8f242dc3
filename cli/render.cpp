#include "cli/commands.h"
#include "core/deliver/export.h"
#include "core/deliver/output_file.h"
#include "core/media/clip_files.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iomanip>
#include <iostream>

namespace ulm::cli {
namespace {
namespace fs = std::filesystem;

struct Options {
    std::vector<std::string> files;
    TicketOptions ticket;
    std::string output, stretch, progress, report;
    bool replace = false, verbose = false;
};

// Where each clip goes: no two of one call to the same name.
std::vector<std::string> outputsFor(const std::vector<std::string>& files, const std::string& output) {
    std::error_code ec;
    if (!fs::is_directory(output, ec)) {
        if (files.size() > 1)
            throw Error(Fault::Usage, output, "several clips need a folder to go to",
                        "Make the folder, and name it with -o.");
        return {output};
    }
    std::vector<std::string> all;
    for (const std::string& file : files) {
        const std::string stem = (fs::path(output) / fs::path(file).stem()).string();
        std::string name = stem + ".mp4";
        for (int n = 2; std::ranges::find(all, name) != all.end(); ++n) name = stem + "-" + std::to_string(n) + ".mp4";
        all.push_back(name);
    }
    return all;
}

// How far a clip is: a line of JSON at a time, or one line of a terminal that is written over.
class Progress {
public:
    Progress(Surroundings& s, const Options& o, std::string file)
        : s_(s), json_(!o.progress.empty()), drawn_(s.terminal && !json_ && !o.ticket.notes.quiet), verbose_(o.verbose),
          file_(std::move(file)) {}
    ~Progress() { clear(); }

    void operator()(const ExportProgress& p) {
        if (json_)
            s_.out << nlohmann::json{{"file", file_},    {"phase", p.phase}, {"done", p.done},
                                     {"total", p.total}, {"fps", p.fps},     {"left_s", p.left}}
                          .dump(-1, ' ', false, nlohmann::json::error_handler_t::replace)
                   << std::endl;
        else if (drawn_)
            draw(p);
        else if (verbose_ && p.phase != phase_)
            s_.err << file_ << ": " << p.phase << "\n";
        phase_ = p.phase;
    }
    void clear() {
        if (drawn_ && !phase_.empty()) s_.err << "\r\033[K" << std::flush;
        phase_.clear();
    }

private:
    void draw(const ExportProgress& p) {
        std::ostringstream line;
        line << fs::path(file_).filename().string() << ": " << p.phase;
        if (p.total > 0) line << " " << 100 * p.done / p.total << " %";
        if (p.left >= 0) line << ", " << std::llround(std::ceil(p.left)) << " s left";
        s_.err << "\r\033[K" << line.str() << std::flush;
    }
    Surroundings& s_;
    bool json_, drawn_, verbose_;
    std::string file_, phase_;
};

void tellSpent(const ExportReport& r, std::ostream& err) {
    for (const auto& [step, spent] : r.steps)
        err << "  " << std::left << std::setw(12) << step << std::right << std::fixed << std::setprecision(1)
            << std::setw(8) << spent.seconds * 1000 / double(std::max<std::int64_t>(1, r.frames)) << " ms a frame\n"
            << std::defaultfloat;
    err << "  encoded " << r.encodes << (r.encodes == 1 ? " time\n" : " times\n");
}

int render(const Options& o, Surroundings& s) {
    const Notes& notes = o.ticket.notes;
    Ticket ticket = o.ticket.ticket(s);
    if (!o.stretch.empty()) {
        const auto [from, to] = stretchOf(o.stretch);
        ticket.stretch.on = true;
        ticket.stretch.from = from, ticket.stretch.to = to;
    }
    if (!o.progress.empty() && o.progress != "json") throw Error(Fault::Usage, "", "--progress takes json", "");
    const std::optional<Target> target = o.ticket.target(s);
    const std::vector<std::string> files = withFoldersOpened(o.files), outputs = outputsFor(files, o.output);
    std::optional<OutputFile> report;
    if (!o.report.empty()) {
        std::vector<std::string> kept = o.ticket.read(files);
        kept.insert(kept.end(), outputs.begin(), outputs.end());
        report.emplace(o.report, o.replace, kept);
    }
    nlohmann::json reports = nlohmann::json::array();
    const auto writeReport = [&] {
        if (report) report->write((reports.size() == 1 ? reports[0] : reports).dump(2) + "\n");
    };
    std::size_t next = 0;
    const auto one = [&](const std::string& file) {
        const std::string& to = outputs[next++];
        // Nor onto another clip of this call that is still to be read.
        const OutputFile allowed(to, o.replace, o.ticket.read(files));
        const ExportJob job{file, to, ticket, target, nullptr, o.replace};
        Progress progress(s, o, file);
        const ExportReport r = exportClip(
            job, s.cancel, [&](const ExportProgress& p) { progress(p); },
            [&](const Delivery& d) { // before anything is done
                progress.clear();
                for (const std::string& remark : d.remarks()) notes.tell(s, file, remark);
            });
        progress.clear();
        reports.push_back(toJson(r));
        if (o.progress.empty())
            s.out << r.output << ": " << r.frames << (r.frames == 1 ? " frame, " : " frames, ") << r.seconds << " s, "
                  << r.bytes << " bytes\n";
        for (const std::string& remark : r.later) notes.tell(s, file, remark);
        if (r.lostFrames)
            notes.tell(s, file,
                       std::to_string(r.lostFrames) + (r.lostFrames == 1 ? " frame was" : " frames were") +
                           " damaged or could not be decoded; the one before stands in");
        if (o.verbose) tellSpent(r, s.err);
    };
    int worst = 0;
    try {
        worst = forEachFile(files, s, one);
    } catch (const Cancelled&) {
        if (!reports.empty()) writeReport(); // of what was done until then
        throw;
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
              "  ulmwood-cli render takes/ -o ready/ --ticket my.ticket.json --target vertical-1080 --progress json");
    c->add_option("FILE", o->files, "Clips, and folders of clips")->required();
    c->add_option("-o,--output", o->output, "File, or folder that exists")->required()->type_name("OUT|DIR");
    o->ticket.addTo(*c);
    c->add_option("--stretch", o->stretch, "Only this part: 2.5:6 in seconds, 0:02.5-0:06, or 2.5: for the rest")
        ->type_name("FROM:TO");
    c->add_option("--progress", o->progress, "json: a line of progress at a time")->type_name("json");
    c->add_option("--report", o->report, "Write what was done as JSON")->type_name("R.json");
    c->add_flag("--replace", o->replace, "Replace an output that exists");
    c->add_flag("-v,--verbose", o->verbose, "Tell phases, and what each step took");
    c->callback([=, &action] { action = [=](Surroundings& s) { return render(*o, s); }; });
}

} // namespace ulm::cli
