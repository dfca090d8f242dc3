// ulmwood-cuts FOLDER…: finds cuts in the movies of these folders, alone and joined at random, and writes docs/cuts.md.
// Ends with 1 where a single take shows a cut, or joined takes are told apart worse than asked.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/inspect/shots.h"
#include "core/media/clip_files.h"
#include "core/media/decoder.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iostream>
#include <map>
#include <random>
#include <sstream>

using namespace ulm;
namespace fs = std::filesystem;

namespace {

using Prints = std::vector<Thumbprint>;
constexpr int kW = Thumbprint::kColumns, kH = Thumbprint::kRows;
constexpr double kAsked = 0.97;

// Looked at by eye: the cuts there are. Every other movie is a single take.
const std::map<std::string, std::vector<std::int64_t>> kTrue = {{"Megamind.avi", {1, 98, 154, 200}},
                                                                {"Megamind_bugy.avi", {1, 98, 154, 200}},
                                                                {"cityCC0.mpg", {116}},
                                                                {"Effet_force_magnetique.ogv", {2}},
                                                                {"Principe_inertie.avi", {2}},
                                                                {"Force_constante.avi", {2}},
                                                                {"DualDiscs.mov", {61}}};

struct Take {
    std::string name;
    Prints prints;
    std::vector<std::int64_t> cuts;
};

Take read(const std::string& path) {
    const ClipPtr clip = Clip::openVideo(path);
    FrameReader reader(clip, PacketDecoder::Threads::Frames, std::size_t(16) << 20);
    Take t{fs::path(path).filename().string(), {}, {}};
    for (std::int64_t n = 0; n < std::min<std::int64_t>(clip->frameCount(), 900); ++n)
        t.prints.push_back(thumbprint(*reader.frame(n, {}).picture, clip->facts().video.colour.fullRange));
    if (const auto known = kTrue.find(t.name); known != kTrue.end()) t.cuts = known->second;
    return t;
}

Thumbprint mixed(const Thumbprint& a, const Thumbprint& b, float share) {
    Thumbprint out = a;
    for (std::size_t i = 0; i < out.cells.size(); ++i) out.cells[i] += share * (b.cells[i] - a.cells[i]);
    return out;
}

// A camera swung to the side: everything is moved, and smeared as far as it moves in half a frame.
Thumbprint swung(const Thumbprint& p, int by) {
    Thumbprint out = p;
    const int smear = std::max(1, std::abs(by) / 2);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) {
            float sum = 0;
            for (int k = 0; k < smear; ++k)
                sum += p.cells[static_cast<std::size_t>(y * kW + std::clamp(x + by + k, 0, kW - 1))];
            out.cells[static_cast<std::size_t>(y * kW + x)] = sum / float(smear);
        }
    return out;
}

enum class Way { Plain, Fast, Flash, Swing, Covered, Ramp };
constexpr Way kWays[] = {Way::Plain, Way::Fast, Way::Flash, Way::Swing, Way::Covered, Way::Ramp};

Prints treated(const Prints& from, Way way, std::mt19937& random) {
    Prints out = from;
    const auto n = static_cast<int>(out.size()), middle = n / 2;
    for (int i = 0; i < n; ++i) {
        auto& p = out[static_cast<std::size_t>(i)];
        if (way == Way::Flash && (i == middle || i == middle + 1))
            for (float& v : p.cells) v = std::min(235.f, v * 1.8f + 20);
        if (way == Way::Swing) p = swung(p, static_cast<int>(3.0 * std::max(0, i - n + 7) * (i - n + 7) / 4));
        if (way == Way::Covered) // something dark passes in front, a third of the picture wide
            for (int y = 0; y < kH; ++y)
                for (int x = 0; x < kW; ++x)
                    if (const int edge = (i - middle + 5) * kW / 10; x < edge && x > edge - kW / 3)
                        p.cells[static_cast<std::size_t>(y * kW + x)] = 25;
        if (way == Way::Ramp)
            for (float& v : p.cells) v *= 0.5f + 0.5f * float(i) / float(n);
    }
    (void)random;
    return out;
}

struct Tally {
    int hits = 0, found = 0, truth = 0;
    double f1() const { return 2.0 * hits / std::max(1, found + truth); }
};

// Segments of takes joined: by cuts, or by dissolves, which are none.
Tally joined(const std::vector<const Take*>& takes, std::uint32_t seed, bool dissolves) {
    std::mt19937 random(seed);
    Prints all;
    std::vector<std::int64_t> truth;
    const Take* last = nullptr;
    for (int part = 0; part < 30; ++part) {
        const Take* t = last;
        while (t == last) t = takes[random() % takes.size()];
        last = t;
        const Way way = kWays[random() % std::size(kWays)];
        const std::size_t step = way == Way::Fast ? 3 : 1, wanted = 18 + random() % 30,
                          most = std::min(wanted, t->prints.size() / step);
        const std::size_t start = random() % (t->prints.size() - most * step + 1);
        Prints segment;
        for (std::size_t i = 0; i < most; ++i) segment.push_back(t->prints[start + i * step]);
        segment = treated(segment, way, random);
        if (!all.empty() && dissolves && part % 2) {
            for (std::size_t i = 0; i < 12 && i < segment.size(); ++i)
                segment[i] = mixed(all.back(), segment[i], (float(i) + 1) / 13);
        } else if (!all.empty())
            truth.push_back(static_cast<std::int64_t>(all.size()));
        all.insert(all.end(), segment.begin(), segment.end());
    }
    Tally r;
    const auto found = findCuts(all);
    r.found = static_cast<int>(found.size());
    r.truth = static_cast<int>(truth.size());
    for (const auto f : found) r.hits += std::ranges::count(truth, f) > 0;
    return r;
}

std::string listedCuts(const std::vector<std::int64_t>& cuts) {
    std::string s;
    for (const auto c : cuts) s += (s.empty() ? "" : ", ") + std::to_string(c);
    return s.empty() ? "none" : s;
}

} // namespace

int main(int argc, char** argv) try {
    std::vector<Take> takes;
    for (int i = 1; i < argc; ++i)
        for (const auto& e : fs::recursive_directory_iterator(argv[i]))
            if (e.is_regular_file() && hasClipEnding(e.path().string())) try {
                    Take t = read(e.path().string());
                    const bool known = std::ranges::find(takes, t.name, &Take::name) != takes.end();
                    if (t.prints.size() >= 12 && !known) takes.push_back(std::move(t));
                } catch (const Error&) { // a sample that is no movie
                }
    std::ranges::sort(takes, {}, &Take::name);
    if (takes.empty()) return 2;
    std::ostringstream out;
    out << "# Where cuts are found\n\nWritten by `./dev validate`: movies of Debian packages (camera takes, screens, "
           "animations; the\npackages are in packaging/takes-packages.txt), first alone, against what the eye finds in "
           "them, then in parts joined\nat random: as they are, three times as fast, with a flash, ending in a swung "
           "camera, with something dark passing in\nfront, growing brighter; and with every second join a dissolve of "
           "half a second, which is no cut.\n\n| movie | frames | cuts there are | found |\n|---|---|---|---|\n";
    Tally alone;
    int falseOnes = 0;
    std::vector<const Take*> single;
    for (const Take& t : takes) {
        const auto found = findCuts(t.prints);
        for (const auto f : found) {
            const bool right = std::ranges::count(t.cuts, f) > 0;
            alone.hits += right;
            falseOnes += !right;
        }
        alone.found += static_cast<int>(found.size());
        alone.truth += static_cast<int>(t.cuts.size());
        if (t.cuts.empty() && t.prints.size() >= 60) single.push_back(&t);
        out << "| " << t.name << " | " << t.prints.size() << " | " << listedCuts(t.cuts) << " | " << listedCuts(found)
            << " |\n";
    }
    out << "\nAlone: " << alone.hits << " of " << alone.truth << " found, " << falseOnes << " false.\n\n"
        << "| joined | cuts | found | right | F1 |\n|---|---|---|---|---|\n";
    double worst = 1;
    for (const bool dissolves : {false, true}) {
        Tally sum;
        for (std::uint32_t seed = 1; seed <= 20; ++seed) {
            const Tally t = joined(single, seed, dissolves);
            sum.hits += t.hits, sum.found += t.found, sum.truth += t.truth;
        }
        worst = std::min(worst, sum.f1());
        out.precision(3);
        out << "| by " << (dissolves ? "cuts and dissolves" : "cuts") << " | " << sum.truth << " | " << sum.found
            << " | " << sum.hits << " | " << sum.f1() << " |\n";
    }
    std::cout << out.str();
    writeFileWhole("docs/cuts.md", out.str());
    return falseOnes == 0 && worst >= kAsked ? 0 : 1;
} catch (const Error& e) {
    std::cerr << e.what() << "\n";
    return 1;
}
