// ulmwood-controls DEMO-FOLDER PICTURES-FOLDER: raises each control of Clean on pictures with its fault and on clean
// ones, overdoes treatments in steps under the overdone meter, and writes docs/controls.md. Ends with 1 on an error
// only.
#include "benchmarks/damaged_pictures.h"
#include "benchmarks/measured_clean.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/engine/engine.h"
#include "core/engine/held_picture.h"
#include "core/finish/unsharp_stage.h"
#include "core/inspect/readings.h"
#include "core/judge/measures.h"
#include "core/judge/overdone.h"
#include "core/ticket/clean_step.h"

#include <functional>
#include <iostream>
#include <sstream>

using namespace ulm;
using namespace ulm::bench;

namespace {

Picture whole(const StagePtr& stage) {
    Engine engine(std::size_t(64) << 20);
    return engine.pull(*stage, 0, stage->format().frame(), {});
}

struct Control {
    const char* key;
    const char* reading;
    std::function<Picture(const Picture&)> damage;
    std::vector<double> values;
    const char* method;
};

Picture treated(const Picture& in, const Readings& r, const Control& c, double value) {
    Ticket t;
    for (const char* off : {"clean.blocks=0", "clean.noise=0", "clean.noise_chroma=0"}) setByAssignment(t, off);
    setByKey(t, "clean.method", c.method);
    setByKey(t, c.key, std::to_string(value));
    return whole(cleanedStage(heldPicture(copyOf(in)), t, knowing(r), false));
}

void controlTable(const std::vector<KnownPicture>& all, std::ostream& out) {
    const std::vector<Control> controls = {
        {"clean.blocks", "blocking", [](const Picture& p) { return blocky(p, 14); }, {10, 30, 60}, "classic"},
        {"clean.blocks", "blocking", [](const Picture& p) { return blocky(p, 14); }, {10, 30, 60}, "learned"},
        {"clean.noise", "noise_sigma", [](const Picture& p) { return noisy(p, 6); }, {2, 4, 7}, "classic"},
        {"clean.noise", "noise_sigma", [](const Picture& p) { return noisy(p, 6); }, {2, 4, 7}, "learned"},
        {"clean.noise_chroma",
         "noise_sigma_chroma",
         [](const Picture& p) { return colourNoisy(p, 6); },
         {2, 4, 7},
         "classic"},
        {"clean.ringing", "ringing", [](const Picture& p) { return ringing(p, 3); }, {1, 3, 6}, "classic"},
        {"clean.stairs", "stairs", [](const Picture& p) { return steppedShare(p, 1); }, {30, 60, 100}, "classic"},
        {"clean.banding", "banding", [](const Picture& p) { return fewer(p, 4); }, {25, 50, 100}, "classic"}};
    for (const Control& c : controls) {
        const ReadingKind& kind = *findReading(c.reading);
        out << "\n### `" << c.key << "`, " << c.method << ": " << kind.name << "\n\n| picture | damaged |";
        for (double v : c.values) out << " at " << v << " |";
        out << " falls | edge width, px | mean, steps | clean picture kept, dB |\n|---|---|";
        for (std::size_t k = 0; k < c.values.size(); ++k) out << "---|";
        out << "---|---|---|---|\n";
        int falls = 0, kept = 0;
        for (const KnownPicture& s : all) {
            const Picture bad = c.damage(s.picture);
            const Readings r = lookAt(bad).readings, clean = lookAt(s.picture).readings;
            double last = r.*kind.member;
            out << "| " << s.name << " | " << figure(last) << " |";
            bool down = true;
            Readings after = r;
            Picture strongest = bad;
            for (double v : c.values) {
                strongest = treated(bad, r, c, v);
                after = lookAt(strongest).readings;
                const double now = after.*kind.member;
                out << ' ' << figure(now) << " |";
                down = down && now <= last + 0.02 * kind.notable;
                last = now;
            }
            down = down && last < r.*kind.member;
            const double left = psnr(s.picture.planes[0], treated(s.picture, clean, c, c.values.back()).planes[0]);
            out << (down ? " yes | " : " **no** | ") << figure(r.softness) << " → " << figure(after.softness) << " | "
                << figure(meanLevel(strongest.planes[0]) - meanLevel(bad.planes[0])) << " | " << figure(left) << " |\n";
            falls += down;
            kept += left >= 45;
        }
        out << "\nFalls steadily: " << falls << " of " << all.size()
            << ". Clean pictures kept at 45 dB or more: " << kept << " of " << all.size() << ".\n";
    }
}

// A treatment that can be overdone: the place before and after it at some strength.
struct Excess {
    const char* key;
    const char* what;
    std::function<OverdonePlace(const Picture&, double)> place;
    std::vector<double> sensible, steps;
};

OverdonePlace placeOf(const Picture& before, const Picture& after, double noise) {
    OverdonePlace p;
    p.before = before;
    p.after = after;
    p.noise = noise;
    return p;
}

std::vector<Excess> excesses() {
    const auto noiseOf = [](const Picture& p) { return lookAt(p).readings.noise; };
    const auto simple = [noiseOf](std::function<Picture(const Picture&, double)> treat) {
        return [=](const Picture& p, double v) { return placeOf(p, treat(p, v), noiseOf(p)); };
    };
    const auto sharpened = [](const Picture& p, double v) { return whole(unsharp(heldPicture(copyOf(p)), v, 1.2)); };
    const auto dark = [noiseOf](const Picture& p, double v) { // a night shot, smoothed
        const Picture night = dimmed(p, 0.24);
        return placeOf(night, soft(night, v), noiseOf(night));
    };
    const auto letters = [noiseOf](const Picture& p, double v) {
        OverdonePlace o = placeOf(p, v < 1 ? soft(p, v) : opened(p, int(v)), noiseOf(p));
        o.text = true;
        return o;
    };
    const auto pumping = [noiseOf](const Picture& p, double v) {
        OverdonePlace o = placeOf(p, p, noiseOf(p));
        o.beforeNext = p;
        o.afterNext = brighter(p, v);
        return o;
    };
    return {{"haloes", "unsharp mask, radius 1.2, amount", simple(sharpened), {0.3, 0.6}, {1.5, 2.2, 3}},
            {"plastic", "blurred by sigma", simple(soft), {0.3, 0.4}, {0.7, 1.1, 1.8}},
            {"painted", "a night shot (tones × 0.24) blurred by sigma", dark, {0.3, 0.4}, {0.7, 1.1, 1.8}},
            {"crushed", "lowered by", simple(crushed), {0.005, 0.01}, {0.04, 0.08, 0.14}},
            {"stairs", "mixed with its staircase, share", simple(steppedShare), {0.05, 0.1}, {0.4, 0.7, 1}},
            {"text", "blurred by sigma (below 1), or opened by a radius", letters, {0.3, 0.5}, {1, 2, 3}},
            {"flicker", "every second frame brighter by steps", pumping, {0.2, 0.4}, {2, 4, 6}}};
}

void overdoneTable(const std::vector<KnownPicture>& all, std::ostream& out) {
    for (const Excess& e : excesses()) {
        out << "\n### " << e.key << ": " << e.what << "\n\n| picture |";
        for (double v : e.sensible) out << ' ' << v << " |";
        for (double v : e.steps) out << " **" << v << "** |";
        out << " rises | quiet |\n|---|";
        for (std::size_t k = 0; k < e.sensible.size() + e.steps.size(); ++k) out << "---|";
        out << "---|---|\n";
        int rises = 0, quiet = 0;
        for (const KnownPicture& s : all) {
            const auto score = [&](double v) { return judgeOverdone(e.place(s.picture, v)); };
            out << "| " << s.name << " |";
            bool calm = true, up = true;
            double last = -1;
            for (double v : e.sensible) {
                const Overdone o = score(v);
                calm = calm && o.gauge() < 100;
                out << ' ' << figure(o.scores.at(e.key))
                    << (o.gauge() < 100 ? " |" : " (" + o.worst + " " + figure(o.gauge()) + ") |");
            }
            for (double v : e.steps) {
                const double now = score(v).scores.at(e.key);
                out << ' ' << figure(now) << " |";
                up = up && (now > last || now >= 199);
                last = now;
            }
            out << (up ? " yes |" : " **no** |") << (calm ? " yes |\n" : " **no** |\n");
            rises += up;
            quiet += calm;
        }
        out << "\nRises: " << rises << " of " << all.size() << ". Quiet on sensible treatment: " << quiet << " of "
            << all.size() << ".\n";
    }
}

} // namespace

int main(int argc, char** argv) try {
    if (argc != 3) return 2;
    const std::vector<KnownPicture> all = subjects(argv[1], argv[2]);
    std::ostringstream out;
    out << "# What the controls do\n\nWritten by `./dev validate`. Pictures are those of docs/inspection.md: four "
           "frames of the "
           "demo's masters and eight photographs of Debian's `opencv-doc`.\n\n## Clean: the control table\n\nEach "
           "control is raised "
           "on pictures damaged in its own way; its reading has to fall from step to step. *Edge width* and *mean* are "
           "before → "
           "after the strongest, and by how much the strongest moved mean luma. *Clean picture kept*: the strongest "
           "setting on the "
           "undamaged picture, PSNR-Y against it.\n";
    controlTable(all, out);
    out << "\n## Clean: as measured\n\nEach picture as a clip that pans by two pixels a frame, damaged, encoded, "
           "looked over "
           "and "
           "cleaned by a new ticket: every control at its own reading, whoever cleans found. *Edges*: contrast of the "
           "truth's strongest edges over their steepest rise; *wider*: cleaned against the wider of the other two, for "
           "noise and stair-steps look sharp. *Farther from the truth*: by more than 0.1 dB. What is beyond 48 dB "
           "counts as "
           "that in the last lines.\n";
    measuredCleanTable(all, out);
    out << "\n## The overdone meter\n\nScores (100 is the limit) of treatments that are sensible, then of ones that "
           "are overdone "
           "(bold). *Quiet*: no score of any kind reaches the limit for sensible ones.\n";
    overdoneTable(all, out);
    std::cout << out.str();
    writeFileWhole("docs/controls.md", out.str());
    return 0;
} catch (const Error& e) {
    std::cerr << e.file << ": " << e.reason << "\n";
    return 1;
}
