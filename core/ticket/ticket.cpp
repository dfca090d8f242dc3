#include "core/ticket/ticket.h"

#include "core/error.h"
#include "core/files.h"
#include "core/json_file.h"
#include "core/ticket/fields.h"

#include <algorithm>

namespace ulm {
namespace {
using nlohmann::json;

json::json_pointer pointerTo(const std::string& path) {
    std::string p = "/" + path;
    std::ranges::replace(p, '.', '/');
    return json::json_pointer(p);
}

// Takes out of `rest` what the table knows; what stays is unknown.
void take(json& rest, const std::string& path) {
    const auto p = pointerTo(path);
    json& parent = rest.at(p.parent_pointer());
    parent.erase(p.back());
}

void dropEmpty(json& j) {
    for (auto it = j.begin(); it != j.end();) {
        if (it->is_object()) dropEmpty(*it);
        it = it->is_object() && it->empty() ? j.erase(it) : std::next(it);
    }
}

void collectKeys(const json& j, const std::string& prefix, std::vector<std::string>& out) {
    for (const auto& [k, v] : j.items()) {
        const std::string path = prefix.empty() ? k : prefix + "." + k;
        if (v.is_object() && !v.empty())
            collectKeys(v, path, out);
        else
            out.push_back(path);
    }
}

} // namespace

double Quantity::resolve(double reading, double least, double most) const {
    const double v = from == From::Fixed ? value : from == From::Nudged ? reading + nudge : reading;
    return std::clamp(v, least, most);
}

std::vector<std::string> unknownKeys(const Ticket& t) {
    std::vector<std::string> keys;
    collectKeys(t.unknown, "", keys);
    return keys;
}

json toJson(const Ticket& t) {
    json j = t.unknown;
    j["ulmwood"] = 1;
    for (const TicketField& f : ticketFields()) {
        json v = f.get(t);
        if (!v.is_null()) j[pointerTo(f.path)] = std::move(v);
    }
    return j;
}

Ticket ticketFromJson(const json& j, const std::string& file) {
    const auto refuse = [&](const std::string& where, const std::string& what) {
        throw Error(Fault::Input, file, "at " + where + ": " + what,
                    "Correct it there; docs/ticket.md lists every key.");
    };
    if (!j.is_object()) refuse("/", "a ticket must be a JSON object");
    if (!j.contains("ulmwood")) refuse("/ulmwood", "missing: this is not a ticket");
    if (j["ulmwood"] != 1) refuse("/ulmwood", "this ticket is of another version; 1 is known");
    Ticket t;
    json rest = j;
    rest.erase("ulmwood");
    for (const auto& [step, body] : j.items()) {
        if (step == "ulmwood") continue;
        if (std::ranges::find(ticketSteps(), step) == ticketSteps().end()) refuse("/" + step, "there is no such step");
        if (!body.is_object()) refuse("/" + step, "a step must be a JSON object");
    }
    if (j.contains("finish") && j["finish"].contains("sharpen") && !j["finish"]["sharpen"].is_object())
        refuse("/finish/sharpen", "must be a JSON object");
    for (const TicketField& f : ticketFields()) {
        const auto p = pointerTo(f.path);
        if (!j.contains(p)) continue;
        if (const std::string wrong = f.set(t, j.at(p)); !wrong.empty()) refuse(p.to_string(), wrong);
        take(rest, f.path);
    }
    if (t.stretch.on && t.stretch.to <= t.stretch.from) refuse("/stretch/to", "must be later than /stretch/from");
    dropEmpty(rest);
    t.unknown = rest;
    return t;
}

Ticket loadTicket(const std::string& path) { return ticketFromJson(readJsonFile(path), path); }

void saveTicket(const Ticket& t, const std::string& path) { writeFileWhole(path, toJson(t).dump(2) + "\n"); }

void setByKey(Ticket& t, const std::string& key, const std::string& value) {
    const auto& fields = ticketFields();
    const auto f = std::ranges::find(fields, key, &TicketField::path);
    if (f == fields.end()) {
        std::string near;
        const std::string step = key.substr(0, key.find('.') + 1);
        for (const auto& k : fields)
            if (step.size() > 1 && k.path.starts_with(step)) near += (near.empty() ? "" : ", ") + k.path;
        throw Error(Fault::Usage, "", "there is no key \"" + key + "\"",
                    near.empty() ? "Steps are clean, enlarge, motion, frame, finish, sound, deliver and stretch."
                                 : "Known: " + near + ".");
    }
    if (const std::string wrong = f->set(t, f->parse(value)); !wrong.empty())
        throw Error(Fault::Usage, "", key + "=" + value + ": " + wrong, "");
    const std::string step = key.substr(0, key.find('.'));
    if (key != step + ".on") setByKey(t, step + ".on", "true");
    if (key == "enlarge.scale") t.enlarge.size.reset();
    // Naming a rate's number means wanting that kind of rate.
    if (key == "deliver.size_mb") t.deliver.rate = "size";
    if (key == "deliver.quality") t.deliver.rate = "quality";
    if (key == "deliver.bitrate" && t.deliver.rate != "constant") t.deliver.rate = "variable";
}

void setByAssignment(Ticket& t, const std::string& assignment) {
    const auto at = assignment.find('=');
    if (at == std::string::npos || at == 0)
        throw Error(Fault::Usage, "", "\"" + assignment + "\" is not step.key=value",
                    "Write clean.noise=12, for instance.");
    setByKey(t, assignment.substr(0, at), assignment.substr(at + 1));
}

} // namespace ulm
