#include "core/inspect/readings.h"

#include "core/inspect/fault_measures.h"
#include "core/model/damage.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {
// Contours are counted with the square of their step; the root makes the reading follow what the eye says.
double bandingScale(double mean) { return std::min(100.0, 40 * std::sqrt(std::max(0.0, mean))); }
} // namespace

const std::vector<ReadingKind>& readingKinds() {
    static const std::vector<ReadingKind> kinds = {
        {"blocking", "Blocks", "tenths of a step", &Readings::blocking, 3, true,
         "differences across the best grid against those beside it (Wu & Yuen 1997)"},
        {"noise_sigma", "Noise", "sigma, steps", &Readings::noise, 1.5, true,
         "Laplacian-difference mask (Immerkær 1996) on the flattest tenth of blocks (Olsen 1993)"},
        {"noise_sigma_dark", "Noise in shadows", "sigma, steps", &Readings::noiseDark, 1.8, false,
         "the same on blocks below 70 steps"},
        {"noise_sigma_bright", "Noise in lights", "sigma, steps", &Readings::noiseBright, 1.8, false,
         "the same on blocks above 130 steps"},
        {"noise_sigma_chroma", "Colour noise", "sigma, steps", &Readings::chromaNoise, 1.5, false,
         "the same on the chroma planes"},
        {"softness_px", "Edge width", "px", &Readings::softness, 7, true,
         "width of strong edges (Marziliano et al. 2002)"},
        {"ringing", "Ringing", "steps", &Readings::ringing, 2, true,
         "unrest beside edges where it is calm further away (after Marziliano et al. 2004)"},
        {"haloes", "Haloes", "% of the edge", &Readings::haloes, 12, true, "overshoot on both sides of strong edges"},
        {"stairs", "Stair-steps", "% of a staircase", &Readings::stairs, 65, true,
         "jumps of a slanted edge's crossing (edge location after ISO 12233)"},
        {"banding", "Banding", "contours in flat areas", &Readings::banding, 8, true,
         "small steps between flat surroundings (after BBAND, Tu et al. 2020)"},
        {"crushed", "Crushed shadows", "% of the picture", &Readings::crushed, 2, true, "pile-up at black"},
        {"clipped", "Clipped lights", "% of the picture", &Readings::clipped, 2, true, "pile-up at white"},
        {"cast", "Colour cast", "steps of chroma", &Readings::cast, 12, false,
         "grey world and white patch where they agree (after Gasparini & Schettini 2004)"},
        {"combing", "Interlace combs", "% of what moves", &Readings::combing, 3, true,
         "rows that alternate where things move"},
        {"detail", "Lines of detail", "share of the lines stored", &Readings::detail, 0, false,
         "where the spectrum of busy blocks falls away"},
        {"compression", "Compression", "% of rate factor 12 to 40", &Readings::compression, 0, false,
         "estimated by a network trained on real encodes (docs/networks.md)"}};
    return kinds;
}

const ReadingKind* findReading(const std::string& key) {
    const auto it = std::ranges::find_if(readingKinds(), [&](const ReadingKind& k) { return key == k.key; });
    return it == readingKinds().end() ? nullptr : &*it;
}

// How hard it was compressed: the network's estimate; where a grid of blocks that no decoder smoothed shows, half of it
// and half by the grid's own height, which follows the quantiser (MPEG-4's steps, on the scale of rate factors).
static double compressionReading(const Plane& luma, double blocking) {
    const double estimate = std::min(100.0, 100 * estimateCompression(luma));
    const double byGrid = 100 * std::clamp((6.2 * std::log2(std::max(1.0, 0.35 * blocking)) - 3.5) / 28, 0.0, 1.0);
    return std::lerp(estimate, byGrid, 0.5 * std::clamp((blocking - 4) / 6, 0.0, 1.0));
}

PictureReading lookAt(const Picture& p, const Plane* next) {
    PictureReading out;
    Readings& r = out.readings;
    const Plane& luma = p.planes[0];
    const measure::Blocking blocks = measure::blocking(luma);
    r.blocking = blocks.reading;
    out.grid = blocks.grid;
    out.maps["blocking"] = measure::blockingMap(luma, blocks.grid);
    measure::Noise noise = measure::noise(luma, measure::kSteps);
    r.noise = noise.sigma;
    r.noiseDark = noise.dark;
    r.noiseBright = noise.bright;
    r.chromaNoise = std::max(noiseReading(p.planes[1], 224), noiseReading(p.planes[2], 224));
    out.maps["noise_sigma"] = std::move(noise.map);
    out.maps["texture"] = std::move(noise.texture);
    measure::Edges edges = measure::edges(luma, noise.sigma);
    r.softness = edges.softness;
    r.haloes = edges.haloes;
    r.ringing = edges.ringing;
    out.straight = edges.straight;
    out.maps["softness_px"] = std::move(edges.widthMap);
    out.maps["haloes"] = std::move(edges.haloMap);
    out.maps["ringing"] = std::move(edges.ringMap);
    measure::Stairs stairs = measure::stairs(luma, noise.sigma);
    r.stairs = stairs.reading;
    out.maps["stairs"] = std::move(stairs.map);
    const FaultMap bands = measure::banding(luma, r.blocking >= 2 ? &out.grid : nullptr);
    r.banding = bands.totalWeight() > 400 ? bandingScale(bands.mean()) : 0;
    out.maps["banding"] = bands.pooled().turned(bandingScale);
    measure::Ends ends = measure::ends(luma);
    r.crushed = ends.crushed;
    r.clipped = ends.clipped;
    out.drawn = measure::drawn(luma);
    out.level = ends.level;
    out.maps["crushed"] = std::move(ends.crushedMap);
    out.maps["clipped"] = std::move(ends.clippedMap);
    r.cast = measure::cast(p);
    if (next) {
        FaultMap combs = measure::combing(luma, *next, noise.sigma);
        // A few moving samples say nothing.
        r.combing = combs.totalWeight() > 0.002 * double(luma.area().pixels()) ? combs.mean() : 0;
        out.maps["combing"] = std::move(combs);
    }
    r.detail = measure::detail(luma);
    r.compression = compressionReading(luma, r.blocking);
    return out;
}

double blockingReading(const Plane& luma) { return measure::blocking(luma).reading; }

// Mean |Laplacian| over samples `step` apart.
static double textureOf(const Plane& p, int step) {
    double sum = 0;
    std::int64_t n = 0;
    const Rect r = p.area().grown(-step);
    for (int y = r.y; y < r.bottom(); ++y) {
        const float *a = p.row(y - step) + step, *b = p.row(y) + step, *c = p.row(y + step) + step;
        for (int x = 0; x < r.w; ++x, ++n) sum += std::abs(4 * b[x] - b[x - step] - b[x + step] - a[x] - c[x]);
    }
    return n ? sum / double(n) * measure::kSteps : 0;
}

// Steps a pixel from which a gradient is an edge in a picture so many times as large as its source.
static double strongAt(double scale) { return std::max(2.0, 10 / std::max(1.0, scale)); }

std::pair<double, double> edgeWidths(const Picture& before, const Picture& after, double scale) {
    return measure::widthsOfSameEdges(before.planes[0], after.planes[0], strongAt(scale),
                                      std::max(1, int(std::lround(scale))));
}

double readingOf(const std::string& key, const Picture& region, double scale) {
    const double strong = strongAt(scale);
    const Plane& luma = region.planes[0];
    if (key == "noise_sigma") return noiseReading(luma, measure::kSteps);
    // A region has few edges: all of them count, where a whole picture is told by its middle one.
    if (key == "softness_px") return measure::edges(luma, 0, strong).widthMap.mean();
    if (key == "ringing") return measure::edges(luma, noiseReading(luma, measure::kSteps)).ringMap.mean();
    if (key == "haloes") return measure::edges(luma, 0, strong).haloMap.mean();
    if (key == "stairs") return measure::stairs(luma, noiseReading(luma, measure::kSteps)).map.mean();
    if (key == "banding") return bandingScale(measure::banding(luma).mean());
    if (key == "texture") return textureOf(luma, std::max(1, int(std::lround(scale))));
    if (key == "combing") return std::nan("");
    if (key == "crushed") return measure::ends(luma).crushedMap.mean();
    if (key == "clipped") return measure::ends(luma).clippedMap.mean();
    return blockingReading(luma);
}

} // namespace ulm
