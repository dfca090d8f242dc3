#pragma once

#include "core/media/facts.h"
#include "core/picture/size.h"

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace ulm {

/// A destination's limits. 0 or empty: no such limit. See docs/targets.md.
struct Target {
    std::string name;          ///< short, lower case, what --target takes
    std::string title;         ///< as shown
    std::optional<Size> size;  ///< exact picture size wanted
    std::vector<Size> aspects; ///< allowed shapes
    int maxWidth = 0, maxHeight = 0;
    int maxLines = 0; ///< of the shorter side ("≤ 720p")
    double maxFps = 0;
    double maxSeconds = 0;
    double maxMb = 0; ///< 10^6 bytes
    std::vector<std::string> codecs, containers;
    bool startsAtOnce = false; ///< index in front of the data
    bool hdr = false;          ///< takes HDR pictures
    struct Covered {           ///< borders that its own buttons and captions cover, % of height and width
        double top = 0, bottom = 0, left = 0, right = 0;
        bool any() const { return top > 0 || bottom > 0 || left > 0 || right > 0; }
    } covered;
    std::string file;                 ///< where the card came from; empty for one that ships
    std::vector<std::string> unknown; ///< sentences about keys of the card that are not known, and so not used

    /// The part of a picture of this size that nothing of its own covers.
    Rect freeOf(Size picture) const;
    std::int64_t maxBytes() const { return static_cast<std::int64_t>(maxMb * 1e6); }
};

/// Errors: Fault::Input naming file and JSON path.
Target targetFromJson(const nlohmann::json&, const std::string& file);
nlohmann::json toJson(const Target&);
/// Its limits in a line: "1080×1920 · ≤ 30 fps · ≤ 20 MB".
std::string limitsText(const Target&);

/// All cards: those that ship, then the JSON files of `folders` (a later name replaces an earlier one). Cards that
/// cannot be read are left out and their errors appended to `problems`.
std::vector<Target> loadTargets(const std::vector<std::string>& folders, std::vector<std::string>* problems = nullptr);
/// The user's folder of cards, and those named in ULMWOOD_TARGETS (colon-separated).
std::vector<std::string> targetFolders();
/// By name, or by the path of a card. Errors: Fault::Usage where there is none.
Target findTarget(const std::vector<Target>&, const std::string& nameOrPath);

/// Seconds that a movie may be longer than a target takes: less than a frame, rounded times.
inline constexpr double kLengthSlack = 0.01;

/// One limit held against one value.
struct LimitCheck {
    std::string limit, allowed, value;
    bool holds = false;
    /// In words, to be said of a target: "takes at most 60 s; this would be 190.96".
    std::string told() const;
};
struct DeliveredFile {
    int width = 0, height = 0;
    double fps = 0, seconds = 0;
    std::int64_t bytes = 0; ///< 0: not known yet, the size is not checked
    std::string codec, container;
    bool indexInFront = true;
};
std::vector<LimitCheck> checkLimits(const Target&, const DeliveredFile&);
bool allHold(const std::vector<LimitCheck>&);
/// What a finished file delivers.
DeliveredFile deliveredFile(const MediaFacts&);

} // namespace ulm
