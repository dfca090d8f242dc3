#include "core/judge/trial.h"

#include "core/error.h"
#include "core/ticket/fields.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {

std::string number(double v) {
    std::ostringstream s;
    s << std::round(v * 100) / 100;
    return s.str();
}

// What of a ticket a person sees change.
std::string told(const Ticket& t, const Readings& r) {
    std::vector<std::string> parts;
    if (t.clean.on) {
        parts.push_back("blocks " + number(t.clean.blocks.resolve(r.blocking, 0, 100)) + ", noise " +
                        number(t.clean.noise.resolve(r.noise, 0, 50)));
        if (t.clean.keepOriginal > 0) parts.push_back("original " + number(t.clean.keepOriginal) + " %");
    }
    if (t.finish.on) parts.push_back("sharpen " + number(t.finish.amount) + " at " + number(t.finish.radius) + " px");
    std::string all;
    for (const auto& p : parts) all += (all.empty() ? "" : ", ") + p;
    return all.empty() ? "untreated" : all;
}

void offer(std::vector<Candidate>& all, const std::string& name, const Ticket& t, const Readings& r) {
    if (all.size() < 9 && std::ranges::none_of(all, [&](const Candidate& c) { return c.ticket == t; }))
        all.push_back({name, told(t, r), t});
}

} // namespace

std::vector<Candidate> candidatesFromAdvice(const Ticket& now, const Inspection& i, const MediaFacts& facts) {
    std::vector<Candidate> all;
    const Readings& r = i.readings;
    offer(all, "As it is", now, r);
    const auto advice = advise(i, facts);
    Ticket measured = now;
    for (const Advice& a : advice)
        // Shape and size are not what these trials compare: changing them would move the spots.
        if (a.step == "clean" || a.step == "finish")
            for (const auto& [k, v] : a.set) setByKey(measured, k, v);
    offer(all, "Measured", measured, r);
    const auto scaled = [&](double by, double sharpen) {
        Ticket t = measured;
        if (t.clean.on) {
            t.clean.blocks = {From::Fixed, std::min(100.0, by * measured.clean.blocks.resolve(r.blocking, 0, 100)), 0};
            t.clean.noise = {From::Fixed, std::min(50.0, by * measured.clean.noise.resolve(r.noise, 0, 50)), 0};
        }
        if (t.finish.on) t.finish.amount = std::min(3.0, measured.finish.amount * sharpen);
        return t;
    };
    offer(all, "Gentle", scaled(0.6, 0.5), r);
    offer(all, "Strong", scaled(1.6, 1.7), r);
    for (const Advice& a : advice) {
        if (a.step != "clean" && a.step != "finish") continue;
        Ticket t = measured;
        for (const auto& [k, v] : a.secondSet) setByKey(t, k, v);
        offer(all, a.secondWhat, t, r);
    }
    Ticket lively = measured;
    if (lively.clean.on) {
        lively.clean.keepOriginal = 30;
        offer(all, "Some original kept", lively, r);
    }
    Ticket crisp = measured;
    setByKey(crisp, "finish.sharpen.amount", "1.2");
    setByKey(crisp, "finish.sharpen.radius", "0.8");
    offer(all, "Crisp", crisp, r);
    Ticket bare = now;
    bare.clean.on = bare.finish.on = false;
    offer(all, "No treatment", bare, r);
    return all;
}

const std::vector<RampKey>& rampKeys() {
    static const std::vector<RampKey> keys = {{"clean.blocks", "Blocks", 0, 100},
                                              {"clean.noise", "Noise", 0, 50},
                                              {"clean.keep_original", "Keep original", 0, 100},
                                              {"finish.sharpen.amount", "Sharpen amount", 0, 3},
                                              {"finish.sharpen.radius", "Sharpen radius", 0.3, 5}};
    return keys;
}

std::vector<Candidate> ramp(const Ticket& now, const std::string& key, const Readings& r, int count) {
    const auto it = std::ranges::find_if(rampKeys(), [&](const RampKey& k) { return key == k.key; });
    if (it == rampKeys().end()) throw Error(Fault::Usage, "", "there is no ramp of " + key, "");
    count = std::clamp(count, 2, 9);
    const double here = key == "clean.blocks"            ? now.clean.blocks.resolve(r.blocking, 0, kMostBlocks)
                        : key == "clean.noise"           ? now.clean.noise.resolve(r.noise, 0, kMostNoise)
                        : key == "clean.keep_original"   ? now.clean.keepOriginal
                        : key == "finish.sharpen.amount" ? now.finish.amount
                                                         : now.finish.radius;
    // From nothing (or the least) to twice the value in use, or a third of the range where that is next to nothing.
    const double top = std::min(it->most, std::max(2 * here, it->least + (it->most - it->least) / 3));
    std::vector<Candidate> all;
    for (int i = 0; i < count; ++i) {
        const double v = std::round((it->least + (top - it->least) * i / (count - 1)) * 100) / 100;
        Candidate c{std::string(it->name) + " " + number(v), "", now};
        setByKey(c.ticket, key, number(v));
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
    return m;
}

double trialBalance(const TrialMeasure& m) {
    return (100 - std::min(200.0, m.faults)) - 0.6 * std::max(0.0, 100 - m.texture) - 2 * m.haloes - 0.5 * m.edge;
}

} // namespace ulm
