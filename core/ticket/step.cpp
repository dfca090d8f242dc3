#include "core/ticket/step.h"

#include "core/base/words.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ulm {

const std::vector<StepHead>& stepHeads() {
    static const std::vector<StepHead> heads = {
        {"stretch", "Stretch"}, {"clean", "Clean"},   {"enlarge", "Enlarge"}, {"motion", "Motion"},
        {"frame", "Frame"},     {"finish", "Finish"}, {"sound", "Sound"},     {"deliver", "Deliver", true}};
    return heads;
}

const std::vector<StepPart>& stepParts() {
    static const std::vector<StepPart> parts = {stretchPart(), cleanPart(),   enlargePart(), motionPart(), framePart(),
                                                lightPart(),   sharpenPart(), glowPart(),    grainPart(),  markPart(),
                                                fadePart(),    soundPart(),   deliverPart()};
    return parts;
}

const std::vector<const TicketKey*>& ticketKeys() {
    static const std::vector<const TicketKey*> all = [] {
        std::vector<const TicketKey*> keys;
        for (const StepPart& p : stepParts())
            for (const TicketKey& k : p.keys) keys.push_back(&k);
        return keys;
    }();
    return all;
}

const TicketKey* findKey(const std::string& path) {
    const auto it = std::ranges::find(ticketKeys(), path, &TicketKey::path);
    return it == ticketKeys().end() ? nullptr : *it;
}

std::string stepSentence(const std::string& step, const StepView& v) {
    std::string all;
    for (const StepPart& p : stepParts()) {
        if (p.step != step || !p.told) continue;
        const std::string part = p.told(v);
        if (!part.empty()) all += (all.empty() ? "" : ", ") + part;
    }
    if (all.empty()) return "Nothing is done.";
    all = capitalised(all);
    return all.ends_with('.') ? all : all + ".";
}

bool isOn(const Ticket& t, const std::string& step) {
    const TicketKey* k = findKey(step + ".on");
    return k && k->get(t) == true;
}

bool needsReadings(const Ticket& t) {
    return std::ranges::any_of(stepParts(), [&](const StepPart& p) { return p.needsReadings && p.needsReadings(t); });
}

Ticket scaledTicket(const Ticket& t, const Inspection& found, double by) {
    Ticket scaled = t;
    for (const StepPart& p : stepParts())
        if (p.scale) p.scale(scaled, found, by);
    return scaled;
}

std::vector<std::string> idleKeys(const Ticket& t, const std::vector<std::string>& set) {
    std::vector<std::string> idle;
    for (const std::string& path : set)
        if (const TicketKey* k = findKey(path); k && k->acts && !k->acts(t))
            idle.push_back(path + " acts " + k->actsWhen);
    return idle;
}

std::string shortNumber(double v, int decimals) {
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", decimals, v);
    std::string s = text;
    if (s.find('.') != std::string::npos) {
        while (s.back() == '0') s.pop_back();
        if (s.back() == '.') s.pop_back();
    }
    return s == "-0" ? "0" : s;
}

std::string quantityText(const std::string& name, const Quantity& q, double reading, double most, int decimals,
                         const std::string& unit) {
    const std::string used = shortNumber(q.resolve(reading, 0, most), decimals) + unit;
    if (q.from == From::Measured) return name + " " + used + " measured";
    if (q.from == From::Nudged)
        return name + " " + shortNumber(reading, decimals) + unit + " nudged " + (q.nudge < 0 ? "−" : "+") +
               shortNumber(std::abs(q.nudge), decimals);
    return name + " " + used + " fixed";
}

} // namespace ulm
