// Motion: when frames are shown.
#include "core/engine/pick_stage.h"
#include "core/ticket/step.h"

namespace ulm {

StagePtr Building::onClock(StagePtr s) const {
    return retiming.frames ? pickFrames(s, retiming.frames, retiming.key, retiming.pick) : s;
}

StepPart motionPart() {
    StepPart p;
    p.step = "motion";
    p.keys = {switchKey("motion.on", OF_TICKET(motion.on)),
              numberKey("motion.fps", 1, 240, OF_TICKET(motion.fps))
                  .called("Frames a second")
                  .does("How many frames a second are delivered; they are left out or repeated.")
                  .by(1, 2)
                  .offers({{"24", "24"}, {"25", "25"}, {"30", "30"}, {"50", "50"}, {"60", "60"}})};
    p.told = [](const StepView& v) {
        const double fps = v.facts.video.fps;
        if (!v.ticket.motion.on) return shortNumber(fps, 2) + " frames a second, as filmed.";
        return shortNumber(v.ticket.motion.fps, 2) + " frames a second, by " +
               (v.ticket.motion.fps < fps ? "leaving frames out." : "repeating frames.");
    };
    p.build = [](Building& b) { b.picture = b.onClock(b.picture); };
    return p;
}

} // namespace ulm
