// ulmwood-trials DEMO-FOLDER: how often the order that Trials puts candidates in agrees with how near each comes to the
// master of the damaged clip. Writes docs/trials.md; ends with 1 where it agrees too seldom.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/engine/engine.h"
#include "core/judge/measures.h"
#include "core/judge/trial.h"
#include "core/media/decoder.h"
#include "core/pipeline/delivery.h"

#include <cmath>
#include <iostream>
#include <sstream>

using namespace ulm;

namespace {

constexpr double kTold = 0.1;  // dB: less is no difference
constexpr double kAsked = 0.9; // of all pairs that differ
constexpr int kSide = 96;

std::shared_ptr<FrameReader> reader(const ClipPtr& clip) {
    return std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(32) << 20);
}

struct Row {
    std::string name;
    TrialMeasure mean;
    double error = 0, dB = 0;
};

std::vector<Row> tried(const std::string& damaged, const std::string& master) {
    const ClipPtr clip = Clip::openVideo(damaged), truth = Clip::openVideo(master);
    const auto found = std::make_shared<const Inspection>(inspectClip(clip, {}));
    const auto places = choosePlaces(*found, {{0, 0, clip->facts().video.width, clip->facts().video.height}}, kSide);
    Engine engine(std::size_t(96) << 20);
    const auto source = reader(clip);
    const SourceStage right(reader(truth));
    std::vector<Row> rows;
    std::vector<Ticket> tickets;
    for (const Candidate& c : candidatesFromAdvice(Ticket{}, *found, clip->facts())) {
        Ticket t = c.ticket;
        t.enlarge = {};
        t.frame.on = t.enlarge.on = false; // told in the clip's own pixels, where there is a master
        if (std::ranges::find(tickets, t) != tickets.end()) continue; // it differed in how it enlarges only
        tickets.push_back(t);
        const DeliveryPtr d = resolve(source, found, t);
        Row row{c.name, {}, 0, 0};
        double error = 0;
        int edges = 0;
        for (const WatchPlace& p : places) {
            const Rect r{std::clamp(p.x - kSide / 2, 0, d->size().w - kSide) / 8 * 8,
                         std::clamp(p.y - kSide / 2, 0, d->size().h - kSide) / 8 * 8, kSide, kSide};
            const std::int64_t n = d->clock.stageOf(p.frame);
            const Picture before = engine.pull(*d->before, n, r, {}), after = engine.pull(*d->result, n, r, {});
            const TrialMeasure m = measureTrial(before, after, before, after, 1);
            row.mean.faults += m.faults / double(places.size());
            row.mean.texture += m.texture / double(places.size());
            row.mean.haloes += m.haloes / double(places.size());
            row.error += m.error() / double(places.size());
            if (m.edge > 0) row.mean.edge += m.edge, ++edges;
            error += std::pow(10, -psnr(after.planes[0], engine.pull(right, p.frame, r, {}).planes[0]) / 10) /
                     double(places.size());
        }
        if (edges) row.mean.edge /= edges;
        row.dB = -10 * std::log10(error);
        rows.push_back(row);
    }
    return rows;
}

} // namespace

int main(int argc, char** argv) try {
    if (argc != 2) return 2;
    std::ostringstream out;
    out.precision(4);
    out << "# How far the order of Trials can be trusted\n\nWritten by `./dev validate`: the demo's damaged clips, in "
           "the "
           "candidates that Trials puts side by side, on the spots\nthat it would use. *dB* is how near each comes to "
           "the "
           "clip's undamaged master there, which Trials does not know; *error*\nis what it ranks by, and must fall as "
           "dB "
           "rise.\n\n| clip | candidate | faults left, % | texture left, % | error | dB |\n|---|---|---|---|---|---|\n";
    int agree = 0, pairs = 0, bestFirst = 0, clips = 0;
    double given = 0;
    for (const std::string name : {"wheel", "glaze", "shelf", "kiln", "hands", "ident"}) {
        const std::string folder = argv[1];
        auto rows = tried(folder + "/" + name + ".mp4", folder + "/masters/" + name + "-small.mp4");
        std::ranges::stable_sort(rows, {}, &Row::error);
        double best = -1e9;
        for (const Row& r : rows) best = std::max(best, r.dB);
        ++clips;
        bestFirst += rows.front().dB > best - kTold;
        given += (best - rows.front().dB);
        for (std::size_t i = 0; i < rows.size(); ++i) {
            out << "| " << name << " | " << rows[i].name << " | " << std::lround(rows[i].mean.faults) << " | "
                << std::lround(rows[i].mean.texture) << " | " << rows[i].error << " | " << rows[i].dB << " |\n";
            for (std::size_t k = i + 1; k < rows.size(); ++k)
                if (std::abs(rows[i].dB - rows[k].dB) >= kTold) ++pairs, agree += rows[i].dB > rows[k].dB;
        }
    }
    const double share = double(agree) / std::max(1, pairs);
    out << "\nOf " << pairs << " pairs that differ by " << kTold << " dB or more, " << agree
        << " stand in the right order (" << std::lround(100 * share) << " %). The first column is the best, or within "
        << kTold << " dB of it, in " << bestFirst << " of " << clips << " clips; it gives away " << given / clips
        << " dB on average.\n";
    std::cout << out.str();
    writeFileWhole("docs/trials.md", out.str());
    return share >= kAsked ? 0 : 1;
} catch (const Error& e) {
    std::cerr << e.what() << "\n";
    return 1;
}
