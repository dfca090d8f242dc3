#include "core/ticket/fields.h"

#include <algorithm>
#include <charconv>
#include <cmath>
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

template <class Get>
TicketField number(const char* path, double least, double most, Get member) {
    return {path, [=](const Ticket& t) { return json(member(const_cast<Ticket&>(t))); },
            [=](Ticket& t, const json& j) -> std::string {
                if (!j.is_number()) return "must be a number";
                const double v = j.get<double>();
                if (!(v >= least && v <= most)) return rangeText(least, most);
                member(t) = v;
                return "";
            },
            parseNumber};
}

template <class Get>
TicketField flag(const char* path, Get member) {
    return {path, [=](const Ticket& t) { return json(member(const_cast<Ticket&>(t))); },
            [=](Ticket& t, const json& j) -> std::string {
                if (!j.is_boolean()) return "must be true or false";
                member(t) = j.get<bool>();
                return "";
            },
            parseFlag};
}

template <class Get>
TicketField choice(const char* path, std::vector<std::string> names, Get member) {
    return {path, [=](const Ticket& t) { return json(member(const_cast<Ticket&>(t))); },
            [=](Ticket& t, const json& j) -> std::string {
                if (j.is_string())
                    for (const auto& n : names)
                        if (j.get<std::string>() == n) {
                            member(t) = n;
                            return "";
                        }
                std::string all;
                for (const auto& n : names) all += (all.empty() ? "" : ", ") + n;
                return "must be one of " + all;
            },
            [](const std::string& text) { return json(text); }};
}

template <class Get>
TicketField size(const char* path, Get member) {
    return {path,
            [=](const Ticket& t) {
                const auto& s = member(const_cast<Ticket&>(t));
                return s ? json(std::to_string(s->w) + "x" + std::to_string(s->h)) : json(nullptr);
            },
            [=](Ticket& t, const json& j) -> std::string {
                if (j.is_null()) {
                    member(t).reset();
                    return "";
                }
                const auto s = j.is_string() ? parseSize(j.get<std::string>()) : std::nullopt;
                if (!s) return "must be WIDTHxHEIGHT, such as 1080x1920";
                if (s->w < 2 || s->h < 2 || s->w > 8192 || s->h > 8192) return "must lie in 2x2…8192x8192";
                member(t) = *s;
                return "";
            },
            [](const std::string& text) { return text == "none" ? json(nullptr) : json(text); }};
}

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

template <class Get>
TicketField quantity(const char* path, double most, Get member) {
    return {path,
            [=](const Ticket& t) {
                const Quantity& q = member(const_cast<Ticket&>(t));
                json j = {{"from", fromName(q.from)}, {"value", q.value}};
                if (q.from == From::Nudged) j["nudge"] = q.nudge;
                return j;
            },
            [=](Ticket& t, const json& j) { return setQuantity(member(t), j, most); }, parseQuantity};
}

TicketField aspect() {
    return {
        "frame.aspect",
        [](const Ticket& t) { return json(std::to_string(t.frame.aspect.w) + ":" + std::to_string(t.frame.aspect.h)); },
        [](Ticket& t, const json& j) -> std::string {
            const auto a = j.is_string() ? parseAspect(j.get<std::string>()) : std::nullopt;
            if (!a || a->w > 100 * a->h || a->h > 100 * a->w) return "must be W:H, such as 9:16";
            t.frame.aspect = *a;
            return "";
        },
        [](const std::string& text) { return json(text); }};
}

// One of the shipped ways, or a network's file.
TicketField enlargeMethod() {
    return {"enlarge.method", [](const Ticket& t) { return json(t.enlarge.method); },
            [](Ticket& t, const json& j) -> std::string {
                static const std::vector<std::string> names = {"learned", "learned-quick", "lanczos", "spline36",
                                                               "bicubic", "bilinear",      "point"};
                const std::string m = j.is_string() ? j.get<std::string>() : "";
                const bool file = m.ends_with(".onnx") && m.size() <= 4096 && m.find('\0') == std::string::npos;
                if (!file && std::ranges::find(names, m) == names.end())
                    return "must be learned, learned-quick, lanczos, spline36, bicubic, bilinear, point or a FILE.onnx";
                t.enlarge.method = m;
                return "";
            },
            [](const std::string& text) { return json(text); }};
}

#define MEMBER(m)                                                                                                      \
    [](Ticket & t) -> auto& { return t.m; }

std::vector<TicketField> makeFields() {
    return {flag("stretch.on", MEMBER(stretch.on)),
            number("stretch.from", 0, 1e6, MEMBER(stretch.from)),
            number("stretch.to", 0, 1e6, MEMBER(stretch.to)),
            flag("clean.on", MEMBER(clean.on)),
            quantity("clean.blocks", kMostBlocks, MEMBER(clean.blocks)),
            quantity("clean.noise", kMostNoise, MEMBER(clean.noise)),
            choice("clean.method", {"learned", "learned-quick", "classic"}, MEMBER(clean.method)),
            quantity("clean.noise_chroma", kMostNoise, MEMBER(clean.chroma)),
            flag("clean.temporal", MEMBER(clean.temporal)),
            quantity("clean.ringing", kMostRinging, MEMBER(clean.ringing)),
            quantity("clean.stairs", kMostStairs, MEMBER(clean.stairs)),
            quantity("clean.banding", kMostBanding, MEMBER(clean.banding)),
            number("clean.texture", 0, 100, MEMBER(clean.texture)),
            flag("clean.faces", MEMBER(clean.gentleFaces)),
            number("clean.keep_original", 0, 100, MEMBER(clean.keepOriginal)),
            flag("enlarge.on", MEMBER(enlarge.on)),
            number("enlarge.scale", 1, 8, MEMBER(enlarge.scale)),
            size("enlarge.size", MEMBER(enlarge.size)),
            enlargeMethod(),
            quantity("enlarge.strength", kMostStrength, MEMBER(enlarge.strength)),
            choice("enlarge.kind", {"auto", "general", "rough", "drawn"}, MEMBER(enlarge.kind)),
            number("enlarge.above", 1, 4, MEMBER(enlarge.above)),
            number("enlarge.x", 0, 1, MEMBER(enlarge.x)),
            number("enlarge.y", 0, 1, MEMBER(enlarge.y)),
            flag("motion.on", MEMBER(motion.on)),
            number("motion.fps", 1, 240, MEMBER(motion.fps)),
            flag("frame.on", MEMBER(frame.on)),
            aspect(),
            size("frame.size", MEMBER(frame.size)),
            choice("frame.fill", {"crop", "pad", "blur"}, MEMBER(frame.fill)),
            number("frame.x", 0, 1, MEMBER(frame.x)),
            number("frame.y", 0, 1, MEMBER(frame.y)),
            flag("finish.on", MEMBER(finish.on)),
            number("finish.sharpen.amount", 0, 3, MEMBER(finish.amount)),
            number("finish.sharpen.radius", 0.3, 5, MEMBER(finish.radius)),
            number("finish.detail.finest", 0, 3, MEMBER(finish.detail.finest)),
            number("finish.detail.fine", 0, 3, MEMBER(finish.detail.fine)),
            number("finish.detail.medium", 0, 3, MEMBER(finish.detail.medium)),
            number("finish.detail.coarse", 0, 3, MEMBER(finish.detail.coarse)),
            number("finish.detail.threshold", 0, 20, MEMBER(finish.detail.threshold)),
            number("finish.halo_limit", 0, 100, MEMBER(finish.haloLimit)),
            flag("finish.shadows", MEMBER(finish.shadows)),
            number("finish.grain.amount", 0, 20, MEMBER(finish.grain.amount)),
            number("finish.grain.size", 0.5, 4, MEMBER(finish.grain.size)),
            number("finish.grain.midtones", 0, 1, MEMBER(finish.grain.midtones)),
            number("finish.grain.seed", 0, 1e6, MEMBER(finish.grain.seed)),
            flag("sound.on", MEMBER(sound.on)),
            choice("sound.mode", {"keep", "aac", "drop"}, MEMBER(sound.mode)),
            flag("deliver.on", MEMBER(deliver.on)),
            choice("deliver.codec", {"h264"}, MEMBER(deliver.codec)),
            choice("deliver.container", {"mp4"}, MEMBER(deliver.container)),
            choice("deliver.rate", {"quality", "variable", "constant", "size"}, MEMBER(deliver.rate)),
            choice("deliver.quality", {"small", "good", "best"}, MEMBER(deliver.quality)),
            number("deliver.bitrate", 50, 200000, MEMBER(deliver.bitrate)),
            number("deliver.size_mb", 0.01, 100000, MEMBER(deliver.sizeMb)),
            flag("deliver.two_pass", MEMBER(deliver.twoPass))};
}

} // namespace

const std::vector<TicketField>& ticketFields() {
    static const std::vector<TicketField> fields = makeFields();
    return fields;
}

const std::vector<std::string>& ticketSteps() {
    static const std::vector<std::string> steps = {"stretch", "clean",  "enlarge", "motion",
                                                   "frame",   "finish", "sound",   "deliver"};
    return steps;
}

} // namespace ulm
