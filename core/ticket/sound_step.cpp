#include "core/ticket/step.h"

namespace ulm {

StepPart soundPart() {
    StepPart p;
    p.step = "sound";
    p.keys = {switchKey("sound.on", OF_TICKET(sound.on)).does("Off: the sound is left out."),
              choiceKey("sound.mode", {{"keep", "Keep"}, {"aac", "As AAC"}, {"drop", "Drop"}}, OF_TICKET(sound.mode))
                  .called("Sound")
                  .does("Keep: untouched where the container can carry it. As AAC: encoded anew. Drop: left out.")};
    p.told = [](const StepView& v) -> std::string {
        if (v.facts.audio.empty()) return "The clip has none.";
        if (!v.ticket.sound.on || v.ticket.sound.mode == "drop") return "Left out.";
        return v.ticket.sound.mode == "aac" ? "Encoded as AAC." : "Kept untouched where MP4 can carry it.";
    };
    return p;
}

} // namespace ulm
