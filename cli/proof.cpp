#include "core/proof/proof.h"
#include "cli/commands.h"
#include "core/base/error.h"

#include <iostream>

namespace ulm::cli {

void addProof(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("proof", "Before and after: one PNG page with crops and readings, or an MP4 of both");
    c->footer("Example:\n  ulmwood-cli proof clip.mp4 out.mp4 -o proof.png --ticket clip.ticket.json\n"
              "  ulmwood-cli proof clip.mp4 out.mp4 -o proof.mp4 --wipe");
    struct Options {
        std::string source, result, output, ticket, target;
        bool wipe = false, replace = false;
    };
    auto o = std::make_shared<Options>();
    c->add_option("SOURCE", o->source, "The clip as it was")->required();
    c->add_option("RESULT", o->result, "What was made of it")->required();
    c->add_option("-o,--output", o->output, "PROOF.png or PROOF.mp4")->required();
    c->add_option("--ticket", o->ticket,
                  "The ticket it was made with, or the render's report: tells crop, stretch and values; else what the "
                  "result says of itself")
        ->type_name("T.json");
    c->add_option("--target", o->target, "The destination it was made for, with that ticket")->type_name("NAME");
    c->add_flag("--wipe", o->wipe, "MP4: a divider that wanders, instead of side by side");
    c->add_flag("--replace", o->replace, "Overwrite an existing proof");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            ProofJob job;
            job.source = o->source;
            job.result = o->result;
            job.replace = o->replace;
            job.ticketFile = o->ticket;
            if (!o->ticket.empty()) job.ticket = loadTicket(o->ticket, o->result);
            if (!o->target.empty()) job.target = findTarget(loadTargets(targetFolders()), o->target);
            if (job.target && !job.ticket) job.ticket.emplace();
            if (o->output.ends_with(".png"))
                writeProofSheet(job, o->output, s.cancel);
            else if (o->output.ends_with(".mp4"))
                writeProofMovie(job, o->wipe ? ProofMovie::Wipe : ProofMovie::SideBySide, o->output, s.cancel);
            else
                throw Error(Fault::Usage, o->output, "a proof is a .png or an .mp4", "Name it so.");
            s.out << o->output << "\n";
            return 0;
        };
    });
}

} // namespace ulm::cli
