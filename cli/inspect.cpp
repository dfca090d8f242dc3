#include "cli/commands.h"
#include "core/inspect/inspection.h"

#include <iostream>

namespace ulm::cli {
namespace {

void print(const Inspection& i, std::ostream& out) {
    out << "kind: " << i.kind << "\nblocking " << i.readings.blocking
        << " (tenths of a level across the 8×8 grid)\nnoise " << i.readings.noise
        << " (sigma, 8-bit levels), in colour " << i.readings.chromaNoise << "\nsoftness " << i.readings.softness
        << " px (width of strong edges)\nringing " << i.readings.ringing << " %\n"
        << i.cuts.size() << " cuts, " << i.duplicates.size() << " repeated frames in " << i.framesLooked << " frames\n";
    if (i.framesLost) out << i.framesLost << " frames could not be decoded\n";
    for (const auto& a : i.advice) {
        out << "- " << a.what << ":";
        for (const auto& [k, v] : a.set) out << " --set " << k << "=" << v;
        out << "\n  " << a.why << "\n";
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
    auto json = std::make_shared<bool>(false);
    c->add_option("FILE", *file, "Clip")->required();
    c->add_flag("--json", *json, "One JSON object");
    c->add_option("--ticket-out", *ticketOut, "Write the advice as a ticket")->type_name("T.ticket.json");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            const ClipPtr clip = Clip::openVideo(*file, s.cancel);
            const Inspection i = inspectClip(clip, 12, s.cancel);
            if (!ticketOut->empty()) {
                Ticket t;
                for (const auto& a : i.advice)
                    for (const auto& [k, v] : a.set) setByKey(t, k, v);
                t.clean.blocks.value = i.readings.blocking;
                t.clean.noise.value = i.readings.noise;
                saveTicket(t, *ticketOut);
            }
            if (*json)
                s.out << toJson(i, clip->facts()).dump(2, ' ', false, nlohmann::json::error_handler_t::replace) << "\n";
            else
                print(i, s.out);
            return 0;
        };
    });
}

} // namespace ulm::cli
