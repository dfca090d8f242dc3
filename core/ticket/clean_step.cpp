// Clean: what compression and sensors left, taken away at the source's own size.
#include "core/ticket/clean_step.h"
#include "core/engine/mix_stage.h"
#include "core/motion/aligned_stage.h"
#include "core/restore/clean_stages.h"
#include "core/restore/face_stage.h"
#include "core/ticket/networks.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// A treatment is for clips that have its fault: below `quiet` nothing of it is done, from `clear` on all of it, so that
// a control moved on a clip without the fault cannot harm it.
double there(double reading, double quiet, double clear) {
    return std::clamp((reading - quiet) / (clear - quiet), 0.0, 1.0);
}

StagePtr denoised(StagePtr s, double noise, Planes planes, bool temporal) {
    return denoise(s, noise, planes, temporal ? alignedAround(s, s, 1) : std::vector<StagePtr>{});
}

// The faults that filters treat, at the source's size, in an order in which none undoes another: colour noise and
// ringing would be taken for edges by what follows; dither comes last.
StagePtr filtered(StagePtr s, const CleanValues& c, const Readings& r, bool temporal) {
    if (const double v = c.chroma * there(r.chromaNoise, 0.4, 1.2); v >= 0.2)
        s = denoised(s, v, Planes::Chroma, temporal);
    if (const double v = c.ringing * there(r.ringing, 0.5, 1.6); v >= 0.1) s = calmRinging(s, v);
    if (const double v = c.stairs * there(r.stairs, 35, 60); v >= 1) s = smoothStairs(s, v / 100);
    if (const double v = c.banding * there(r.banding, 2, 6); v >= 1) s = dissolveBands(s, v / 100);
    return s;
}

// Networks that enlarge clean on the way; one of the person's own does not.
bool enlargesOnTheWay(const Ticket& t) { return t.enlarge.on && t.enlarge.method.starts_with("learned"); }
// Of a ticket alone: a destination may need more pixels.
bool staysAtItsSize(const Ticket& t) {
    return !enlargesOnTheWay(t) || (t.enlarge.scale <= kLeastEnlarged && !t.enlarge.size);
}

std::string told(const StepView& v) {
    const auto& c = v.ticket.clean;
    const Readings& r = v.found.readings;
    std::string s = quantityText("Blocks", c.blocks, r.blocking, kMostBlocks, 0) + ", " +
                    quantityText("noise", c.noise, r.noise, kMostNoise, 1);
    if (v.found.complete && cleansByNetwork(v.ticket, v.found) && r.compression >= 1)
        s += ", compression " + shortNumber(r.compression, 0) + " %";
    const auto more = [&](const char* name, const Quantity& q, double reading, double most) {
        if (q.from != From::Fixed || q.value > 0) s += ", " + quantityText(name, q, reading, most, 1);
    };
    if (r.chromaNoise >= 0.4) more("colour noise", c.chroma, r.chromaNoise, kMostNoise);
    more("ringing", c.ringing, r.ringing, kMostRinging);
    more("stair-steps", c.stairs, r.stairs, kMostStairs);
    more("banding", c.banding, r.banding, kMostBanding);
    if (c.on && v.found.complete && cleansCrisp(v.ticket, v.found) &&
        (!enlargesOnTheWay(v.ticket) || (v.plan && v.plan->scale() * v.ticket.enlarge.above <= kLeastEnlarged)))
        s += ", " + quantityText("crisp", c.crisp, measuredCleanCrisp(v.ticket, v.found), 100, 0, " %");
    if (c.keepOriginal > 0) s += ", " + shortNumber(c.keepOriginal, 0) + " % of the original kept";
    if (c.method == "auto" && c.on && v.found.complete)
        s += cleansByNetwork(v.ticket, v.found) ? "; by a network" : "; by filters";
    return s + ".";
}

void scale(Ticket& t, const Inspection& found, double by) {
    if (!t.clean.on) return;
    const CleanValues c = cleanValues(t, found);
    const auto scaled = [&](Quantity& q, double value, double most) {
        if (by != 1) q = {From::Fixed, std::min(most, std::round(value * by * 100) / 100), 0};
    };
    scaled(t.clean.blocks, c.blocks, kMostBlocks);
    scaled(t.clean.noise, c.noise, kMostNoise);
    scaled(t.clean.chroma, c.chroma, kMostNoise);
    scaled(t.clean.ringing, c.ringing, kMostRinging);
    scaled(t.clean.stairs, c.stairs, kMostStairs);
    scaled(t.clean.banding, c.banding, kMostBanding);
    t.clean.texture = std::min(100.0, std::round(t.clean.texture * by));
}

bool follows(const Quantity& q) { return q.from != From::Fixed; }

} // namespace

StagePtr cleanedStage(StagePtr source, const Ticket& t, const Inspection& found, bool enlarging) {
    const Readings& r = found.readings;
    if (!t.clean.on) return source;
    const CleanValues c = cleanValues(t, found);
    StagePtr s = source;
    if (t.clean.texture > 0) s = raiseTexture(s, t.clean.texture / 100, r.noise);
    if (!enlarging || !cleansByNetwork(t, found) || !enlargesOnTheWay(t)) {
        const StagePtr learned = cleansByNetwork(t, found) ? cleanedByNetwork(s, source, t, found) : nullptr;
        if (learned) {
            s = learned;
        } else {
            if (const double v = c.blocks * there(r.blocking, 1, 3); v >= 0.5) s = deblock(s, v);
            if (const double v = c.noise * there(r.noise, 0.4, 1.2); v >= 0.25)
                s = denoised(s, v, Planes::Luma, t.clean.temporal);
        }
    }
    s = filtered(s, c, r, t.clean.temporal);
    if (!enlarging && t.clean.gentleFaces) s = gentlerOnFaces(s, source, found.faceBoxes(), 1);
    if (s != source && !enlarging && t.clean.keepOriginal > 0) s = keepOriginal(s, source, t.clean.keepOriginal / 100);
    return s;
}

StepPart cleanPart() {
    StepPart p;
    p.step = "clean";
    p.keys = {
        switchKey("clean.on", OF_TICKET(clean.on)),
        choiceKey("clean.method",
                  {{"auto", "Found"}, {"learned", "Network"}, {"learned-quick", "Quick net"}, {"classic", "Filters"}},
                  OF_TICKET(clean.method))
            .called("Done by")
            .does("Who takes blocks and noise away. Found: a network where hard compression is the fault (a quick one "
                  "beyond "
                  "1280×720), filters along movement where it is noise. Network: a trained network that also looks at "
                  "the frames before and after. Quick net: a smaller one. Filters: without any network."),
        quantityKey("clean.blocks", kMostBlocks, OF_TICKET(clean.blocks))
            .called("Blocks")
            .does("Evens out what strong compression leaves: squares, smears, mosquitos beside edges. Tenths of an "
                  "8-bit step across the block grid.",
                  "fine texture turns smooth, small letters soften.")
            .follows(&Readings::blocking)
            .ramps(),
        quantityKey("clean.noise", kMostNoise, OF_TICKET(clean.noise))
            .called("Noise")
            .does(
                "Takes away grain that changes from frame to frame; frames before and after are followed along. Sigma "
                "in 8-bit steps.",
                "shadows look painted, skin turns waxy.")
            .by(0.5, 1)
            .follows(&Readings::noise)
            .ramps(),
        quantityKey("clean.noise_chroma", kMostNoise, OF_TICKET(clean.chroma))
            .called("Colour noise")
            .does("Takes away blotches of colour, mostly in the dark. Sigma in 8-bit steps.",
                  "small coloured things grow grey.")
            .by(0.5, 1)
            .follows(&Readings::chromaNoise),
        quantityKey("clean.ringing", kMostRinging, OF_TICKET(clean.ringing))
            .called("Ringing")
            .does("Calms the ripples beside strong edges, where it is quiet further away. 8-bit steps.",
                  "fine lines beside edges fade.")
            .by(0.5, 1)
            .follows(&Readings::ringing),
        quantityKey("clean.stairs", kMostStairs, OF_TICKET(clean.stairs))
            .called("Stair-steps")
            .does("Smooths slanted edges along their own direction, %.", "corners round off.")
            .follows(&Readings::stairs),
        quantityKey("clean.banding", kMostBanding, OF_TICKET(clean.banding))
            .called("Banding")
            .does("Turns steps in skies and glows back into slopes, %.", "faint folds and clouds vanish.")
            .follows(&Readings::banding),
        quantityKey("clean.crisp", 100, OF_TICKET(clean.crisp))
            .called("Crisp", "%")
            .does("From faithful (0: what is surest, a little soft) to crisp (100: edges and texture as sharp as in a "
                  "fine "
                  "picture, some of it guessed). Measured: nearer to faithful on noisy clips and those with faces or "
                  "letters; "
                  "drawn clips stay faithful. Where Enlarge's network cleans on the way, its own Crisp counts.",
                  "fine hatching in what was flat.")
            .actsIf([](const Ticket& t) { return t.clean.method != "classic" && staysAtItsSize(t); },
                    "where a network cleans at the clip's own size")
            .onlyWhereItActs(),
        numberKey("clean.texture", 0, 100, OF_TICKET(clean.texture))
            .called("Texture first", "%")
            .does("Raises the clip's own fine texture before it is treated, so that it is not smoothed away.",
                  "cloth and hair look gritty."),
        numberKey("clean.keep_original", 0, 100, OF_TICKET(clean.keepOriginal))
            .called("Keep original", "%")
            .does("Mixes the untreated picture back in, to keep life in it.", "the faults come back with it.")
            .ramps(),
        flagKey("clean.temporal", OF_TICKET(clean.temporal))
            .called("Look along movement")
            .does(
                "The filters take noise away with the help of the frames before and after, followed along what moves. "
                "Without it: from each frame alone, faster and less thorough.")
            .actsIf(
                [](const Ticket& t) {
                    return !t.clean.method.starts_with("learned") || t.clean.chroma.from != From::Fixed ||
                           t.clean.chroma.value > 0;
                },
                "where filters clean (clean.method is auto or classic), or take colour noise away")
            .onlyWhereItActs(),
        flagKey("clean.faces", OF_TICKET(clean.gentleFaces))
            .called("Gentler on faces")
            .does("Half of the original stays on faces; they are outlined on the picture while Clean is open.")};
    p.told = told;
    p.build = [](Building& b) {
        b.cleaned = cleanedStage(b.source, b.ticket, b.found, false);
        b.picture = b.enlarging() ? cleanedStage(b.source, b.ticket, b.found, true) : b.cleaned;
        if (cleansByNetwork(b.ticket, b.found) && !hasNetwork(b.ticket, b.found, 1))
            b.tell("the network for cleaning is missing; the classic way stands in");
        if (b.ticket.clean.on && b.ticket.clean.crisp.from != From::Measured && !b.enlarging() &&
            !cleansCrisp(b.ticket, b.found))
            b.tell("no crisp network cleans this clip: Clean's crispness does nothing");
    };
    for (TicketKey& k : p.keys)
        if (k.path == "clean.crisp") k.reading = measuredCleanCrisp;
    p.needsReadings = [](const Ticket& t) {
        const auto& c = t.clean;
        return c.on && (c.method != "classic" || follows(c.blocks) || follows(c.noise) || follows(c.chroma) ||
                        follows(c.ringing) || follows(c.stairs) || follows(c.banding));
    };
    p.scale = scale;
    p.variants = {{"Some original kept", {"clean.keep_original=30"}}};
    return p;
}

} // namespace ulm
