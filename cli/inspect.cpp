#include "cli/commands.h"
#include "core/deliver/output_file.h"
#include "core/files.h"
#include "core/inspect/inspection.h"

#include <cmath>
#include <iomanip>
#include <iostream>

namespace ulm::cli {
namespace {

void print(const Inspection& i, const MediaFacts& facts, std::ostream& out) {
    out << "kind: " << i.kind << (i.dark ? ", dark" : "") << (i.movement.fast ? ", fast" : "") << "\n";
    for (const ReadingKind& k : readingKinds()) {
        const Worst& w = i.worst.at(k.key);
        out << std::left << std::setw(18) << k.name << std::right << std::setw(8)
            << std::round(i.readings.*k.member * 100) / 100 << "  " << k.unit << "  (worst "
            << std::round(w.value * 100) / 100 << " at frame " << w.frame;
        if (!w.box.empty()) out << ", " << w.box.x << "," << w.box.y << "," << w.box.w << "," << w.box.h;
        out << "; confidence " << std::lround(100 * i.confidence.at(k.key)) << " %)\n";
    }
    out << i.cuts.size() << " cuts, " << i.duplicates.size() << " repeated frames in " << i.framesLooked << " frames";
    if (i.runs.size() > 1) out << " (" << i.runs.size() << " runs spread over " << facts.video.frames << ")";
    out << ", " << i.samples.size() << " of them read closely\n";
    if (i.sound.any)
        out << "sound: " << std::round(i.sound.loudness * 10) / 10 << " LUFS, true peak "
            << std::round(i.sound.truePeak * 10) / 10 << " dB, noise floor " << std::lround(i.sound.noiseFloor)
            << " dB\n";
    out << "\nFound, worst first:\n";
    const auto found = findings(i, facts);
    for (const Finding& f : found) out << "- " << f.what << ": " << f.told << "\n";
    if (found.empty()) out << "- nothing wrong\n";
    out << "\nAdvice:\n";
    for (const auto& a : advise(i, facts)) {
        out << "- " << a.what << ":";
        for (const auto& [k, v] : a.set) out << " --set " << k << "=" << v;
        out << "\n  " << a.why << " Risk: " << a.risk << "\n";
        if (a.secondWhat.empty()) continue;
        out << "  Or: " << a.secondWhat << ":";
        for (const auto& [k, v] : a.secondSet) out << " --set " << k << "=" << v;
        out << "\n";
    }
}

} // namespace

void addInspect(CLI::App& app, Action& action) {
    auto* c =
        app.add_subcommand("inspect", "What is wrong with a clip: faults with readings, cuts, repeated frames, advice");
    c->footer("Example:\n  ulmwood-cli inspect clip.mp4 --ticket-out clip.ticket.json\n  ulmwood-cli render clip.mp4 "
              "-o out.mp4 --ticket clip.ticket.json");
    auto file = std::make_shared<std::string>();
    auto ticketOut = std::make_shared<std::string>();
    auto csv = std::make_shared<std::string>();
    auto json = std::make_shared<bool>(false);
    auto replace = std::make_shared<bool>(false);
    c->add_option("FILE", *file, "Clip")->required();
    c->add_flag("--json", *json, "One JSON object");
    c->add_option("--csv", *csv, "Write the readings as a table")->type_name("OUT.csv");
    c->add_option("--ticket-out", *ticketOut, "Write the advice as a ticket")->type_name("T.ticket.json");
    c->add_flag("--replace", *replace, "Overwrite an existing table");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            const ClipPtr clip = Clip::openVideo(*file, s.cancel);
            std::optional<OutputFile> table;
            if (!csv->empty()) table.emplace(*csv, *replace, *file);
            const Inspection i = inspectClip(clip, s.cancel);
            if (!ticketOut->empty()) {
                Ticket t;
                for (const auto& a : advise(i, clip->facts()))
                    for (const auto& [k, v] : a.set) setByKey(t, k, v);
                t.clean.blocks.value = i.readings.blocking;
                t.clean.noise.value = i.readings.noise;
                saveTicket(t, *ticketOut);
            }
            if (table) writeFileWhole(*csv, toCsv(i, clip->facts()));
            if (*json)
                s.out << toJson(i, clip->facts()).dump(2, ' ', false, nlohmann::json::error_handler_t::replace) << "\n";
            else
                print(i, clip->facts(), s.out);
            return 0;
        };
    });
}

} // namespace ulm::cli
