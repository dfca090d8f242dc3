#include "core/base/words.h"
#include "core/ticket/step.h"

namespace ulm {

StepPart stretchPart() {
    StepPart p;
    p.step = "stretch";
    p.keys = {switchKey("stretch.on", OF_TICKET(stretch.on)),
              numberKey("stretch.from", 0, 1e6, OF_TICKET(stretch.from))
                  .called("From", "s")
                  .does("Where the delivered part begins, from the clip's first frame.")
                  .by(0.01, 3)
                  .hidden(),
              numberKey("stretch.to", 0, 1e6, OF_TICKET(stretch.to))
                  .called("To", "s")
                  .does("Where it ends; later than stretch.from.")
                  .by(0.01, 3)
                  .hidden()};
    for (TicketKey& k : p.keys) // a time may be written as people write it
        if (k.kind == TicketKey::Kind::Number)
            k.parse = [plain = k.parse](const std::string& text) {
                const auto seconds = parseTime(text);
                return seconds ? nlohmann::json(*seconds) : plain(text);
            };
    p.told = [](const StepView& v) -> std::string {
        if (!v.ticket.stretch.on) return "The whole clip.";
        return shortNumber(v.ticket.stretch.from, 2) + " s to " + shortNumber(v.ticket.stretch.to, 2) +
               " s of the clip.";
    };
    return p;
}

} // namespace ulm
