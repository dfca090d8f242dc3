#include "core/ticket/documents.h"

#include "core/base/error.h"
#include "core/ticket/step.h"

#include <algorithm>

namespace ulm {
namespace {
using nlohmann::json;
using Kind = TicketKey::Kind;

std::vector<const TicketKey*> keysOf(const std::string& step) {
    std::vector<const TicketKey*> some;
    for (const TicketKey* k : ticketKeys())
        if (step.empty() || k->stepKey() == step) some.push_back(k);
    if (!some.empty()) return some;
    std::string steps;
    for (const StepHead& h : stepHeads()) steps += (steps.empty() ? "" : ", ") + h.key;
    throw Error(Fault::Usage, "", "there is no step \"" + step + "\"", "Known: " + steps + ".");
}

const char* kindName(Kind k) {
    switch (k) {
    case Kind::Flag: return "flag";
    case Kind::Number: return "number";
    case Kind::Quantity: return "quantity";
    case Kind::Choice: return "choice";
    case Kind::Size: return "size";
    case Kind::Aspect: return "aspect";
    case Kind::Method: return "choice or file";
    case Kind::File: return "file";
    case Kind::Text: return "text";
    }
    return "";
}

std::string rangeOf(const TicketKey& k) { return shortNumber(k.least, 2) + "…" + shortNumber(k.most, 2); }

// "0…100 %", "`crop`, `pad`, `blur`", … `quote` stands around words.
std::string valuesOf(const TicketKey& k, const std::string& quote) {
    std::string s;
    switch (k.kind) {
    case Kind::Flag: return quote + "true" + quote + ", " + quote + "false" + quote;
    case Kind::Number: return rangeOf(k) + (k.unit.empty() ? "" : " " + k.unit);
    case Kind::Quantity: return "quantity, " + rangeOf(k) + (k.unit.empty() ? "" : " " + k.unit);
    case Kind::Size: return quote + "WIDTHxHEIGHT" + quote + ", or " + quote + "none" + quote;
    case Kind::Aspect: return quote + "W:H" + quote + ", or " + quote + "clip" + quote;
    case Kind::Text: return quote + k.form + quote + ", or " + quote + "none" + quote;
    case Kind::File: return quote + "FILE" + k.ending + quote + ", or " + quote + "none" + quote;
    case Kind::Choice:
    case Kind::Method:
        for (const auto& c : k.choices) s += (s.empty() ? "" : ", ") + quote + c.value + quote;
        return k.kind == Kind::Method ? s + ", or a network's " + quote + "FILE.onnx" + quote : s;
    }
    return s;
}

std::string standardOf(const TicketKey& k) {
    const json v = k.get(Ticket{});
    if (v.is_null()) return "not set";
    if (v == "") return "none";
    if (v.is_string()) return v.get<std::string>();
    if (k.kind == Kind::Quantity) return v["from"] == "fixed" ? shortNumber(v["value"].get<double>(), 2) : "measured";
    return v.is_number() ? shortNumber(v.get<double>(), 2) : v.dump();
}

std::string sentenceOf(const TicketKey& k) {
    std::string s = k.meaning;
    if (!k.tooMuch.empty()) s += " Too much: " + k.tooMuch;
    if (!k.actsWhen.empty()) s += " Acts " + k.actsWhen + ".";
    return s;
}

json schemaOf(const TicketKey& k) {
    json j;
    switch (k.kind) {
    case Kind::Flag: j = {{"type", "boolean"}}; break;
    case Kind::Number: j = {{"type", "number"}, {"minimum", k.least}, {"maximum", k.most}}; break;
    case Kind::Quantity:
        j = {{"type", "object"},
             {"properties",
              {{"from", {{"enum", {"measured", "nudged", "fixed"}}}},
               {"value", {{"type", "number"}, {"minimum", 0}, {"maximum", k.most}}},
               {"nudge", {{"type", "number"}, {"minimum", -k.most}, {"maximum", k.most}}}}},
             {"required", {"from"}}};
        break;
    case Kind::Choice: {
        j = {{"enum", json::array()}};
        for (const auto& c : k.choices) j["enum"].push_back(c.value);
        break;
    }
    case Kind::Method: {
        json names = json::array();
        for (const auto& c : k.choices) names.push_back(c.value);
        j = {{"anyOf", {{{"enum", names}}, {{"type", "string"}, {"pattern", "\\.onnx$"}}}}};
        break;
    }
    case Kind::Size: j = {{"type", {"string", "null"}}, {"pattern", "^[0-9]+[x×][0-9]+$"}}; break;
    case Kind::Aspect: j = {{"type", "string"}, {"pattern", "^([0-9]+:[0-9]+|clip)$"}}; break;
    case Kind::Text: j = {{"type", "string"}}; break;
    case Kind::File: j = {{"type", "string"}, {"maxLength", 4096}}; break;
    }
    j["description"] = sentenceOf(k);
    return j;
}

} // namespace

std::string keysText(const std::string& step) {
    std::string all;
    for (const TicketKey* k : keysOf(step))
        all += k->path + "=" + valuesOf(*k, "") + "  (" + standardOf(*k) + ")\n    " + sentenceOf(*k) + "\n";
    return all;
}

std::string keysMarkdown(const std::string& step) {
    std::string all = "| key | value | default | what it does |\n|---|---|---|---|\n";
    for (const TicketKey* k : keysOf(step))
        all += "| `" + k->path + "` | " + valuesOf(*k, "`") + " | " + standardOf(*k) + " | " + sentenceOf(*k) + " |\n";
    return all;
}

json keysJson(const std::string& step) {
    json all = json::array();
    for (const TicketKey* k : keysOf(step)) {
        json j = {{"key", k->path},         {"kind", kindName(k->kind)},   {"name", k->name},
                  {"unit", k->unit},        {"default", k->get(Ticket{})}, {"does", k->meaning},
                  {"too_much", k->tooMuch}, {"acts", k->actsWhen}};
        if (k->kind == Kind::Number || k->kind == Kind::Quantity || k->kind == Kind::Size)
            j["least"] = k->least, j["most"] = k->most;
        for (const auto& c : k->choices) j["choices"].push_back(c.value);
        all.push_back(j);
    }
    return {{"keys", all}};
}

json ticketSchema() {
    json steps = json::object();
    for (const StepHead& h : stepHeads()) steps[h.key] = {{"type", "object"}, {"properties", json::object()}};
    for (const TicketKey* k : ticketKeys()) {
        json* at = &steps;
        std::string rest = k->path;
        for (auto dot = rest.find('.'); dot != std::string::npos; dot = rest.find('.')) {
            json& next = (*at)[rest.substr(0, dot)];
            if (next.is_null()) next = {{"type", "object"}, {"properties", json::object()}};
            at = &next["properties"];
            rest = rest.substr(dot + 1);
        }
        (*at)[rest] = schemaOf(*k);
    }
    json own = {{"type", "object"},
                {"description", "Values for one destination only, by its name; all else is shared."},
                {"additionalProperties",
                 {{"type", "object"}, {"additionalProperties", false}, {"properties", json::object()}}}};
    for (const StepHead& h : stepHeads())
        own["additionalProperties"]["properties"][h.key] = {{"$ref", "#/properties/" + h.key}};
    json properties = steps;
    properties["ulmwood"] = {{"const", 1}};
    properties["for"] = own;
    return {{"$schema", "https://json-schema.org/draft/2020-12/schema"},
            {"title", "Ulmwood ticket"},
            {"type", "object"},
            {"required", {"ulmwood"}},
            {"additionalProperties", false},
            {"properties", properties}};
}

} // namespace ulm
