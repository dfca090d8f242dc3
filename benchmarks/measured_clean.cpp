#include "benchmarks/measured_clean.h"

#include "benchmarks/measure.h"
#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/inspect/inspection.h"
#include "core/judge/measures.h"
#include "core/media/frame_convert.h"
#include "core/pipeline/delivery.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <functional>
#include <ostream>

namespace ulm::bench {
namespace {

constexpr int kFrames = 8, kJudged = 4, kPan = 2; // pixels a frame

struct Damage {
    const char* name;
    std::function<Picture(const Picture&, unsigned frame)> done;
    double crf; ///< 0: encoded without loss
};

std::vector<Damage> damages() {
    const auto none = [](const Picture& p, unsigned) { return copyOf(p); };
    return {
        {"none", none, 0},
        {"H.264, rate factor 24", none, 24},
        {"H.264, rate factor 33", none, 33},
        {"MPEG-4, quantiser 6, then kept without loss", [](const Picture& p, unsigned) { return blocky(p, 6); }, 0},
        {"MPEG-4, quantiser 14, then kept without loss", [](const Picture& p, unsigned) { return blocky(p, 14); }, 0},
        {"noise 3", [](const Picture& p, unsigned n) { return noisyFrame(p, 3, n); }, 0},
        {"noise 6", [](const Picture& p, unsigned n) { return noisyFrame(p, 6, n); }, 0},
        {"noise 4, H.264, rate factor 28", [](const Picture& p, unsigned n) { return noisyFrame(p, 4, n); }, 28},
        {"ringing × 3", [](const Picture& p, unsigned) { return ringing(p, 3); }, 0},
        {"stair-steps", [](const Picture& p, unsigned) { return steppedShare(p, 1); }, 0}};
}

// The picture as frame n of a pan shows it, 4:2:0, whole blocks.
Picture panned(const Picture& whole, int n) {
    PictureFormat f = whole.format;
    f.subW = f.subH = 1, f.bitDepth = 8;
    f.width = (f.width - kPan * kFrames) & ~15, f.height &= ~15;
    Picture p = Picture::make(f, f.frame());
    for (std::size_t c = 0; c < 3; ++c) {
        const Plane& from = whole.planes[c];
        Plane& to = p.planes[c];
        const int stepX = c && !whole.format.subW ? 2 : 1, stepY = c && !whole.format.subH ? 2 : 1;
        const int shift = c && whole.format.subW ? kPan * n / 2 : kPan * n;
        for (int y = 0; y < to.area().h; ++y)
            for (int x = 0; x < to.area().w; ++x) to.row(y)[x] = from.at(x * stepX + shift, y * stepY);
    }
    return p;
}

// A place where one row or column crosses one of the strongest edges.
struct Edge {
    int x, y;
    bool down;
};

float at(const Plane& p, const Edge& e, int along) { return e.down ? p.at(e.x, e.y + along) : p.at(e.x + along, e.y); }

constexpr int kReach = 5;

std::vector<Edge> strongestEdges(const Plane& p) {
    constexpr double kShare = 0.985; // quantile of slopes
    std::vector<std::pair<float, Edge>> all;
    const Rect inner = p.area().grown(-kReach - 7);
    for (const bool down : {false, true})
        for (int y = inner.y; y < inner.bottom(); ++y)
            for (int x = inner.x; x < inner.right(); ++x) {
                const auto slope = [&](int k) {
                    return std::abs(at(p, {x, y, down}, k + 1) - at(p, {x, y, down}, k - 1));
                };
                const float s = slope(0);
                if (s >= slope(-1) && s > slope(1)) all.push_back({s, {x, y, down}});
            }
    const auto cut = all.begin() + std::ptrdiff_t(kShare * double(all.size()));
    std::ranges::nth_element(all, cut, {}, &std::pair<float, Edge>::first);
    std::vector<Edge> strong;
    for (auto it = cut; it != all.end(); ++it) strong.push_back(it->second);
    return strong;
}

// Their contrast over their steepest rise, pixels: median.
double widthOf(const Plane& p, const std::vector<Edge>& edges) {
    std::vector<double> all;
    for (const Edge& e : edges) {
        float low = 1e9f, high = -1e9f, steep = 1e-6f;
        for (int k = -kReach; k <= kReach; ++k) {
            low = std::min(low, at(p, e, k)), high = std::max(high, at(p, e, k));
            if (k < kReach) steep = std::max(steep, std::abs(at(p, e, k + 1) - at(p, e, k)));
        }
        all.push_back(double(high - low) / steep);
    }
    return median(all);
}

Ticket ticketBy(const char* method) {
    Ticket t;
    t.clean.on = true;
    t.clean.method = method;
    return t;
}

void writeClip(const std::string& path, const KnownPicture& picture, const Damage& d) {
    VideoEncoding e;
    const PictureFormat f = panned(picture.picture, 0).format;
    e.width = f.width, e.height = f.height, e.colour = f.colour;
    e.rate = d.crf > 0 ? VideoEncoding::Rate::Quality : VideoEncoding::Rate::Lossless;
    e.crf = d.crf;
    MovieWriter writer(path, "matroska", e, std::nullopt);
    for (int n = 0; n < kFrames; ++n)
        writer.write(*toFrame(d.done(panned(picture.picture, n), unsigned(n)), AV_PIX_FMT_YUV420P), n, 1);
    writer.finish();
}

} // namespace

void measuredCleanTable(const std::vector<KnownPicture>& all, std::ostream& out) {
    const std::string path = (std::filesystem::temp_directory_path() / "ulmwood-measured-clean.mkv").string();
    for (const Damage& d : damages()) {
        out << "\n### " << d.name
            << "\n\n| picture | blocks, compression, done by | edges: true, damaged, cleaned, px | wider, % | mean, "
               "steps | PSNR-Y, dB: "
               "damaged → cleaned | by filters, by network |\n|---|---|---|---|---|---|---|\n";
        int wider = 0, worse = 0;
        double gained = 0, missed = 0;
        for (const KnownPicture& s : all) {
            writeClip(path, s, d);
            const ClipPtr clip = Clip::openVideo(path);
            const auto found = std::make_shared<const Inspection>(inspectClip(clip, {}));
            const auto reader =
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(32) << 20);
            Engine engine(std::size_t(64) << 20);
            const auto luma = [&](const StagePtr& stage) {
                return engine.pull(*stage, kJudged, stage->format().frame(), {}).planes[0];
            };
            const auto cleaned = [&](const char* method) {
                return luma(resolve(reader, found, ticketBy(method))->result);
            };
            const Plane truth = panned(s.picture, kJudged).planes[0];
            const Plane bad = luma(resolve(reader, found, Ticket{})->source), good = cleaned("auto");
            const auto edges = strongestEdges(truth);
            const double is = widthOf(truth, edges), was = widthOf(bad, edges), now = widthOf(good, edges);
            const double percent = 100 * (now / std::max(is, was) - 1);
            const double before = psnr(truth, bad), after = psnr(truth, good),
                         filters = psnr(truth, cleaned("classic")), network = psnr(truth, cleaned("learned"));
            out << "| " << s.name << " | " << figure(found->readings.blocking) << ", "
                << figure(found->readings.compression) << ", "
                << (cleansByNetwork(ticketBy("auto"), *found) ? "network" : "filters") << " | " << figure(is) << ", "
                << figure(was) << ", " << figure(now) << " | " << figure(percent) << " | "
                << figure(meanLevel(good) - meanLevel(bad)) << " | " << figure(before) << " → " << figure(after)
                << " | " << figure(filters) << ", " << figure(network) << " |\n";
            // Beyond 48 dB nobody tells pictures apart.
            const auto told = [](double db) { return std::min(db, 48.0); };
            wider += percent > 5;
            worse += told(after) < told(before) - 0.1;
            gained += (told(after) - told(before)) / double(all.size());
            missed += (std::max({told(before), told(filters), told(network)}) - told(after)) / double(all.size());
        }
        out << "\nEdges wider by more than 5 %: " << wider << " of " << all.size()
            << ". Farther from the truth: " << worse << ". Nearer to it on average by " << figure(gained)
            << " dB; the best of all ways, each picture's own, by " << figure(missed) << " dB more.\n";
    }
    std::filesystem::remove(path);
}

} // namespace ulm::bench
