#include "core/ticket/ticket.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/base/words.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <filesystem>

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
    for (const TicketKey* k : ticketKeys()) {
        json v = k->get(t);
        if (!v.is_null()) j[pointerTo(k->path)] = std::move(v);
    }
    for (const auto& [target, values] : t.only) j["for"][target] = values;
    return j;
}

namespace {

// Reads what `j` holds of the steps into `t`, and takes it out of `rest`. `at`: where `j` stands in the file.
class StepReader {
public:
    StepReader(const std::string& file, std::string at) : file_(file), at_(std::move(at)) {}
    [[noreturn]] void refuse(const std::string& where, const std::string& what) const {
        throw Error(Fault::Input, file_, "at " + at_ + where + ": " + what,
                    "Correct it there; docs/ticket.md lists every key.");
    }
    void read(const json& j, Ticket& t, json& rest) const {
        for (const auto& [step, body] : j.items()) {
            if (std::ranges::find(stepHeads(), step, &StepHead::key) == stepHeads().end())
                refuse("/" + step, "there is no such step");
            if (!body.is_object()) refuse("/" + step, "a step must be a JSON object");
        }
        for (const TicketKey* k : ticketKeys()) {
            const auto p = pointerTo(k->path);
            if (const auto parent = p.parent_pointer(); j.contains(parent) && !j.at(parent).is_object())
                refuse(parent.to_string(), "must be a JSON object");
            if (!j.contains(p)) continue;
            if (const std::string wrong = k->set(t, j.at(p)); !wrong.empty()) refuse(p.to_string(), wrong);
            take(rest, k->path);
        }
        if (t.stretch.on && t.stretch.to <= t.stretch.from) refuse("/stretch/to", "must be later than /stretch/from");
    }

private:
    const std::string& file_;
    std::string at_;
};

} // namespace

Ticket ticketFromJson(const json& j, const std::string& file) {
    const StepReader whole(file, "");
    if (!j.is_object()) whole.refuse("/", "a ticket must be a JSON object");
    if (!j.contains("ulmwood")) whole.refuse("/ulmwood", "missing: this is not a ticket");
    if (j["ulmwood"] != 1) whole.refuse("/ulmwood", "this ticket is of another version; 1 is known");
    Ticket t;
    json steps = j;
    steps.erase("ulmwood");
    const json own = steps.value("for", json::object());
    steps.erase("for");
    json rest = steps;
    whole.read(steps, t, rest);
    dropEmpty(rest);
    if (!own.is_object())
        whole.refuse("/for", "must be a JSON object: a target's name, and the steps that differ for it");
    for (const auto& [target, values] : own.items()) {
        const StepReader part(file, "/for/" + target);
        if (!values.is_object()) part.refuse("", "must be a JSON object");
        Ticket laidOver = t;
        json left = values;
        part.read(values, laidOver, left);
        dropEmpty(left);
        if (!left.empty()) rest["for"][target] = left;
        t.only[target] = values;
    }
    t.unknown = rest;
    return t;
}

Ticket ticketFor(const Ticket& t, const std::string& target) {
    Ticket all = t;
    all.only.clear();
    const auto own = t.only.find(target);
    if (own == t.only.end()) return all;
    for (const TicketKey* k : ticketKeys())
        if (const auto p = pointerTo(k->path); own->second.contains(p)) k->set(all, own->second.at(p));
    return all;
}

bool hasOwn(const Ticket& t, const std::string& target, const std::string& step) {
    const auto own = t.only.find(target);
    return own != t.only.end() && own->second.contains(step);
}

void keepOwn(Ticket& t, const std::string& target, const std::string& step, const Ticket& values) {
    json body = json::object();
    const json all = toJson(values);
    if (all.contains(step)) body = all.at(step);
    t.only[target][step] = body;
}

void shareAgain(Ticket& t, const std::string& target, const std::string& step) {
    const auto own = t.only.find(target);
    if (own == t.only.end()) return;
    own->second.erase(step);
    if (own->second.empty()) t.only.erase(own);
}

Ticket withEdit(const Ticket& t, const std::string& target, const Ticket& edited) {
    Ticket out = t;
    for (const StepHead& h : stepHeads())
        if (hasOwn(t, target, h.key)) keepOwn(out, target, h.key, edited);
    for (const TicketKey* k : ticketKeys())
        if (!hasOwn(t, target, k->stepKey())) k->set(out, k->get(edited));
    return out;
}

namespace {

bool isReport(const json& j) { return j.is_object() && j.contains("ticket") && j.contains("output"); }

// A render's report carries the ticket that it followed; one on several clips, that of the file meant.
json ticketInside(const json& j, const std::string& path, const std::string& delivered) {
    if (isReport(j)) return j["ticket"];
    if (!j.is_array() || j.empty() || !std::ranges::all_of(j, isReport)) return j;
    const auto name = [](const std::string& p) { return std::filesystem::path(p).filename(); };
    for (const json& one : j)
        if (j.size() == 1 || (!delivered.empty() && one["output"].is_string() &&
                              name(one["output"].get<std::string>()) == name(delivered)))
            return one["ticket"];
    throw Error(Fault::Usage, path,
                "it reports on " + std::to_string(j.size()) + " clips" +
                    (delivered.empty() ? "" : ", and " + name(delivered).string() + " is none of them"),
                "Name a ticket, or the report of one clip.");
}

} // namespace

Ticket loadTicket(const std::string& path, const std::string& delivered) {
    return ticketFromJson(ticketInside(readJsonFile(path), path, delivered), path);
}

void saveTicket(const Ticket& t, const std::string& path) { writeFileWhole(path, toJson(t).dump(2) + "\n"); }

void setByKey(Ticket& t, const std::string& key, const std::string& value) {
    const TicketKey* k = findKey(key);
    const std::string step = key.substr(0, key.find('.'));
    if (!k) {
        std::string near, steps;
        std::vector<std::string> all;
        for (const TicketKey* known : ticketKeys()) all.push_back(known->path);
        for (const TicketKey* known : ticketKeys())
            if (known->stepKey() == step && key.find('.') != std::string::npos)
                near += (near.empty() ? "" : ", ") + known->path;
        for (const StepHead& h : stepHeads()) steps += (steps.empty() ? "" : ", ") + h.key;
        throw Error(Fault::Usage, "", "there is no key \"" + key + "\"." + didYouMean(key, all),
                    near.empty() ? "Steps are " + steps + "; ulmwood-cli keys lists every key."
                                 : "Known: " + near + ".");
    }
    if (const std::string wrong = k->set(t, k->parse(value)); !wrong.empty())
        throw Error(Fault::Usage, "", key + "=" + value + ": " + wrong, "");
    const bool needsNone = key == "stretch.without"; // parts are left out of the whole clip too
    if (key != step + ".on" && !needsNone) setByKey(t, step + ".on", "true");
    if (key == "stretch.from" && t.stretch.to == 0) t.stretch.to = Ticket::Stretch::kToTheEnd;
    if (key == "enlarge.scale") t.enlarge.size.reset();
    if (key == "frame.aspect") t.frame.size.reset();
    // Naming a rate's number means wanting that kind of rate.
    if (key == "deliver.size_mb") t.deliver.rate = "size";
    if (key == "deliver.quality" && t.deliver.rate != "size") t.deliver.rate = "quality"; // a limit that was set stays
    if (key == "deliver.bitrate" && t.deliver.rate != "constant") t.deliver.rate = "variable";
}

void setFor(Ticket& t, const std::string& target, const std::string& key, const std::string& value) {
    const Ticket was = ticketFor(t, target);
    Ticket now = was;
    setByKey(now, key, value);
    const std::string step = key.substr(0, key.find('.'));
    json& own = t.only[target];
    for (const TicketKey* k : ticketKeys())
        if (k->path == key || (k->stepKey() == step && k->get(now) != k->get(was)))
            own[pointerTo(k->path)] = k->get(now);
}

std::string setByAssignment(Ticket& t, const std::string& assignment) {
    const auto at = assignment.find('=');
    if (at == std::string::npos || at == 0)
        throw Error(Fault::Usage, "", "\"" + assignment + "\" is not step.key=value",
                    "Write clean.noise=12, for instance, or frame.x@my-target=0.3 for one destination only.");
    const std::string key = assignment.substr(0, at), value = assignment.substr(at + 1);
    const auto only = key.find('@');
    if (only == std::string::npos) {
        setByKey(t, key, value);
        return key;
    }
    if (only + 1 == key.size())
        throw Error(Fault::Usage, "", "\"" + assignment + "\" names no destination after the @",
                    "Write frame.x@my-target=0.3, for instance.");
    setFor(t, key.substr(only + 1), key.substr(0, only), value);
    return key.substr(0, only);
}

} // namespace ulm
