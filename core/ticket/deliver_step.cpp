// Deliver: codec, container and rate of the file. Choices of codec and container are those of core/codec.
#include "core/codec/video_codec.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cctype>

namespace ulm {
namespace {

std::string upper(std::string s) {
    std::ranges::transform(s, s.begin(), [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
    return s;
}

std::vector<TicketKey::Choice> codecs() {
    std::vector<TicketKey::Choice> all;
    for (const VideoCodec& c : videoCodecs()) all.push_back({c.name, c.title});
    return all;
}

std::vector<TicketKey::Choice> containers() {
    std::vector<TicketKey::Choice> all;
    for (const VideoCodec& c : videoCodecs())
        for (const std::string& name : c.containers)
            if (std::ranges::find(all, name, &TicketKey::Choice::value) == all.end())
                all.push_back({name, upper(name)});
    return all;
}

// A delivery without Deliver cannot be: the switch is there so that every step has one, and is refused off.
TicketKey alwaysOn() {
    TicketKey k = switchKey("deliver.on", OF_TICKET(deliver.on)).does("Always true: a delivery is always made.");
    k.set = [listed = k.set](Ticket& t, const nlohmann::json& j) -> std::string {
        if (j == false) return "cannot be switched off: a delivery is always made";
        return listed(t, j);
    };
    return k;
}

std::string told(const StepView& v) {
    const Ticket::Deliver& d = v.ticket.deliver;
    std::string how;
    if (d.rate == "size")
        how = "under " + shortNumber(d.sizeMb, 2) + " MB in two passes";
    else if (d.rate == "quality")
        how = d.quality == "small" ? "small file" : d.quality == "best" ? "best quality" : "good quality";
    else
        how = shortNumber(d.bitrate, 0) + " kb/s" + (d.rate == "variable" && d.twoPass ? " in two passes" : "");
    std::string s = upper(d.container) + ", " + videoCodec(d.codec).title + ", " + how;
    if (v.ticket.stretch.on && v.seconds > 0) s += "; " + shortNumber(v.seconds, 2) + " s of the clip";
    return s + ".";
}

std::function<bool(const Ticket&)> led(std::vector<std::string> by) {
    return [by](const Ticket& t) { return std::ranges::find(by, t.deliver.rate) != by.end(); };
}

} // namespace

StepPart deliverPart() {
    StepPart p;
    p.step = "deliver";
    p.keys = {
        alwaysOn(),
        choiceKey("deliver.codec", codecs(), OF_TICKET(deliver.codec))
            .called("Codec")
            .does("H.264 plays everywhere. H.265 takes twice the time and often less room, and is what screens for HDR "
                  "expect; older programs do not play it."),
        choiceKey("deliver.container", containers(), OF_TICKET(deliver.container))
            .called("Container")
            .does("The kind of file."),
        choiceKey("deliver.rate",
                  {{"quality", "Quality"}, {"size", "Size"}, {"variable", "Bitrate"}, {"constant", "Constant"}},
                  OF_TICKET(deliver.rate))
            .called("Led by")
            .does(
                "Quality: as many bits as it takes. Size: under a limit. Bitrate: an average over the clip. Constant: "
                "the same in every second."),
        choiceKey("deliver.quality", {{"small", "Small"}, {"good", "Good"}, {"best", "Best"}},
                  OF_TICKET(deliver.quality))
            .called("Quality")
            .does("How good the encode is; better is larger.")
            .actsIf(led({"quality"}), "where deliver.rate=quality")
            .onlyWhereItActs(),
        numberKey("deliver.size_mb", 0.01, 100000, OF_TICKET(deliver.sizeMb))
            .called("At most", "MB")
            .does("The file will not be larger than this (10⁶ bytes), and closely below it.",
                  "bigger files than a destination takes.")
            .slides(0.5, 200)
            .by(0.5, 1)
            .actsIf(led({"size"}), "where deliver.rate=size")
            .onlyWhereItActs(),
        numberKey("deliver.bitrate", 50, 200000, OF_TICKET(deliver.bitrate))
            .called("Bitrate", "kb/s")
            .does("Average over the clip, or held in every second.", "bigger files, and nothing more to see.")
            .slides(200, 60000)
            .by(100, 0)
            .actsIf(led({"variable", "constant"}), "where deliver.rate=variable or constant")
            .onlyWhereItActs(),
        flagKey("deliver.two_pass", OF_TICKET(deliver.twoPass))
            .called("In two passes")
            .does("Looks at the whole clip first, so that bits go where they are needed.")
            .actsIf(led({"variable"}), "where deliver.rate=variable")
            .onlyWhereItActs()};
    for (TicketKey& k : p.keys)
        if (k.choices.size() == 1) k.hidden(); // nothing to choose
    p.told = told;
    return p;
}

} // namespace ulm
