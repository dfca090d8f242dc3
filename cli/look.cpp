#include "core/pipeline/look.h"
#include "cli/commands.h"
#include "core/deliver/output_file.h"

namespace ulm::cli {
namespace {

struct Options {
    std::string file, output, like;
    TicketOptions ticket;
    bool replace = false;
};

int look(const Options& o, Surroundings& s) {
    const Ticket ticket = o.ticket.ticket(s);
    if (!o.output.ends_with(".cube"))
        throw Error(Fault::Usage, o.output, "a look is written as a .cube table", "Give it a name that ends in .cube.");
    const ClipPtr clip = Clip::openVideo(o.file, s.cancel);
    std::vector<std::string> read = {o.file};
    if (!o.like.empty()) read.push_back(o.like);
    if (!ticket.finish.table.empty()) read.push_back(ticket.finish.table);
    OutputFile output(o.output, o.replace, o.ticket.read(read));
    if (o.like.empty()) {
        const Ticket::Finish& f = ticket.finish;
        if (f.clarity.amount != 0 || f.glow.amount > 0 || f.vignette != 0)
            o.ticket.notes.tell(s, o.file, "clarity, glow and corners depend on the place and are not in the table");
        output.write(lookOf(ticket));
        return 0;
    }
    const DeliveryPtr d =
        resolve(std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(16) << 20),
                std::shared_ptr<const Inspection>(), ticket, o.ticket.target(s));
    output.write(lookLike(*d, o.like, s.cancel));
    return 0;
}

} // namespace

void addLook(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("look", "The ticket's light and colour, or those of another clip, as a .cube table");
    auto o = std::make_shared<Options>();
    c->footer("Examples:\n  ulmwood-cli look clip.mp4 -o warm.cube --set finish.colour.warmth=25\n"
              "  ulmwood-cli look clip.mp4 -o like.cube --like other.mp4");
    c->add_option("FILE", o->file, "Clip")->required();
    c->add_option("-o,--output", o->output, "Table to write")->required()->type_name("OUT.cube");
    c->add_option("--like", o->like, "Clip or PNG whose light and colour the clip is to have")->type_name("OTHER");
    o->ticket.addTo(*c);
    c->add_flag("--replace", o->replace, "Replace an output that exists");
    c->callback([=, &action] { action = [=](Surroundings& s) { return look(*o, s); }; });
}

} // namespace ulm::cli
