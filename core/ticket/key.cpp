#include "core/ticket/key.h"

#include <algorithm>
#include <charconv>
#include <sstream>

namespace ulm {
namespace {
using nlohmann::json;

std::string shortNumber(double v) {
    std::ostringstream s;
    s << v;
    return s.str();
}

std::string rangeText(double least, double most) {
    return "must lie in " + shortNumber(least) + "…" + shortNumber(most);
}

// A text that is wholly a number, else the text itself (which set() then refuses with its reason).
json parseNumber(const std::string& text) {
    double v = 0;
    const char* end = text.data() + text.size();
    if (auto r = std::from_chars(text.data(), end, v); r.ec == std::errc() && r.ptr == end) return v;
    return text;
}

json parseFlag(const std::string& text) {
    if (text == "true" || text == "on" || text == "yes") return true;
    if (text == "false" || text == "off" || text == "no") return false;
    return text;
}

json parseText(const std::string& text) { return text; }

const char* fromName(From f) { return f == From::Measured ? "measured" : f == From::Nudged ? "nudged" : "fixed"; }

std::string setQuantity(Quantity& q, const json& j, double most) {
    if (!j.is_object()) return "must be {\"from\": \"measured\"|\"nudged\"|\"fixed\", \"value\": number}";
    Quantity r;
    const json from = j.value("from", json());
    if (from == "measured")
        r.from = From::Measured;
    else if (from == "nudged")
        r.from = From::Nudged;
    else if (from == "fixed")
        r.from = From::Fixed;
    else
        return "\"from\" must be measured, nudged or fixed";
    const auto take = [&](const char* name, double least, double& to) -> std::string {
        if (!j.contains(name) || j[name].is_null()) return "";
        if (!j[name].is_number()) return std::string("\"") + name + "\" must be a number";
        to = j[name].get<double>();
        if (!(to >= least && to <= most)) return std::string("\"") + name + "\" " + rangeText(least, most);
        return "";
    };
    if (r.from == From::Fixed && !j.contains("value")) return "a fixed quantity needs \"value\"";
    if (r.from == From::Nudged && !j.contains("nudge")) return "a nudged quantity needs \"nudge\"";
    if (auto e = take("value", 0, r.value); !e.empty()) return e;
    if (auto e = take("nudge", -most, r.nudge); !e.empty()) return e;
    q = r;
    return "";
}

json parseQuantity(const std::string& text) {
    if (text == "measured") return {{"from", "measured"}};
    if (text.starts_with("nudge:")) {
        const std::string by = text.substr(text.size() > 6 && text[6] == '+' ? 7 : 6);
        return {{"from", "nudged"}, {"nudge", parseNumber(by)}};
    }
    return {{"from", "fixed"}, {"value", parseNumber(text)}};
}

TicketKey keyOf(const char* path, TicketKey::Kind kind) {
    TicketKey k;
    k.path = path;
    k.kind = kind;
    return k;
}

Ticket& open(const Ticket& t) { return const_cast<Ticket&>(t); } // members are found through one kind of function

} // namespace

TicketKey flagKey(const char* path, std::function<bool&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Flag);
    k.get = [member](const Ticket& t) { return json(member(open(t))); };
    k.set = [member](Ticket& t, const json& j) -> std::string {
        if (!j.is_boolean()) return "must be true or false";
        member(t) = j.get<bool>();
        return "";
    };
    k.parse = parseFlag;
    return k;
}

TicketKey switchKey(const char* path, std::function<bool&(Ticket&)> member) {
    return flagKey(path, std::move(member)).called("On").does("Switches the step.").hidden();
}

TicketKey numberKey(const char* path, double least, double most, NumberOf member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Number);
    k.least = k.from = least;
    k.most = k.to = most;
    k.number = member;
    k.get = [member](const Ticket& t) { return json(member(open(t))); };
    k.set = [=](Ticket& t, const json& j) -> std::string {
        if (!j.is_number()) return "must be a number";
        const double v = j.get<double>();
        if (!(v >= least && v <= most)) return rangeText(least, most);
        member(t) = v;
        return "";
    };
    k.parse = parseNumber;
    return k;
}

TicketKey quantityKey(const char* path, double most, std::function<Quantity&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Quantity);
    k.most = k.to = most;
    k.quantity = member;
    k.get = [member](const Ticket& t) {
        const Quantity& q = member(open(t));
        json j = {{"from", fromName(q.from)}, {"value", q.value}};
        if (q.from == From::Nudged) j["nudge"] = q.nudge;
        return j;
    };
    k.set = [=](Ticket& t, const json& j) { return setQuantity(member(t), j, most); };
    k.parse = parseQuantity;
    return k;
}

TicketKey choiceKey(const char* path, std::vector<TicketKey::Choice> choices,
                    std::function<std::string&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Choice);
    k.choices = choices;
    k.get = [member](const Ticket& t) { return json(member(open(t))); };
    k.set = [=](Ticket& t, const json& j) -> std::string {
        std::string all;
        for (const auto& c : choices) {
            if (j == c.value) {
                member(t) = c.value;
                return "";
            }
            all += (all.empty() ? "" : ", ") + c.value;
        }
        return "must be one of " + all;
    };
    k.parse = parseText;
    return k;
}

TicketKey sizeKey(const char* path, std::function<std::optional<Size>&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Size);
    k.least = 2;
    k.most = 8192;
    k.get = [member](const Ticket& t) {
        const auto& s = member(open(t));
        return s ? json(std::to_string(s->w) + "x" + std::to_string(s->h)) : json(nullptr);
    };
    k.set = [member](Ticket& t, const json& j) -> std::string {
        if (j.is_null()) {
            member(t).reset();
            return "";
        }
        const auto s = j.is_string() ? parseSize(j.get<std::string>()) : std::nullopt;
        if (!s) return "must be WIDTHxHEIGHT, such as 1080x1920";
        if (s->w < 2 || s->h < 2 || s->w > 8192 || s->h > 8192) return "must lie in 2x2…8192x8192";
        member(t) = *s;
        return "";
    };
    k.parse = [](const std::string& text) { return text == "none" ? json(nullptr) : json(text); };
    return k;
}

TicketKey aspectKey(const char* path, std::function<Size&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Aspect);
    k.get = [member](const Ticket& t) {
        const Size a = member(open(t));
        return json(a.w == 0 ? "clip" : std::to_string(a.w) + ":" + std::to_string(a.h));
    };
    k.set = [member](Ticket& t, const json& j) -> std::string {
        if (j == "clip") {
            member(t) = {0, 0};
            return "";
        }
        const auto a = j.is_string() ? parseAspect(j.get<std::string>()) : std::nullopt;
        if (!a || a->w > 100 * a->h || a->h > 100 * a->w) return "must be W:H, such as 9:16, or clip";
        member(t) = *a;
        return "";
    };
    k.parse = parseText;
    return k;
}

TicketKey fileKey(const char* path, const char* ending, std::function<std::string&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::File);
    k.ending = ending;
    k.get = [member](const Ticket& t) { return json(member(open(t))); };
    k.set = [member, end = k.ending](Ticket& t, const json& j) -> std::string {
        const std::string file = j.is_string() ? j.get<std::string>() : "?";
        const bool good = file.empty() || (file.ends_with(end) && file.size() > end.size() && file.size() <= 4096 &&
                                           file.find('\0') == std::string::npos);
        if (!good) return "must be a FILE" + end + ", or none";
        member(t) = file;
        return "";
    };
    k.parse = [](const std::string& text) { return json(text == "none" ? "" : text); };
    return k;
}

TicketKey textKey(const char* path, const char* form, std::function<std::string(const std::string&)> wrong,
                  std::function<std::string&(Ticket&)> member) {
    TicketKey k = keyOf(path, TicketKey::Kind::Text);
    k.form = form;
    k.get = [member](const Ticket& t) { return json(member(open(t))); };
    k.set = [member, wrong](Ticket& t, const json& j) -> std::string {
        if (!j.is_string()) return "must be a text";
        if (const std::string told = wrong(j.get<std::string>()); !told.empty()) return told;
        member(t) = j.get<std::string>();
        return "";
    };
    k.parse = [](const std::string& text) { return json(text == "none" ? "" : text); };
    return k;
}

} // namespace ulm
