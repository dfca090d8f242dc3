#pragma once

#include "core/inspect/fault_map.h"
#include "core/picture/picture.h"

#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace ulm {

/// What is measured on a picture. Steps are 8-bit steps of limited range (luma value · 219), pixels are the source's.
/// readingKinds() holds each one's name, unit and method.
struct Readings {
    double blocking = 0;    ///< [0, 100]
    double noise = 0;       ///< sigma in luma, [0, 50]
    double chromaNoise = 0; ///< sigma in chroma, [0, 50]
    double softness = 0;    ///< width of strong edges, pixels; 0 where there is none
    double ringing = 0;     ///< steps
    double noiseDark = 0, noiseBright = 0;
    double haloes = 0;               ///< overshoot, % of an edge's height
    double stairs = 0;               ///< [0, 100] %
    double banding = 0;              ///< [0, 100]
    double crushed = 0, clipped = 0; ///< % of the picture
    double cast = 0;                 ///< distance of what should be grey from grey, steps of chroma
    double combing = 0;              ///< % of what moves
    double detail = 0;               ///< original lines over stored lines, (0, 1]; 0 where nothing can be said
    double compression = 0;          ///< how hard it was compressed, by our network: 0 not … 100 (rate factor 40)
    double yield = 100; ///< % of what the general network adds that comes true, [0, 100]: yieldOf(); of a whole clip
};

/// One reading's entry in the table that screens, JSON, CSV and documents share.
struct ReadingKind {
    const char* key;  ///< as in JSON: "noise_sigma"
    const char* name; ///< as people say it: "Noise"
    const char* unit;
    double Readings::*member;
    double notable; ///< from here on it shows
    bool mapped;    ///< it lies somewhere in the picture: FaultMap exists
    const char* method;
};
const std::vector<ReadingKind>& readingKinds();
/// Null where no reading has this key.
const ReadingKind* findReading(const std::string& key);

/// The grid that compression blocks follow: lines every `size` pixels, the first at column `x` and row `y`.
struct BlockGrid {
    double size = 8;
    int x = 0, y = 0;
};

/// One picture, read.
struct PictureReading {
    Readings readings;
    BlockGrid grid;
    std::map<std::string, FaultMap> maps; ///< by key of the mapped readings, and "texture"
    double level = 0;                     ///< mean luma, 0…1
    double drawn = 0;                     ///< log-odds that it is drawn rather than natural; 0: nothing can be said
    double straight = 0;                  ///< share of strong gradients that run exactly along rows or columns
};

/// `next`: the frame after, for combing (which only shows where things move); null leaves that reading 0.
PictureReading lookAt(const Picture& picture, const Plane* next = nullptr);

/// One reading of a small region, by its key, for spots. "texture": mean Laplacian in steps, over one pixel of the
/// source. `scale`: how many times as large as its source the region is; edges of an enlarged picture are less steep.
/// NaN for what one frame's region cannot tell (combing).
double readingOf(const std::string& key, const Picture& region, double scale = 1);

/// Edge width of the same edges of one place, before and after a treatment, pixels of these pictures; `scale` as above.
/// NaN where there are fewer than a dozen.
std::pair<double, double> edgeWidths(const Picture& before, const Picture& after, double scale);

double blockingReading(const Plane& luma);
/// `scale` turns samples into steps: 219 for luma, 224 for chroma.
double noiseReading(const Plane& plane, double scale);
double softnessReading(const Plane& luma);

} // namespace ulm
