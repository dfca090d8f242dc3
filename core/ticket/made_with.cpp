#include "core/ticket/made_with.h"

#include "core/base/error.h"
#include "core/base/json_file.h"

namespace ulm {
namespace {
using nlohmann::json;

const std::string kBegins = "Ulmwood ticket: ";

// Takes out of `j` what `usual` says as well.
void keepDifferences(json& j, const json& usual) {
    for (auto it = j.begin(); it != j.end();) {
        const auto same = usual.find(it.key());
        if (same != usual.end() && it->is_object() && same->is_object()) keepDifferences(*it, *same);
        const bool empty = it->is_object() && it->empty();
        it = empty || (same != usual.end() && *it == *same) ? j.erase(it) : std::next(it);
    }
}

} // namespace

std::string madeWith(const Ticket& t) {
    Ticket plain = t;
    plain.only.clear();
    plain.unknown = json::object();
    json j = toJson(plain);
    keepDifferences(j, toJson(Ticket{}));
    j["ulmwood"] = 1;
    return kBegins + j.dump();
}

std::optional<Ticket> ticketIn(const std::string& comment) {
    if (!comment.starts_with(kBegins)) return std::nullopt;
    try {
        return ticketFromJson(parseJson(comment.substr(kBegins.size()), ""), "");
    } catch (const Error&) { // cut short, or of another version: as good as none
        return std::nullopt;
    }
}

} // namespace ulm
