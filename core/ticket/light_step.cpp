// Finish: light and colour first, so that sharpening and grain meet the tones that are delivered; then a look-up table,
// which is made for a picture whose light is right already.
#include "core/finish/colour_stage.h"
#include "core/finish/glow_stage.h"
#include "core/finish/table_stage.h"
#include "core/finish/vignette_stage.h"
#include "core/ticket/step.h"

#include <cmath>

namespace ulm {
namespace {

std::string signedNumber(double v, int decimals) {
    return (v > 0 ? "+" : v < 0 ? "−" : "") + shortNumber(std::abs(v), decimals);
}

struct Said {
    double Colour::*value;
    const char *name, *unit;
    int decimals;
};
constexpr Said kSaid[] = {{&Colour::exposure, "exposure", " stops", 2},
                          {&Colour::contrast, "contrast", "", 0},
                          {&Colour::shadows, "shadows", "", 0},
                          {&Colour::lights, "lights", "", 0},
                          {&Colour::lightness, "lightness", "", 0},
                          {&Colour::warmth, "warmth", "", 0},
                          {&Colour::tint, "tint", "", 0},
                          {&Colour::saturation, "saturation", "", 0},
                          {&Colour::vibrance, "vibrance", "", 0},
                          {&Colour::hue, "hue", "°", 0}};

std::string told(const StepView& v) {
    const auto& f = v.ticket.finish;
    std::string all;
    const auto add = [&](const std::string& part) { all += (all.empty() ? "" : ", ") + part; };
    if (standardises(v.ticket, v.facts.video)) add("HDR to standard range");
    for (const Said& s : kSaid)
        if (const double by = f.colour.*s.value; by != 0)
            add(std::string(s.name) + " " + signedNumber(by, s.decimals) + s.unit);
    if (!f.curve.empty()) add("a curve");
    if (!f.table.empty())
        add("table " + f.table.substr(f.table.find_last_of('/') + 1) +
            (f.tableStrength < 100 ? " at " + shortNumber(f.tableStrength, 0) + " %" : ""));
    return all;
}

void lit(Building& b) {
    const auto& f = b.ticket.finish;
    if (!f.on) return;
    b.picture = coloured(b.picture, f.colour, curveFrom(f.curve));
    if (!f.table.empty()) b.picture = throughTable(b.picture, loadLookTable(f.table), f.tableStrength / 100);
}

bool contrasts(const Ticket& t) { return t.finish.colour.contrast != 0; }
bool usesTable(const Ticket& t) { return !t.finish.table.empty(); }
bool glows(const Ticket& t) { return t.finish.glow.amount > 0; }

} // namespace

bool standardises(const Ticket& t, const VideoFacts& v) { return t.finish.on && t.finish.hdr == "standard" && v.hdr(); }

StepPart lightPart() {
    StepPart p;
    p.step = "finish";
    p.keys = {
        choiceKey("finish.hdr", {{"keep", "Keep"}, {"standard", "Standard range"}}, OF_TICKET(finish.hdr))
            .called("HDR")
            .does("An HDR clip (PQ or HLG): keep it so, for screens that show it, or bring it to standard range, which "
                  "every "
                  "screen shows. Acts on HDR clips only."),
        numberKey("finish.light.exposure", -3, 3, OF_TICKET(finish.colour.exposure))
            .called("Exposure", "stops")
            .under("Light")
            .does("More or less light, as a camera would take it: whites bend instead of clipping.",
                  "pale skies, grey blacks.")
            .slides(-2, 2)
            .by(0.05, 2),
        numberKey("finish.light.contrast", -100, 100, OF_TICKET(finish.colour.contrast))
            .called("Contrast")
            .does("A curve that is steeper in the middle; black and white stay.", "blocked shadows, harsh skin.")
            .ramps(),
        numberKey("finish.light.pivot", 10, 90, OF_TICKET(finish.colour.pivot))
            .called("Around", "%")
            .does("The tone that contrast leaves as it is, % of the signal.", "the picture gets darker or lighter.")
            .actsIf(contrasts, "where finish.light.contrast is not 0")
            .onlyWhereItActs(),
        numberKey("finish.light.shadows", -100, 100, OF_TICKET(finish.colour.shadows))
            .called("Shadows")
            .does("Lifts or lowers the dark tones; black stays.", "noise in the dark comes up."),
        numberKey("finish.light.lights", -100, 100, OF_TICKET(finish.colour.lights))
            .called("Lights")
            .does("Lifts or lowers the bright tones; white stays.", "flat skies, or none."),
        numberKey("finish.light.lightness", -100, 100, OF_TICKET(finish.colour.lightness))
            .called("Lightness")
            .does("Lifts or lowers the middle tones.", "a washed-out or heavy picture."),
        textKey("finish.light.curve", "TONE:TONE …", curveWrong, OF_TICKET(finish.curve))
            .called("Curve")
            .does("A free tone curve through places: tones in percent and what becomes of them, such as 0:0 25:20 "
                  "100:100.",
                  "bands where it is steep, patches where it is flat."),
        numberKey("finish.colour.warmth", -100, 100, OF_TICKET(finish.colour.warmth))
            .called("Warmth")
            .under("Colour")
            .does("White moves along daylight, from blue (below 0) to amber, in mired.", "orange or blue skin."),
        numberKey("finish.colour.tint", -100, 100, OF_TICKET(finish.colour.tint))
            .called("Tint")
            .does("White moves to magenta (below 0) or to green, in hundredths of a stop.", "sick skin."),
        numberKey("finish.colour.saturation", -100, 100, OF_TICKET(finish.colour.saturation))
            .called("Saturation", "%")
            .does("All colours stronger or paler; −100 is black and white.", "burning reds, patches of one colour.")
            .ramps(),
        numberKey("finish.colour.vibrance", -100, 100, OF_TICKET(finish.colour.vibrance))
            .called("Vibrance", "%")
            .does("Pale colours stronger or paler; strong ones and skin hardly.", "everything equally bright."),
        numberKey("finish.colour.hue", -180, 180, OF_TICKET(finish.colour.hue))
            .called("Hue", "°")
            .does("Turns all colours by degrees.", "wrong skin.")
            .slides(-30, 30),
        fileKey("finish.table", ".cube", OF_TICKET(finish.table))
            .called("Table")
            .under("Look-up table")
            .does("A look from a .cube file, after light and colour are right.")
            .actsIf([](const Ticket& t) { return t.finish.tableStrength > 0; },
                    "where finish.table_strength is above 0"),
        numberKey("finish.table_strength", 0, 100, OF_TICKET(finish.tableStrength))
            .called("Strength", "%")
            .does("How much of what the table changes is kept.")
            .actsIf(usesTable, "where finish.table is set")
            .onlyWhereItActs()};
    p.told = told;
    p.build = lit;
    p.tones = true;
    return p;
}

StepPart glowPart() {
    StepPart p;
    p.step = "finish";
    p.keys = {numberKey("finish.glow.amount", 0, 100, OF_TICKET(finish.glow.amount))
                  .called("Glow", "%")
                  .under("Glow and corners")
                  .does("Light of bright places spills over their surroundings.", "a veil over everything."),
              numberKey("finish.glow.threshold", 0, 95, OF_TICKET(finish.glow.threshold))
                  .called("From", "%")
                  .does("How bright a place must be to glow.", "only lamps glow.")
                  .actsIf(glows, "where finish.glow.amount is above 0")
                  .onlyWhereItActs(),
              numberKey("finish.glow.radius", 2, 60, OF_TICKET(finish.glow.radius))
                  .called("Reach", "px")
                  .does("How far light spills, in delivered pixels.", "fog.")
                  .actsIf(glows, "where finish.glow.amount is above 0")
                  .onlyWhereItActs(),
              numberKey("finish.vignette", -100, 100, OF_TICKET(finish.vignette))
                  .called("Corners", "%")
                  .does("Darkens the corners as a lens does, 100 by two stops; below 0 lights them up.",
                        "a tunnel; grain in lit corners.")};
    p.told = [](const StepView& v) -> std::string {
        const auto& f = v.ticket.finish;
        std::string all;
        if (f.glow.amount > 0)
            all = "glow " + shortNumber(f.glow.amount, 0) + " over " + shortNumber(f.glow.radius, 0) + " px";
        if (f.vignette != 0)
            all += std::string(all.empty() ? "" : ", ") + "corners " + (f.vignette > 0 ? "darker by " : "lighter by ") +
                   shortNumber(std::abs(f.vignette), 0);
        return all;
    };
    p.build = [](Building& b) {
        const auto& f = b.ticket.finish;
        if (!f.on) return;
        b.picture = glow(b.picture, f.glow.amount / 100, f.glow.threshold / 100, f.glow.radius);
        b.picture = vignette(b.picture, f.vignette / 100);
    };
    p.tones = true;
    return p;
}

} // namespace ulm
