#include "cli/commands.h"
#include "core/deliver/output_file.h"
#include "core/engine/engine.h"
#include "core/media/png.h"
#include "core/pipeline/delivery.h"

#include <iostream>
#include <sstream>

namespace ulm::cli {
namespace {

struct Options {
    std::string file, output, region, at;
    TicketOptions ticket;
    int depth = 8;
    bool replace = false;
};

Rect parseRegion(const std::string& text) {
    Rect r;
    char c1 = 0, c2 = 0, c3 = 0;
    std::istringstream s(text);
    if (!(s >> r.x >> c1 >> r.y >> c2 >> r.w >> c3 >> r.h) || c1 != ',' || c2 != ',' || c3 != ',' || !s.eof() ||
        r.empty() || r.w > 16384 || r.h > 16384 || std::abs(r.x) > 16384 || std::abs(r.y) > 16384)
        throw Error(Fault::Usage, "", "--region " + text + " is not X,Y,W,H",
                    "Write --region 100,200,192,192, for instance.");
    return r;
}

int frame(const Options& o, Surroundings& s) {
    if (o.depth != 8 && o.depth != 16) throw Error(Fault::Usage, "", "--depth takes 8 or 16", "");
    const double at = timeOf(o.at, "--at");
    const Ticket ticket = o.ticket.ticket(s);
    const ClipPtr clip = Clip::openVideo(o.file, s.cancel);
    if (at > clip->secondsAt(clip->frameCount()))
        throw Error(Fault::Usage, o.file,
                    "there is no picture at " + o.at + "; it is " + std::to_string(clip->facts().duration) + " s long",
                    "");
    if (!o.output.ends_with(".png"))
        throw Error(Fault::Usage, o.output, "a frame is written as PNG", "Give it a name that ends in .png.");
    OutputFile output(o.output, o.replace, o.ticket.read({o.file}));
    const auto target = o.ticket.target(s);
    std::shared_ptr<const Inspection> found;
    if (needsInspection(ticket, target, clip->facts()))
        found = std::make_shared<const Inspection>(inspectClip(clip, s.cancel));
    const DeliveryPtr d =
        resolve(std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(32) << 20), found,
                ticket, target);
    for (const std::string& remark : d->remarks()) o.ticket.notes.tell(s, o.file, remark);
    const StagePtr rgb = asRgb(d->result);
    const Rect whole = rgb->format().frame();
    const Rect region = o.region.empty() ? whole : parseRegion(o.region).intersected(whole);
    if (region.empty())
        throw Error(Fault::Usage, "",
                    "--region " + o.region + " lies outside the delivered " + std::to_string(whole.w) + "×" +
                        std::to_string(whole.h),
                    "");
    Engine engine(std::size_t(192) << 20);
    output.write(pngOf(engine.pull(*rgb, d->clock.stageOf(clip->frameAt(at)), region, s.cancel), o.depth));
    return 0;
}

} // namespace

void addFrame(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("frame", "One picture after the ticket, as PNG; a region costs about its own area");
    auto o = std::make_shared<Options>();
    c->footer(
        "Example:\n  ulmwood-cli frame clip.mp4 --at 2.5 -o spot.png --set enlarge.scale=3 --region 400,600,192,192");
    c->add_option("FILE", o->file, "Clip")->required();
    c->add_option("--at", o->at, "Time from the clip's first picture: 2.5 or 0:02.5")->required()->type_name("TIME");
    c->add_option("-o,--output", o->output, "PNG to write")->required()->type_name("OUT.png");
    o->ticket.addTo(*c);
    c->add_option("--region", o->region, "Part of the delivered picture, pixels")->type_name("X,Y,W,H");
    c->add_option("--depth", o->depth, "Bits a channel: 8 or 16")->type_name("8|16");
    c->add_flag("--replace", o->replace, "Replace an output that exists");
    c->callback([=, &action] { action = [=](Surroundings& s) { return frame(*o, s); }; });
}

} // namespace ulm::cli
