// Enlarge: networks, or a plain filter, to a scale or a size.
#include "core/engine/mix_stage.h"
#include "core/engine/resample_stage.h"
#include "core/restore/face_stage.h"
#include "core/ticket/networks.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

const std::vector<TicketKey::Choice>& methods() {
    static const std::vector<TicketKey::Choice> all = {
        {"learned", "Network: most detail"},     {"learned-quick", "Quick network: nearly that, faster"},
        {"lanczos", "Lanczos: crispest filter"}, {"spline36", "Spline 36: crisp, less ringing"},
        {"bicubic", "Bicubic: softer"},          {"bilinear", "Bilinear: softest"},
        {"point", "Point: square pixels"}};
    return all;
}

// One of the shipped ways, or a network's file.
TicketKey methodKey() {
    TicketKey k = choiceKey("enlarge.method", methods(), OF_TICKET(enlarge.method));
    k.kind = TicketKey::Kind::Method;
    k.set = [listed = k.set](Ticket& t, const nlohmann::json& j) -> std::string {
        const std::string m = j.is_string() ? j.get<std::string>() : "";
        if (m.ends_with(".onnx") && m.size() <= 4096 && m.find('\0') == std::string::npos) {
            t.enlarge.method = m;
            return "";
        }
        const std::string wrong = listed(t, j);
        return wrong.empty() ? "" : wrong + " or a FILE.onnx";
    };
    return k.called("Method").does(
        "Which way the clip is enlarged: a network that ships, one of yours (FILE.onnx), or a "
        "plain filter.");
}

// The source through networks until it is at least nearly factor() times as large; faces and what is kept of the
// original are mixed with it merely scaled.
StagePtr enlarged(const Building& b) {
    const Ticket& t = b.ticket;
    StagePtr s = enlargedByNetwork(b.picture, b.source, b.factor(), t, b.found);
    if (!s || !t.clean.on) return s;
    const PictureFormat &from = b.source->format(), &to = s->format();
    const ScaleWindow whole{0, 0, double(from.width), double(from.height), to.width, to.height};
    const StagePtr scaled = std::make_shared<ResampleStage>(b.source, whole, Kernel::Lanczos, to);
    if (t.clean.gentleFaces) s = gentlerOnFaces(s, scaled, b.found.faceBoxes(), double(to.width) / from.width);
    return t.clean.keepOriginal > 0 ? keepOriginal(s, scaled, t.clean.keepOriginal / 100) : s;
}

std::string methodWords(const Ticket& t, const Inspection& found) {
    const std::string& m = t.enlarge.method;
    if (m.ends_with(".onnx")) return m.substr(m.find_last_of('/') + 1);
    if (m.starts_with("learned")) {
        const std::string kind = networkKind(t, found);
        return kind == "rough"   ? "the network for rough clips"
               : kind == "drawn" ? "the network for drawn pictures"
                                 : "the general network";
    }
    const auto it = std::ranges::find(methods(), m, &TicketKey::Choice::value);
    std::string word = it == methods().end() ? m : it->word.substr(0, it->word.find(':'));
    if (m != "lanczos" && m != "spline36") word[0] = static_cast<char>(word[0] - 'A' + 'a');
    return word;
}

std::string told(const StepView& v) {
    const Ticket& t = v.ticket;
    const VideoFacts& video = v.facts.video;
    const Size own{video.width, video.height};
    if (!t.enlarge.on && !t.frame.on) return "Size kept: " + sizeText(own) + ".";
    if (!v.plan) return "The size cannot be worked out.";
    const Size made{v.plan->width, v.plan->height};
    const bool network = enlargesByNetwork(t) && v.plan->scale() * t.enlarge.above > kLeastEnlarged;
    if (made == own && !network) return "Size kept: " + sizeText(own) + ".";
    const bool named = t.enlarge.on && (network || !enlargesByNetwork(t)); // no network makes a clip smaller
    std::string s = "×" + shortNumber(v.plan->scale(), 2) + ", to " + sizeText(made) + " pixels, by " +
                    (named ? methodWords(t, v.found) : "Lanczos");
    if (!network) return s + ".";
    s += ", " + quantityText("strength", t.enlarge.strength, measuredStrength(t, v.found), kMostStrength, 0, " %");
    if (enlargesCrisp(t, v.found))
        s += ", " + quantityText("crisp", t.enlarge.crisp, measuredCrisp(t, v.found), 100, 0, " %");
    if (t.enlarge.above > 1) s += ", worked at ×" + shortNumber(t.enlarge.above, 2) + " of that";
    return s + ".";
}

bool byNetwork(const Ticket& t) {
    return t.enlarge.method.starts_with("learned") || t.enlarge.method.ends_with(".onnx");
}

} // namespace

bool Building::enlarging() const { return enlargesByNetwork(ticket) && factor() > kLeastEnlarged; }

StepPart enlargePart() {
    StepPart p;
    p.step = "enlarge";
    p.keys = {
        switchKey("enlarge.on", OF_TICKET(enlarge.on)),
        numberKey("enlarge.scale", 1, 8, OF_TICKET(enlarge.scale))
            .called("By", "×")
            .does("How many times as large.")
            .by(0.5, 2)
            .offers({{"1.5", "×1.5"}, {"2", "×2"}, {"3", "×3"}, {"4", "×4"}})
            .actsIf([](const Ticket& t) { return !t.enlarge.size; }, "where no enlarge.size is set"),
        sizeKey("enlarge.size", OF_TICKET(enlarge.size))
            .called("Or to size")
            .does("A size in pixels; one of another shape is covered and cut, never stretched."),
        methodKey(),
        choiceKey("enlarge.kind", {{"auto", "Auto"}, {"general", "General"}, {"rough", "Rough"}, {"drawn", "Drawn"}},
                  OF_TICKET(enlarge.kind))
            .called("Made for")
            .does(
                "General: good clips. Rough: strongly compressed or noisy ones. Drawn: line art, letters, screens and "
                "games that were strongly compressed. Auto chooses by what was found.")
            .actsIf([](const Ticket& t) { return t.enlarge.method.starts_with("learned"); },
                    "where a network that ships enlarges")
            .onlyWhereItActs(),
        quantityKey("enlarge.strength", kMostStrength, OF_TICKET(enlarge.strength))
            .called("Strength", "%")
            .does("How much of the network's work is laid over the filter's. Measured: as much as comes true when the "
                  "clip "
                  "itself is shrunk and enlarged back. At most 100 for a network of three channels.",
                  "edges ring, noise and JPEG's leftovers are drawn sharp.")
            .actsIf(byNetwork, "where a network enlarges")
            .onlyWhereItActs(),
        quantityKey("enlarge.crisp", 100, OF_TICKET(enlarge.crisp))
            .called("Crisp", "%")
            .does("From faithful (0: what is surest, a little soft) to crisp (100: edges and texture as sharp as in a "
                  "fine picture, some of it guessed). Measured: less where traces of compression, noise, faces or "
                  "letters were found, and in drawn clips.",
                  "texture looks scratched, letters wobble.")
            .actsIf([](const Ticket& t) { return t.enlarge.method.starts_with("learned"); },
                    "where a network that ships enlarges")
            .onlyWhereItActs()
            .ramps(),
        numberKey("enlarge.above", 1, 4, OF_TICKET(enlarge.above))
            .called("Work above", "×")
            .does("Works at so many times the delivered size, then scales down: crisper edges, and more time.",
                  "edges look etched, and it takes long.")
            .by(0.25, 2)
            .actsIf(byNetwork, "where a network enlarges")
            .onlyWhereItActs(),
        numberKey("enlarge.x", 0, 1, OF_TICKET(enlarge.x))
            .called("Cut across")
            .does("Where a size of another shape cuts the clip: 0 left, 1 right.")
            .by(0.01, 2)
            .actsIf([](const Ticket& t) { return !t.frame.on; }, "where Frame is off; its place wins")
            .hidden(),
        numberKey("enlarge.y", 0, 1, OF_TICKET(enlarge.y))
            .called("Cut down")
            .does("The same from top (0) to bottom (1).")
            .by(0.01, 2)
            .actsIf([](const Ticket& t) { return !t.frame.on; }, "where Frame is off; its place wins")
            .hidden()};
    for (TicketKey& k : p.keys) {
        if (k.path == "enlarge.strength") k.reading = measuredStrength;
        if (k.path == "enlarge.crisp") k.reading = measuredCrisp;
    }
    p.told = told;
    p.build = [](Building& b) {
        const Ticket::Enlarge& e = b.ticket.enlarge;
        if (e.on && e.method.starts_with("learned") && !hasNetwork(b.ticket, b.found, 2))
            b.tell("the network for enlarging is missing; Lanczos stands in");
        if (!b.enlarging()) return;
        if (StagePtr s = enlarged(b))
            b.picture = s;
        else
            b.picture = b.cleaned; // without the network nothing has taken the blocks away yet
    };
    p.needsReadings = enlargesByNetwork;
    p.scale = [](Ticket& t, const Inspection& found, double by) {
        if (!enlargesByNetwork(t) || by == 1) return;
        t.enlarge.strength = {From::Fixed,
                              std::min(kMostStrength, std::round(enlargeStrength(t, found) * by * 100) / 100), 0};
    };
    return p;
}

} // namespace ulm
