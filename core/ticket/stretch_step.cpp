#include "core/ticket/stretch_step.h"

#include "core/base/words.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <sstream>

namespace ulm {
namespace {

constexpr std::size_t kMostParts = 100;
constexpr double kTouch = 1e-3;

// The parts, or what is wrong with them.
std::string readLeftOut(const std::string& text, std::vector<LeftOut>& parts) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        const auto span = parseSpan(word);
        if (!span) return "must be FROM-TO …, such as 3.2-4.5 0:07-0:08.1";
        const auto [from, to] = *span;
        if (to <= from) return "must have parts that end later than they begin";
        if (!parts.empty() && from <= parts.back().to) return "must have parts in order of time that do not touch";
        if (parts.size() == kMostParts) return "must not have more than 100 parts";
        parts.push_back({from, to});
    }
    return "";
}

} // namespace

std::string leftOutWrong(const std::string& text) {
    std::vector<LeftOut> parts;
    return readLeftOut(text, parts);
}

std::vector<LeftOut> leftOutFrom(const std::string& text) {
    std::vector<LeftOut> parts;
    readLeftOut(text, parts);
    return parts;
}

std::string leftOutText(std::vector<LeftOut> parts) {
    std::erase_if(parts, [](const LeftOut& p) { return p.to - p.from < kTouch; });
    std::ranges::sort(parts, {}, &LeftOut::from);
    std::vector<LeftOut> apart;
    for (const LeftOut& p : parts)
        if (!apart.empty() && p.from <= apart.back().to + kTouch)
            apart.back().to = std::max(apart.back().to, p.to);
        else
            apart.push_back(p);
    if (apart.size() > kMostParts) apart.resize(kMostParts);
    std::string all;
    for (const LeftOut& p : apart)
        all += (all.empty() ? "" : " ") + shortNumber(p.from, 3) + "-" + shortNumber(p.to, 3);
    return all;
}

StepPart stretchPart() {
    StepPart p;
    p.step = "stretch";
    p.keys = {switchKey("stretch.on", OF_TICKET(stretch.on)),
              numberKey("stretch.from", 0, Ticket::Stretch::kToTheEnd, OF_TICKET(stretch.from))
                  .called("From", "s")
                  .does("Where the delivered part begins, from the clip's first frame.")
                  .by(0.01, 3)
                  .hidden(),
              numberKey("stretch.to", 0, Ticket::Stretch::kToTheEnd, OF_TICKET(stretch.to))
                  .called("To", "s")
                  .does("Where it ends; later than stretch.from. Where only stretch.from is set: at the clip's end.")
                  .by(0.01, 3)
                  .hidden(),
              textKey("stretch.without", "FROM-TO …", leftOutWrong, OF_TICKET(stretch.without))
                  .called("Without")
                  .does("Parts of the clip that are left out, such as 3.2-4.5 0:07-0:08.1; what remains is joined, its "
                        "sound without a click.")
                  .hidden()};
    for (TicketKey& k : p.keys) // a time may be written as people write it
        if (k.kind == TicketKey::Kind::Number)
            k.parse = [plain = k.parse](const std::string& text) {
                const auto seconds = parseTime(text);
                return seconds ? nlohmann::json(*seconds) : plain(text);
            };
    p.told = [](const StepView& v) -> std::string {
        const Ticket::Stretch& s = v.ticket.stretch;
        const std::size_t parts = leftOutFrom(s.without).size();
        const std::string to =
            s.to < Ticket::Stretch::kToTheEnd ? shortNumber(s.to, 2) + " s of the clip" : "the clip's end";
        return (s.on ? shortNumber(s.from, 2) + " s to " + to : "The whole clip") +
               (parts == 0   ? "."
                : parts == 1 ? ", without one part."
                             : ", without " + std::to_string(parts) + " parts.");
    };
    return p;
}

} // namespace ulm
