// ulmwood-validate DEMO-FOLDER PICTURES-FOLDER: damages clean pictures of several kinds in known steps, reads them, and
// writes docs/inspection.md. Ends with 1 where a reading does not rise with its damage or is not quiet without it.
#include "benchmarks/damaged_pictures.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/inspect/readings.h"

#include <functional>
#include <iostream>
#include <sstream>

using namespace ulm;
using namespace ulm::bench;

namespace {

struct Test {
    const char* reading;
    const char* damage;
    std::function<Picture(const Picture&, double)> apply;
    std::vector<double> steps;
    double rises;         ///< least rise from step to step
    bool falls = false;   ///< the reading falls with the damage (lines of detail)
    bool against = false; ///< read against the clean next picture (combing)
};

std::vector<Test> tests() {
    return {{"blocking", "MPEG-4 at quantiser", blocky, {3, 6, 12, 20}, 0.3},
            {"noise_sigma", "noise of sigma", noisy, {2, 4, 8, 16}, 0.5},
            {"noise_sigma_chroma", "colour noise of sigma", colourNoisy, {2, 4, 8}, 0.5},
            {"softness_px", "blur of sigma", soft, {1, 1.7, 2.6}, 0.3},
            {"ringing", "oscillations beside edges, times", ringing, {1.5, 2.5, 4}, 0},
            {"haloes", "oversharpened by", haloed, {0.25, 0.5, 0.8}, 0.5},
            {"stairs", "mixed with its staircase, share", steppedShare, {0.33, 0.66, 1}, 1},
            {"banding", "levels this many steps apart", fewer, {2, 4, 7}, 0.5},
            {"crushed", "lowered by", crushed, {0.2, 0.3, 0.4}, 0},
            {"clipped", "raised by ×", clipped, {1.4, 1.8, 2.4}, 0},
            {"cast", "tinted by steps", tinted, {8, 16, 24}, 1},
            {"combing", "second field moved by px", combed, {2, 6, 12}, 0, false, true},
            {"detail", "lines kept, share", fewerLines, {0.5, 0.33, 0.25}, 0.02, true}};
}

// Drawn or natural, under every damage that blurs the difference.
void kinds(std::ostream& out, const std::vector<KnownPicture>& all) {
    struct Damage {
        const char* name;
        std::function<Picture(const Picture&, double)> apply;
        std::vector<double> steps;
    };
    const std::vector<Damage> damages{{"blur", soft, {1, 1.7, 2.6}},
                                      {"noise", noisy, {2, 4, 8, 16}},
                                      {"blocks", blocky, {3, 6, 12, 20}},
                                      {"ringing", ringing, {1.5, 4}},
                                      {"fewer lines", fewerLines, {0.5, 0.25}}};
    out << "\n## Drawn or natural\n\nLog-odds that the picture is drawn, at each damage's steps in order: above 0.8 "
           "drawn, below −0.8 natural, between them in doubt.\n\n| picture | kind | clean |";
    for (const Damage& d : damages) out << ' ' << d.name << " |";
    out << "\n|---|---|---|";
    for (std::size_t i = 0; i < damages.size(); ++i) out << "---|";
    int right = 0, doubt = 0, cases = 0;
    for (const KnownPicture& s : all) {
        const bool drawn = s.kind == "line art";
        const auto told = [&](const Picture& p) {
            const double odds = lookAt(p).drawn;
            ++cases;
            doubt += std::abs(odds) < 0.8;
            right += std::abs(odds) >= 0.8 && (odds > 0) == drawn;
            return figure(odds);
        };
        out << "\n| " << s.name << " | " << s.kind << " | " << told(s.picture) << " |";
        for (const Damage& d : damages) {
            for (const double step : d.steps) out << ' ' << told(d.apply(s.picture, step));
            out << " |";
        }
    }
    out << "\n\nRight: " << right << ", in doubt: " << doubt << ", of " << cases << ".\n";
}

} // namespace

int main(int argc, char** argv) try {
    if (argc != 3) return 2;
    const std::vector<KnownPicture> all = subjects(argv[1], argv[2]);
    std::ostringstream out;
    out << "# How far the readings can be trusted\n\nWritten by `./dev validate`: clean pictures of several kinds are "
           "damaged in known "
           "steps and read. *Clean* is the reading of the untouched picture; then it must rise (for lines of detail: "
           "fall) from step to "
           "step. *Shows from* is the reading from which Ulmwood speaks of it. Photographs are those of Debian's "
           "`opencv-doc` (JPEG files, so "
           "not wholly clean themselves); scenes are the demo's masters.\n";
    int failures = 0, loud = 0, cases = 0;
    for (const Test& t : tests()) {
        const ReadingKind& kind = *findReading(t.reading);
        out << "\n## " << kind.name << " (`" << kind.key << "`, " << kind.unit << ")\n\n"
            << kind.method << ". Damage: " << t.damage << ".";
        if (kind.notable > 0) out << " Shows from " << kind.notable << ".";
        out << "\n\n| picture | kind | clean |";
        for (const double s : t.steps) out << ' ' << s << " |";
        out << " in order | quiet clean |\n|---|---|---|";
        for (std::size_t i = 0; i < t.steps.size(); ++i) out << "---|";
        out << "---|---|\n";
        for (const KnownPicture& s : all) {
            const auto read = [&](const Picture& p) {
                if (!t.against) return lookAt(p).readings.*kind.member;
                Plane moved = s.picture.planes[0].copy();
                for (int y = 0; y < moved.area().h; ++y)
                    for (int x = 0; x < moved.area().w; ++x)
                        moved.row(y)[x] = s.picture.planes[0].at(std::max(0, x - 24), y);
                return lookAt(p, &moved).readings.*kind.member;
            };
            double last = read(s.picture);
            const bool quiet = kind.notable <= 0 || last < kind.notable;
            out << "| " << s.name << " | " << s.kind << " | " << figure(last) << " |";
            bool inOrder = true;
            for (const double step : t.steps) {
                const double v = read(t.apply(s.picture, step));
                out << ' ' << figure(v) << " |";
                inOrder = inOrder && (t.falls ? v < last - t.rises : v > last + t.rises);
                last = v;
            }
            out << (inOrder ? " yes |" : " **no** |") << (quiet ? " yes |\n" : " **no** |\n");
            ++cases;
            failures += !inOrder;
            loud += !quiet;
        }
    }
    kinds(out, all);
    out << "\nReadings in order: " << cases - failures << " of " << cases
        << ". Quiet on clean pictures: " << cases - loud << " of " << cases << ".\n";
    std::cout << out.str();
    writeFileWhole("docs/inspection.md", out.str());
    return 0;
} catch (const Error& e) {
    std::cerr << e.file << ": " << e.reason << "\n";
    return 1;
}
