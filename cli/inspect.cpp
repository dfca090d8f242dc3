#include "cli/commands.h"
#include "core/base/files.h"
#include "core/deliver/output_file.h"
#include "core/inspect/inspection.h"
#include "core/media/clip_files.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/together.h"

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

// The ticket that follows the advice, with light, colour and sharpening at this strength, [0, 1], by what was read.
Ticket advised(const Inspection& i, const MediaFacts& facts, double together) {
    Ticket t;
    for (const auto& a : advise(i, facts))
        for (const auto& [k, v] : a.set) setByKey(t, k, v);
    t.clean.blocks.value = i.readings.blocking;
    t.clean.noise.value = i.readings.noise;
    if (together > 0)
        for (const auto& [k, v] : togetherAt(together, i)) setByKey(t, k, v);
    return t;
}

// What a destination would add to that ticket, and which of its limits no encode can keep.
nlohmann::json forTarget(const ClipPtr& clip, const Inspection& i, double together, const Target& target) {
    const DeliveryPtr d = resolve(std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 1 << 20), i,
                                  advised(i, clip->facts(), together), target);
    nlohmann::json j = {{"name", target.name},
                        {"width", d->size().w},
                        {"height", d->size().h},
                        {"fps", d->fps()},
                        {"adds", nlohmann::json::array()},
                        {"broken", nlohmann::json::array()}};
    for (const Addition& a : d->additions) j["adds"].push_back({{"step", a.step}, {"what", a.told}, {"set", a.set}});
    for (const LimitCheck& c : d->broken())
        j["broken"].push_back({{"limit", c.limit}, {"allowed", c.allowed}, {"value", c.value}, {"told", c.told()}});
    return j;
}

void print(const nlohmann::json& target, std::ostream& out) {
    out << "\nFor " << target["name"].get<std::string>() << ", with that advice: " << target["width"] << "×"
        << target["height"] << ", " << target["fps"] << " frames a second\n";
    for (const auto& a : target["adds"])
        out << "- " << a["step"].get<std::string>() << ": " << a["what"].get<std::string>() << "\n";
    for (const auto& b : target["broken"]) out << "- it " << b["told"].get<std::string>() << "\n";
}

} // namespace

void addInspect(CLI::App& app, Action& action) {
    auto* c =
        app.add_subcommand("inspect", "What is wrong with a clip: faults with readings, cuts, repeated frames, advice");
    c->footer("Example:\n  ulmwood-cli inspect clip.mp4 --ticket-out clip.ticket.json\n  ulmwood-cli render clip.mp4 "
              "-o out.mp4 --ticket clip.ticket.json");
    auto files = std::make_shared<std::vector<std::string>>();
    auto ticketOut = std::make_shared<std::string>();
    auto csv = std::make_shared<std::string>();
    auto target = std::make_shared<std::string>();
    auto together = std::make_shared<double>(0);
    auto json = std::make_shared<bool>(false);
    auto replace = std::make_shared<bool>(false);
    auto plan = std::make_shared<PlanOptions>();
    c->add_option("FILE", *files, "Clips, and folders of clips")->required();
    c->add_flag("--json", *json, "One JSON object; of several clips an array");
    c->add_option("--target", *target, "Tell what this destination would add to the advice")->type_name("NAME");
    c->add_option("--csv", *csv, "Write the readings as a table")->type_name("OUT.csv");
    c->add_option("--ticket-out", *ticketOut, "Write the advice as a ticket")->type_name("T.ticket.json");
    c->add_option("--together", *together,
                  "Put light, colour and sharpening on that ticket too, this strong, by what was read of the clip")
        ->type_name("PERCENT")
        ->check(CLI::Range(0.0, 100.0));
    c->add_flag("--replace", *replace, "Replace outputs that exist");
    plan->addTo(*c);
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            plan->apply();
            const auto card =
                target->empty() ? std::nullopt : std::optional(findTarget(loadTargets(targetFolders()), *target));
            const std::vector<std::string> clips = withFoldersOpened(*files);
            if (clips.size() > 1 && !(csv->empty() && ticketOut->empty()))
                throw Error(Fault::Usage, "", "--csv and --ticket-out are of one clip", "Name one clip with them.");
            if (*together > 0 && ticketOut->empty() && target->empty())
                throw Error(Fault::Usage, "", "--together goes onto a ticket, and none is asked for",
                            "Name one with --ticket-out.");
            std::vector<std::string> read = clips;
            read.push_back(*target);
            std::optional<OutputFile> ticket, table;
            if (!ticketOut->empty()) ticket.emplace(*ticketOut, *replace, read);
            read.push_back(*ticketOut);
            if (!csv->empty()) table.emplace(*csv, *replace, read);
            nlohmann::json several = nlohmann::json::array();
            const int worst = forEachFile(clips, s, [&](const std::string& file) {
                const ClipPtr clip = Clip::openVideo(file, s.cancel);
                const Inspection i = inspectClip(clip, s.cancel);
                if (ticket) ticket->write(ulm::toJson(advised(i, clip->facts(), *together / 100)).dump(2) + "\n");
                if (table) table->write(toCsv(i, clip->facts()));
                nlohmann::json all = toJson(i, clip->facts());
                if (card) all["target"] = forTarget(clip, i, *together / 100, *card);
                if (*json) {
                    several.push_back(std::move(all));
                    return;
                }
                if (clips.size() > 1) s.out << (file == clips.front() ? "" : "\n") << file << "\n";
                print(i, clip->facts(), s.out);
                if (card) print(all["target"], s.out);
            });
            if (*json) printJson(several, s);
            return worst;
        };
    });
}

} // namespace ulm::cli
