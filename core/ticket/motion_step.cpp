// Motion: when frames are shown, and what lies between them.
#include "core/ticket/motion_step.h"

#include "core/base/words.h"
#include "core/engine/pick_stage.h"
#include "core/media/deinterlace_stage.h"
#include "core/motion/between_stage.h"
#include "core/ticket/between_places.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {

using nlohmann::json;

// "30000/1001" too.
json parseRate(const std::string& text) {
    const bool fraction = text.find('/') != text.npos;
    std::string_view left = text;
    const auto over = takeNumber(left, fraction ? '/' : '\0');
    const auto under = fraction && over ? takeNumber(left, 0) : std::optional(1.0);
    if (!over || !under || !(*under > 0)) return text;
    return *over / *under;
}

TicketKey rateKey() {
    TicketKey k = numberKey("motion.fps", 0, 240, OF_TICKET(motion.fps))
                      .called("Frame rate")
                      .does("How many frames a second are delivered; 0: as many as the clip has. 29.97 stands for "
                            "30000/1001, which can be written so too.",
                            "what is made up between two frames wobbles where movement is wild.")
                      .by(1, 2)
                      .offers({{"0", "Own"}, {"24", "24"}, {"25", "25"}, {"30", "30"}, {"50", "50"}, {"60", "60"}});
    k.parse = parseRate;
    k.set = [plain = k.set](Ticket& t, const json& j) -> std::string {
        if (j.is_number() && j.get<double>() > 0 && j.get<double>() < 1)
            return "must be 0 (as the clip has it), or lie in 1…240";
        return plain(t, j);
    };
    return k;
}

// Pairs "SECONDS:VALUE" in order of time, values in [least, most]; or what is wrong with them.
template <class Pair>
std::string readPairs(const std::string& text, double least, double most, double unit, std::vector<Pair>& pairs) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        std::string_view left = word;
        const auto t = takeNumber(left, ':'), v = t ? takeNumber(left, 0) : std::nullopt;
        if (!v || *t < 0 || *t > 1e6) return "must be SECONDS:VALUE …, such as 1.5:50";
        if (*v < least || *v > most) return "must have values in " + shortNumber(least, 2) + "…" + shortNumber(most, 2);
        if (!pairs.empty() && *t <= pairs.back().seconds) return "must be in order of time";
        if (pairs.size() == 100) return "must not have more than 100 places";
        pairs.push_back({*t, *v * unit});
    }
    return "";
}

std::string readRamps(const std::string& text, std::vector<SpeedAt>& to) { return readPairs(text, 5, 800, 0.01, to); }
std::string readFreezes(const std::string& text, std::vector<FreezeAt>& to) { return readPairs(text, 0.01, 60, 1, to); }

Between methodOf(const Ticket& t) { return t.motion.method == "fast" ? Between::Fast : Between::Careful; }

StagePtr keptOnly(const StagePtr& s, const Retiming& r) {
    if (!r.kept) return s;
    KeyMaker key("kept");
    key.add(r.kept->data(), r.kept->size() * sizeof(std::int64_t));
    return pickFrames(s, static_cast<std::int64_t>(r.kept->size()), key,
                      [kept = r.kept](std::int64_t n) { return (*kept)[static_cast<std::size_t>(n)]; });
}

std::string placesWords(const Ticket& t) {
    std::string s;
    const std::vector<BetweenPlace> all = betweenPlacesFrom(t.motion.places);
    for (const auto& [way, word] : {std::pair(BetweenWay::Rebuild, "rebuilt"), std::pair(BetweenWay::Blend, "blended"),
                                    std::pair(BetweenWay::Hold, "held")})
        if (const auto n = std::ranges::count(all, way, &BetweenPlace::way))
            s += std::string(", ") + word + " in " + std::to_string(n) + (n == 1 ? " place" : " places");
    return s;
}

// By index of what is kept: the first frame of a shot that is left of it.
std::vector<std::int64_t> keptCuts(const std::vector<std::int64_t>& cuts, const Retiming& r) {
    if (!r.kept) return cuts;
    std::vector<std::int64_t> all;
    for (const std::int64_t c : cuts) all.push_back(std::ranges::lower_bound(*r.kept, c) - r.kept->begin());
    return all;
}

double wantedRate(const StepView& v) {
    if (v.ticket.motion.fps > 0) return v.ticket.motion.fps;
    return v.facts.video.fps * (takesFields(v.ticket, v.found, v.facts.video)      ? 2
                                : undoesPulldown(v.ticket, v.found, v.facts.video) ? 0.8
                                                                                   : 1);
}

std::string rateWords(const StepView& v) {
    const double own = v.facts.video.fps, fps = wantedRate(v);
    if (std::abs(fps - own) < 1e-3) return shortNumber(own, 2) + " frames a second";
    return shortNumber(own, 2) + " → " + shortNumber(fps, 2) + " frames a second";
}

std::string told(const StepView& v) {
    const Ticket::Motion& m = v.ticket.motion;
    const bool film = undoesPulldown(v.ticket, v.found, v.facts.video);
    const double own = v.facts.video.fps, fps = wantedRate(v);
    if (!m.on) return shortNumber(own, 2) + " frames a second, as filmed.";
    const std::size_t repeats = v.found.duplicates.size();
    const bool closes = !film && m.duplicates == "remove" && m.fps == 0 && v.found.repeats.of && repeats;
    const std::size_t freezes = freezesFrom(m.freezes).size();
    std::string s = rateWords(v);
    if (deinterlaces(v.ticket, v.found, v.facts.video)) s = "Deinterlaced, " + s;
    if (deinterlaces(v.ticket, v.found, v.facts.video) && m.deinterlace == "fields") s += " from its fields";
    if (film) s = "Pulldown undone, " + s;
    if (m.stabilise > 0) s += ", steadied by " + shortNumber(m.stabilise, 0) + " %";
    if (m.reverse) s += ", backwards";
    if (makesFrames(v.ticket) && m.shutter > 0) s += ", a shutter of " + shortNumber(m.shutter, 0) + "°";
    if (m.speed != 100) s += ", at " + shortNumber(m.speed, 1) + " % of its speed";
    if (!m.ramps.empty()) s += ", speed set at " + std::to_string(rampsFrom(m.ramps).size()) + " places";
    if (freezes) s += freezes == 1 ? ", one halt" : ", " + std::to_string(freezes) + " halts";
    if (!film && m.duplicates != "keep" && repeats)
        s += ", " + std::to_string(repeats) + (repeats == 1 ? " repeat " : " repeats ") +
             (closes                  ? "taken out"
              : makesFrames(v.ticket) ? "replaced"
                                      : "left out");
    // Every frame that is asked for is there: as long as it is neither slowed nor turned into more.
    const double ratio =
        own * (film ? 0.8 : 1) * (takesFields(v.ticket, v.found, v.facts.video) ? 2 : 1) * m.speed / 100 / fps;
    const bool there = std::abs(ratio - std::round(ratio)) < 1e-3 && std::round(ratio) >= 1;
    if (there && m.ramps.empty() && (film || m.duplicates == "keep" || !repeats || closes))
        return s + (std::round(ratio) > 1 ? ", by leaving frames out." : ".");
    if (m.method == "hold") return s + ", by repeating or leaving out frames" + placesWords(v.ticket) + ".";
    const char* const unsure = m.unsure == "mix" && m.shutter == 0 ? ", mixed where unsure" : "";
    return s + ", in-betweens " + m.method + unsure + placesWords(v.ticket) + ".";
}

} // namespace

std::string rampsWrong(const std::string& text) {
    std::vector<SpeedAt> all;
    return readRamps(text, all);
}

std::vector<SpeedAt> rampsFrom(const std::string& text) {
    std::vector<SpeedAt> all;
    readRamps(text, all);
    return all;
}

std::string rampsText(const std::vector<SpeedAt>& all) {
    std::string text;
    for (const SpeedAt& s : all)
        text += (text.empty() ? "" : " ") + shortNumber(s.seconds, 3) + ":" + shortNumber(100 * s.speed, 0);
    return text;
}

std::string freezesWrong(const std::string& text) {
    std::vector<FreezeAt> all;
    return readFreezes(text, all);
}

std::vector<FreezeAt> freezesFrom(const std::string& text) {
    std::vector<FreezeAt> all;
    readFreezes(text, all);
    return all;
}

bool makesFrames(const Ticket& t) {
    if (!t.motion.on) return false;
    const auto places = betweenPlacesFrom(t.motion.places);
    return t.motion.method != "hold" ||
           std::ranges::any_of(places, [](const BetweenPlace& p) { return p.way != BetweenWay::Hold; });
}

StagePtr pathsHalfWay(const StagePtr& clip, const Ticket& t, const Retiming& r, const std::vector<std::int64_t>& cuts,
                      std::vector<std::int64_t> pairs) {
    KeyMaker key("half way");
    key.add(pairs.data(), pairs.size() * sizeof(std::int64_t));
    const auto count = static_cast<std::int64_t>(pairs.size());
    const auto at = [pairs = std::move(pairs)](std::int64_t n) {
        return BetweenInstant{pairs[static_cast<std::size_t>(n)], 0.5};
    };
    return betweenPaths(keptOnly(clip, r), {count, key, at, keptCuts(cuts, r)}, methodOf(t));
}

bool changesTime(const Ticket& t) {
    const Ticket::Motion& m = t.motion;
    return m.on && (m.speed != 100 || m.seconds > 0 || m.reverse || !m.ramps.empty() || !m.freezes.empty());
}

bool deinterlaces(const Ticket& t, const Inspection& found, const VideoFacts& v) {
    const auto& m = t.motion;
    if (!m.on || m.deinterlace == "off" || m.deinterlace == "film" || !v.upright()) return false;
    if (undoesPulldown(t, found, v)) return false;
    return m.deinterlace == "frame" || found.fieldOrder != "progressive" || (v.interlaced && !found.complete);
}

bool takesFields(const Ticket& t, const Inspection& found, const VideoFacts& v) {
    return t.motion.deinterlace == "fields" && deinterlaces(t, found, v);
}

bool undoesPulldown(const Ticket& t, const Inspection& found, const VideoFacts& v) {
    const auto& m = t.motion;
    return m.on && v.upright() && (m.deinterlace == "auto" || m.deinterlace == "film") && found.pulldown.any();
}

StagePtr Building::onClock(StagePtr s) const {
    return retiming.frames ? pickFrames(s, retiming.frames, retiming.key, retiming.pick) : s;
}

StepPart motionPart() {
    StepPart p;
    p.step = "motion";
    p.keys = {
        switchKey("motion.on", OF_TICKET(motion.on)),
        rateKey(),
        choiceKey("motion.method", {{"careful", "Careful"}, {"fast", "Fast"}, {"hold", "Repeat"}},
                  OF_TICKET(motion.method))
            .called("In between")
            .does("What is shown between two frames. Careful: a picture made along the movement. Fast: the same from "
                  "fewer guesses. Repeat: none is made; frames are repeated or left out."),
        textKey("motion.places", "FROM-TO:WAY …", betweenPlacesWrong, OF_TICKET(motion.places))
            .called("But in")
            .does("Where it is done otherwise, such as 0.5-1.2:hold 0:03-0:04:blend. Rebuild: along the movement; "
                  "blend: both frames mixed where they are; hold: the nearer frame.")
            .hidden(),
        choiceKey("motion.unsure", {{"whole", "Keep whole"}, {"mix", "Mix"}}, OF_TICKET(motion.unsure))
            .called("If unsure")
            .does(
                "What in-betweens show where movement cannot be told, such as of crossing legs. Keep whole: the shape "
                "of the nearer frame, moved along. Mix: what may be true at once, which is nearer to the truth on "
                "average, but tears or doubles limbs.")
            .actsIf([](const Ticket& t) { return makesFrames(t) && t.motion.shutter == 0; },
                    "where pictures in between are made, without a shutter"),
        numberKey("motion.speed", 10, 400, OF_TICKET(motion.speed))
            .called("Speed", "%")
            .does("How fast it runs: 50 takes twice the time. The sound keeps its pitch.",
                  "slow: made-up frames follow each other and swim; fast: movement is chopped.")
            .by(5, 0)
            .actsIf([](const Ticket& t) { return t.motion.seconds == 0; }, "where motion.seconds is 0"),
        choiceKey("motion.duplicates", {{"keep", "Keep"}, {"replace", "Replace"}, {"remove", "Take out"}},
                  OF_TICKET(motion.duplicates))
            .called("Repeats")
            .does("Frames that repeat the one before. Replace: by pictures in between, or by none where the rate "
                  "needs none. Take out: where they come in a steady pattern the clip gets the rate it was "
                  "filmed at (30 with every fifth repeated becomes 24); elsewhere they are replaced."),
        choiceKey("motion.deinterlace",
                  {{"auto", "Found"}, {"off", "Off"}, {"frame", "Always"}, {"fields", "Fields"}, {"film", "Film"}},
                  OF_TICKET(motion.deinterlace))
            .called("Deinterlace")
            .does(
                "Makes whole pictures of frames that hold two fields, before everything else: no combs on what "
                "moves. Found: if the clip is marked so or combs were found. Fields: a picture of each field, so that "
                "25 frames of two fields become 50 that move as filmed. Film: fields are only put together as they "
                "were "
                "filmed (pulldown undone, 29.97 become 23.98); Found does so too where it is found.",
                "on a clip without fields fine lines soften."),
        numberKey("motion.stabilise", 0, 100, OF_TICKET(motion.stabilise))
            .called("Steady", "%")
            .does("Takes the camera's shake out of the picture. 20 keeps how it was held, 100 stands almost still; the "
                  "picture is enlarged just so much that no border shows.",
                  "a narrow picture, and movement that floats."),
        numberKey("motion.seconds", 0, 3600, OF_TICKET(motion.seconds))
            .called("Length", "s")
            .under("Length, ramps, halts")
            .does("How long the delivered movie is to be: the speed follows. 0: as Speed says.")
            .atZero("as Speed says")
            .slides(0, 60)
            .by(0.1, 2),
        numberKey("motion.shutter", 0, 360, OF_TICKET(motion.shutter))
            .called("Shutter", "°")
            .does("How much of a frame's time it is open, out of 360: what moves is smeared as a camera does it, from "
                  "pictures in between. 180 is usual; for clips that were sped up or were made without blur. Takes "
                  "several times as long as in-betweens of the fast kind, of which it is made.",
                  "everything that moves is a smear.")
            .by(5, 0)
            .actsIf(makesFrames, "where pictures in between are made"),
        flagKey("motion.reverse", OF_TICKET(motion.reverse))
            .called("Backwards")
            .does("The last frame first. The sound is left out."),
        textKey("motion.ramps", "SECONDS:PERCENT …", rampsWrong, OF_TICKET(motion.ramps))
            .called("Speeds at")
            .does("Speeds at instants of the clip, such as 0:100 1.2:30 2:100; between them it changes evenly. They "
                  "multiply Speed."),
        flagKey("motion.ease", OF_TICKET(motion.ease))
            .called("Eased")
            .does("The speed eases out of one place set and into the next, instead of changing evenly between them.")
            .actsIf([](const Ticket& t) { return !t.motion.ramps.empty(); }, "where motion.ramps is set"),
        textKey("motion.freezes", "SECONDS:LENGTH …", freezesWrong, OF_TICKET(motion.freezes))
            .called("Halts at")
            .does("Instants of the clip that stand still for so many seconds, such as 1.5:0.8. The sound is left "
                  "out.")};
    p.told = told;
    p.needsReadings = [](const Ticket& t) { return t.motion.on; };
    p.build = [](Building& b) {
        const Retiming& r = b.retiming;
        if (!r.between) {
            b.picture = b.onClock(b.picture);
            return;
        }
        // Movement shows best in what is cleaned; in an enlarged picture it costs more and shows no better.
        const bool same = b.picture->format().width == b.source->format().width;
        const BetweenClock clock{r.frames, r.key, r.between, keptCuts(b.found.cuts, r), r.exposures};
        // The mean of several hides what fewer guesses get wrong in one of them.
        const Between method = r.exposures > 1 ? Between::Fast : methodOf(b.ticket);
        const Unsure unsure = b.ticket.motion.unsure == "mix" ? Unsure::Mix : Unsure::Whole;
        b.picture = inBetween(keptOnly(b.picture, r), keptOnly(same ? b.picture : b.source, r), clock, method, unsure);
    };
    return p;
}

} // namespace ulm
