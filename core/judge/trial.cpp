#include "core/judge/trial.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// What of a ticket a person sees change.
std::string told(const Ticket& t, const Inspection& found, const MediaFacts& facts) {
    std::string all;
    for (const char* step : {"clean", "finish"}) {
        if (!isOn(t, step)) continue;
        std::string s = stepSentence(step, {t, found, facts, nullptr, 0});
        s.pop_back(); // its full stop
        // Side by side the values count, not where they come from.
        for (const std::string word : {" measured", " fixed"})
            for (auto at = s.find(word); at != std::string::npos; at = s.find(word)) s.erase(at, word.size());
        all += (all.empty() ? "" : "; ") + s;
    }
    return all.empty() ? "untreated" : all;
}

void offer(std::vector<Candidate>& all, const std::string& name, const Ticket& t, const std::string& what) {
    if (all.size() < 9 && std::ranges::none_of(all, [&](const Candidate& c) { return c.ticket == t; }))
        all.push_back({name, what, t});
}

} // namespace

std::vector<Candidate> candidatesFromAdvice(const Ticket& now, const Inspection& found, const MediaFacts& facts) {
    std::vector<Candidate> all;
    const auto advice = advise(found, facts);
    // All candidates have one size, so that they can be held against each other: where advice enlarges, the ticket as
    // it is comes enlarged plainly.
    Ticket here = now;
    const auto larger = std::ranges::find(advice, std::string("enlarge"), &Advice::step);
    const bool enlarges = larger != advice.end() && !now.enlarge.on && !(now.frame.on && now.frame.size);
    if (enlarges) {
        for (const auto& [k, v] : larger->set) setByKey(here, k, v);
        here.enlarge.method = "lanczos";
    }
    const auto add = [&](const std::string& name, const Ticket& t) {
        std::string s = told(t, found, facts);
        if (isOn(t, "enlarge")) s += t.enlarge.method == "lanczos" ? "; plainly enlarged" : "; enlarged by the network";
        offer(all, name, t, s);
    };
    add("As it is", here);
    // Shape is not what these trials compare: changing it would move the spots.
    const auto compared = [](const Advice& a) { return a.step == "clean" || a.step == "finish"; };
    Ticket measured = here;
    for (const Advice& a : advice)
        if (compared(a))
            for (const auto& [k, v] : a.set) setByKey(measured, k, v);
    add("Measured", measured);
    if (isOn(measured, "enlarge") || (now.frame.on && now.frame.size)) {
        Ticket t = measured;
        setByKey(t, "enlarge.method", "learned");
        add("Measured, network", t);
        t.clean.on = false;
        add("Network alone", t);
    }
    add("Gentle", scaledTicket(measured, found, 0.6));
    add("Strong", scaledTicket(measured, found, 1.6));
    for (const Advice& a : advice) {
        if (!compared(a)) continue;
        Ticket t = measured;
        for (const auto& [k, v] : a.secondSet) setByKey(t, k, v);
        add(a.secondWhat, t);
    }
    for (const StepPart& p : stepParts())
        for (const Variant& v : p.variants) {
            if (p.step == "clean" && !measured.clean.on) continue; // there is nothing to vary
            Ticket t = measured;
            for (const std::string& s : v.set) setByAssignment(t, s);
            add(v.name, t);
        }
    Ticket bare = here;
    bare.clean.on = bare.finish.on = false;
    add("No treatment", bare);
    return all;
}

std::vector<const TicketKey*> rampKeys() {
    std::vector<const TicketKey*> keys;
    for (const TicketKey* k : ticketKeys())
        if (k->ramped) keys.push_back(k);
    return keys;
}

std::vector<Candidate> ramp(const Ticket& now, const std::string& path, const Inspection& found, int count) {
    const TicketKey* key = findKey(path);
    if (!key || !key->ramped) throw Error(Fault::Usage, "", "there is no ramp of " + path, "");
    count = std::clamp(count, 2, 9);
    Ticket t = now;
    const double here =
        key->quantity ? key->quantity(t).resolve(key->reading(now, found), key->least, key->most) : key->number(t);
    // From nothing (or the least) to twice the value in use, or a third of the range where that is next to nothing.
    const double top = std::min(key->most, std::max(2 * here, key->least + (key->most - key->least) / 3));
    std::vector<Candidate> all;
    for (int i = 0; i < count; ++i) {
        const std::string v = shortNumber(key->least + (top - key->least) * i / (count - 1), 2);
        Candidate c{key->name + " " + v, "", now};
        setByKey(c.ticket, path, v);
        all.push_back(c);
    }
    return all;
}

TrialMeasure measureTrial(const Picture& source, const Picture& cleaned, const Picture& before, const Picture& after,
                          double scale) {
    TrialMeasure m;
    double was = 0, is = 0;
    for (const char* key : {"blocking", "noise_sigma", "ringing"}) {
        const double notable = findReading(key)->notable;
        const double a = readingOf(key, source) / notable, b = readingOf(key, cleaned) / notable;
        if (a < 0.3 && b < 0.3) continue; // it is not there, before or after
        was += a, is += b;
    }
    m.faults = was > 0 ? 100 * is / was : 0;
    const double textureBefore = readingOf("texture", before, scale), textureAfter = readingOf("texture", after, scale);
    m.texture = textureBefore > 0.05 ? 100 * textureAfter / textureBefore : 100;
    m.edge = readingOf("softness_px", after, scale);
    m.haloes = std::max(0.0, readingOf("haloes", after, scale) - readingOf("haloes", before, scale));
    const auto squared = [](double v) { return v * v; };
    m.noise = squared(readingOf("noise_sigma", cleaned));
    m.blocks = 0.007 * squared(readingOf("blocking", cleaned));
    m.ringing = 0.2 * squared(readingOf("ringing", cleaned));
    m.added = 0.4 * squared(std::max(0.0, textureAfter - textureBefore)) + 0.45 * squared(m.haloes);
    return m;
}

} // namespace ulm
