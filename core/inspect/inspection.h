#pragma once

#include "core/inspect/readings.h"
#include "core/media/clip.h"

#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace ulm {

/// A place worth watching: what shows there, on which frame, where (upright source pixels).
struct WatchPlace {
    std::string what; ///< "Blocks", "Noise", "Edge", "Texture"
    std::int64_t frame = 0;
    int x = 0, y = 0;
    double value = 0;
};

struct Advice {
    std::string step, what, why;
    std::map<std::string, std::string> set; ///< ticket keys and values, as `--set` takes them
};

/// What was found in a clip. Readings are medians over the sampled frames.
struct Inspection {
    Readings readings;
    std::vector<std::int64_t> cuts;       ///< first frame of each new shot
    std::vector<std::int64_t> duplicates; ///< frames that repeat the one before
    std::string kind;                     ///< "drawn", "dark camera", "camera"
    std::vector<Advice> advice;
    std::vector<WatchPlace> candidates; ///< one a kind and neighbourhood, its most telling frame
    std::vector<float> motion;          ///< per frame: mean change from the one before, 8-bit steps
    std::vector<std::pair<std::int64_t, Readings>> samples;
    std::int64_t framesLooked = 0; ///< frames compared for cuts and duplicates, from the start
    std::int64_t framesLost = 0;
};

/// Decodes the clip once (at most its first 20 000 frames) and measures about `samples` frames of it, evenly spread.
/// `onProgress` gets 0…1. Errors as FrameReader. Throws Cancelled.
Inspection inspectClip(const ClipPtr& clip, int samples, const CancelToken& cancel,
                       const std::function<void(double)>& onProgress = {});

/// The most telling place of each kind inside `window` (upright source pixels), none nearer than `apart` to another.
std::vector<WatchPlace> choosePlaces(const Inspection&, const Rect& window, int apart);

nlohmann::json toJson(const Inspection&, const MediaFacts&);

} // namespace ulm
