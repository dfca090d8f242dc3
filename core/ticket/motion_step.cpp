// Motion: when frames are shown, and what lies between them.
#include "core/engine/pick_stage.h"
#include "core/media/deinterlace_stage.h"
#include "core/motion/between_stage.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace ulm {
namespace {

using nlohmann::json;

// "30000/1001" too.
json parseRate(const std::string& text) {
    const auto numberOf = [](std::string_view s) -> std::optional<double> {
        double v = 0;
        const auto r = std::from_chars(s.data(), s.data() + s.size(), v);
        if (r.ec != std::errc() || r.ptr != s.data() + s.size()) return std::nullopt;
        return v;
    };
    const std::string_view all = text;
    const auto slash = all.find('/');
    const auto over = numberOf(all.substr(0, slash));
    const auto under = slash == all.npos ? std::optional(1.0) : numberOf(all.substr(slash + 1));
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

bool makesFrames(const Ticket& t) { return t.motion.on && t.motion.method != "hold"; }

Between methodOf(const Ticket& t) { return t.motion.method == "fast" ? Between::Fast : Between::Careful; }

StagePtr keptOnly(const StagePtr& s, const Retiming& r) {
    if (!r.kept) return s;
    KeyMaker key("kept");
    key.add(r.kept->data(), r.kept->size() * sizeof(std::int64_t));
    return pickFrames(s, static_cast<std::int64_t>(r.kept->size()), key,
                      [kept = r.kept](std::int64_t n) { return (*kept)[static_cast<std::size_t>(n)]; });
}

// By index of what is kept: the first frame of a shot that is left of it.
std::vector<std::int64_t> keptCuts(const std::vector<std::int64_t>& cuts, const Retiming& r) {
    if (!r.kept) return cuts;
    std::vector<std::int64_t> all;
    for (const std::int64_t c : cuts) all.push_back(std::ranges::lower_bound(*r.kept, c) - r.kept->begin());
    return all;
}

std::string rateWords(const StepView& v) {
    const double own = v.facts.video.fps, fps = v.ticket.motion.fps > 0 ? v.ticket.motion.fps : own;
    if (std::abs(fps - own) < 1e-3) return shortNumber(own, 2) + " frames a second";
    return shortNumber(own, 2) + " → " + shortNumber(fps, 2) + " frames a second";
}

std::string told(const StepView& v) {
    const Ticket::Motion& m = v.ticket.motion;
    const double own = v.facts.video.fps, fps = m.fps > 0 ? m.fps : own;
    if (!m.on) return shortNumber(own, 2) + " frames a second, as filmed.";
    const std::size_t repeats = v.found.duplicates.size();
    const bool closes = m.duplicates == "remove" && m.fps == 0 && v.found.repeats.of && repeats;
    std::string s = rateWords(v);
    if (deinterlaces(v.ticket, v.found, v.facts.video)) s = "Deinterlaced, " + s;
    if (m.speed != 100) s += ", at " + shortNumber(m.speed, 1) + " % of its speed";
    if (m.duplicates != "keep" && repeats)
        s += ", " + std::to_string(repeats) + (repeats == 1 ? " repeat " : " repeats ") +
             (closes                  ? "taken out"
              : makesFrames(v.ticket) ? "replaced"
                                      : "left out");
    // Every frame that is asked for is there: as long as it is neither slowed nor turned into more.
    const double ratio = own * m.speed / 100 / fps;
    const bool there = std::abs(ratio - std::round(ratio)) < 1e-3 && std::round(ratio) >= 1;
    if (there && (m.duplicates == "keep" || !repeats || closes))
        return s + (std::round(ratio) > 1 ? ", by leaving frames out." : ".");
    if (m.method == "hold") return s + ", by repeating or leaving out frames.";
    return s + ", in-betweens " + m.method + ".";
}

} // namespace

bool deinterlaces(const Ticket& t, const Inspection& found, const VideoFacts& v) {
    const auto& m = t.motion;
    if (!m.on || m.deinterlace == "off" || !v.upright()) return false;
    return m.deinterlace == "frame" || found.fieldOrder != "progressive" || (v.interlaced && !found.complete);
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
            .does("What is shown between two frames. Careful: a picture made along the movement, where it is "
                  "unsure a mixture of what may be true. Fast: the same from fewer guesses. Repeat: none is made; "
                  "frames are repeated or left out."),
        numberKey("motion.speed", 10, 400, OF_TICKET(motion.speed))
            .called("Speed", "%")
            .does("How fast it runs: 50 takes twice the time. The sound keeps its pitch.",
                  "slow: made-up frames follow each other and swim; fast: movement is chopped.")
            .by(5, 0),
        choiceKey("motion.duplicates", {{"keep", "Keep"}, {"replace", "Replace"}, {"remove", "Take out"}},
                  OF_TICKET(motion.duplicates))
            .called("Repeats")
            .does("Frames that repeat the one before. Replace: by pictures in between, or by none where the rate "
                  "needs none. Take out: where they come in a steady pattern the clip gets the rate it was "
                  "filmed at (30 with every fifth repeated becomes 24); elsewhere they are replaced."),
        choiceKey("motion.deinterlace", {{"auto", "Where found"}, {"off", "Off"}, {"frame", "Always"}},
                  OF_TICKET(motion.deinterlace))
            .called("Deinterlace")
            .does("Makes whole pictures of frames that hold two fields, before everything else: no combs on what "
                  "moves. Where found: if the clip is marked so or combs were found.",
                  "on a clip without fields fine lines soften.")};
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
        const BetweenClock clock{r.frames, r.key, r.between, keptCuts(b.found.cuts, r)};
        b.picture =
            inBetween(keptOnly(b.picture, r), keptOnly(same ? b.picture : b.source, r), clock, methodOf(b.ticket));
    };
    return p;
}

} // namespace ulm
