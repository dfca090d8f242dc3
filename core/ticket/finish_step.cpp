// Finish: clarity, then sharpening, kept in bounds, then grain: grain that is sharpened turns gritty, and grain laid
// before anything else is taken for noise.
#include "core/finish/clarity_stage.h"
#include "core/finish/detail_stage.h"
#include "core/finish/grain_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

bool grains(const Ticket& t) { return t.finish.grain.amount > 0; }
bool sharpens(const Ticket& t) { return t.finish.sharpens(); }

std::string sharpeningTold(const StepView& v) {
    const auto& f = v.ticket.finish;
    std::string s;
    if (f.clarity.amount != 0)
        s = std::string("clarity ") + (f.clarity.amount > 0 ? "+" : "−") + shortNumber(std::abs(f.clarity.amount), 0) +
            " over " + shortNumber(f.clarity.radius, 0) + " px";
    if (f.amount > 0)
        s += std::string(s.empty() ? "" : ", ") + "sharpen " + shortNumber(f.amount, 2) + " at " +
             shortNumber(f.radius, 1) + " px";
    if (f.detail.any())
        s += (s.empty() ? "detail " : ", detail ") + shortNumber(f.detail.finest, 2) + " / " +
             shortNumber(f.detail.fine, 2) + " / " + shortNumber(f.detail.medium, 2) + " / " +
             shortNumber(f.detail.coarse, 2);
    return s;
}

void sharpened(Building& b) {
    const auto& f = b.ticket.finish;
    if (!f.on) return;
    b.picture = clarity(b.picture, f.clarity.amount / 100, f.clarity.radius);
    const StagePtr plain = b.picture;
    StagePtr s = plain;
    if (f.amount > 0) s = unsharp(s, f.amount, f.radius);
    const auto& d = f.detail;
    if (d.any()) s = sharpenByDetail(s, {d.finest, d.fine, d.medium, d.coarse}, d.threshold);
    if (s != plain && (f.haloLimit > 0 || f.shadows)) s = guardSharpening(s, plain, f.haloLimit / 100, f.shadows);
    b.picture = s;
}

} // namespace

StepPart sharpenPart() {
    StepPart p;
    p.step = "finish";
    p.keys = {
        switchKey("finish.on", OF_TICKET(finish.on)),
        numberKey("finish.clarity.amount", -100, 100, OF_TICKET(finish.clarity.amount))
            .called("Clarity", "%")
            .under("Detail", true)
            .does("Local contrast: forms stand out from what is around them; skin less. Below 0 softer.",
                  "dirty skin, heavy clouds."),
        numberKey("finish.clarity.radius", 2, 60, OF_TICKET(finish.clarity.radius))
            .called("Clarity over", "px")
            .does("How large the forms are, in delivered pixels: 10 to 35 as a rule.", "the picture's light itself.")
            .actsIf([](const Ticket& t) { return t.finish.clarity.amount != 0; },
                    "where finish.clarity.amount is not 0")
            .onlyWhereItActs(),
        numberKey("finish.sharpen.amount", 0, 3, OF_TICKET(finish.amount))
            .called("Sharpen")
            .does("Unsharp mask on brightness: steepens edges.", "bright and dark lines beside edges, rough shadows.")
            .by(0.05, 2)
            .ramps(),
        numberKey("finish.sharpen.radius", 0.3, 5, OF_TICKET(finish.radius))
            .called("Radius", "px")
            .does("How wide an edge is taken to be, in delivered pixels.", "haloes.")
            .by(0.1, 1)
            .actsIf([](const Ticket& t) { return t.finish.amount > 0; }, "where finish.sharpen.amount is above 0")
            .ramps(),
        numberKey("finish.detail.finest", 0, 3, OF_TICKET(finish.detail.finest))
            .called("Finest")
            .under("By size of detail")
            .does("Raises detail of about a pixel.", "grit and shimmering.")
            .by(0.05, 2),
        numberKey("finish.detail.fine", 0, 3, OF_TICKET(finish.detail.fine))
            .called("Fine")
            .does("Raises detail of about two pixels: lashes, cloth.", "hard, dry skin.")
            .by(0.05, 2),
        numberKey("finish.detail.medium", 0, 3, OF_TICKET(finish.detail.medium))
            .called("Medium")
            .does("Raises detail of about five pixels: features, leaves.", "lines beside edges.")
            .by(0.05, 2),
        numberKey("finish.detail.coarse", 0, 3, OF_TICKET(finish.detail.coarse))
            .called("Coarse")
            .does("Raises forms of about ten pixels: more depth.", "glowing outlines.")
            .by(0.05, 2),
        numberKey("finish.detail.threshold", 0, 20, OF_TICKET(finish.detail.threshold))
            .called("Leave below")
            .does("Detail fainter than so many 8-bit steps is left alone, so that noise is not raised.",
                  "only the strongest edges change.")
            .by(0.5, 1)
            .actsIf([](const Ticket& t) { return t.finish.detail.any(); }, "where a size of detail is raised"),
        numberKey("finish.halo_limit", 0, 100, OF_TICKET(finish.haloLimit))
            .called("Limit haloes", "%")
            .under("Kept in bounds")
            .does("How much of the overshoot beside edges is cut off.", "sharpening loses its bite.")
            .actsIf(sharpens, "where something is sharpened"),
        flagKey("finish.shadows", OF_TICKET(finish.shadows))
            .called("Spare the shadows")
            .does("Sharpening fades in the shadows, where it would raise noise.")
            .actsIf(sharpens, "where something is sharpened")};
    p.told = sharpeningTold;
    p.build = sharpened;
    p.scale = [](Ticket& t, const Inspection&, double by) {
        auto& f = t.finish;
        if (!f.on) return;
        for (double* v : {&f.amount, &f.detail.finest, &f.detail.fine, &f.detail.medium, &f.detail.coarse})
            *v = std::min(3.0, std::round(*v * by * 100) / 100);
        f.clarity.amount = std::clamp(std::round(f.clarity.amount * by), -100.0, 100.0);
    };
    p.variants = {{"Crisp", {"finish.sharpen.amount=1.2", "finish.sharpen.radius=0.8"}}};
    return p;
}

StepPart grainPart() {
    StepPart p;
    p.step = "finish";
    p.keys = {
        numberKey("finish.grain.amount", 0, 20, OF_TICKET(finish.grain.amount))
            .called("Grain")
            .under("Film grain")
            .does(
                "Grain that lives: new in every frame. It costs bits; see what the encode leaves of it under Encoded. "
                "Sigma in 8-bit steps.",
                "the picture looks dirty, the file grows.")
            .by(0.25, 2),
        numberKey("finish.grain.size", 0.5, 4, OF_TICKET(finish.grain.size))
            .called("Grain size", "px")
            .does("Larger grain survives an encode better.", "blotches.")
            .by(0.1, 1)
            .actsIf(grains, "where finish.grain.amount is above 0"),
        numberKey("finish.grain.midtones", 0, 1, OF_TICKET(finish.grain.midtones))
            .called("In mid-tones")
            .does("0: even in all tones. 1: in the middle tones only, as on film.", "flat black and white.")
            .by(0.05, 2)
            .actsIf(grains, "where finish.grain.amount is above 0"),
        numberKey("finish.grain.seed", 0, 1e6, OF_TICKET(finish.grain.seed))
            .called("Seed")
            .does("Which grain it is: another whole number lays other grain.")
            .actsIf(grains, "where finish.grain.amount is above 0")
            .hidden()};
    p.told = [](const StepView& v) -> std::string {
        const auto& g = v.ticket.finish.grain;
        if (!v.ticket.finish.on || !grains(v.ticket)) return "";
        return "grain " + shortNumber(g.amount, 2) + " of " + shortNumber(g.size, 1) + " px";
    };
    p.build = [](Building& b) {
        const auto& g = b.ticket.finish.grain;
        if (b.ticket.finish.on && g.amount > 0)
            b.picture = filmGrain(b.picture, g.amount, g.size, g.midtones, static_cast<std::uint32_t>(g.seed));
    };
    return p;
}

} // namespace ulm
