#pragma once

#include "core/inspect/camera.h"
#include "core/inspect/fields.h"
#include "core/inspect/marks.h"
#include "core/inspect/movement.h"
#include "core/inspect/readings.h"
#include "core/inspect/sound_readings.h"
#include "core/inspect/subject.h"
#include "core/media/clip.h"
#include "core/picture/size.h"

#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace ulm {

/// A place worth watching: what shows there ("blocking", "texture", …: a reading's key, "texture", "text", "face",
/// "motion"), on which frame, where (upright source pixels), and how telling it is (0 hardly … 1 and more).
struct WatchPlace {
    std::string what;
    std::int64_t frame = 0;
    int x = 0, y = 0;
    double value = 0;
};

/// Where a reading is worst.
struct Worst {
    double value = 0;
    std::int64_t frame = 0;
    Rect box; ///< upright source pixels; empty for readings that have no place
};

/// Something that is wrong, in the order of how much it shows.
struct Finding {
    std::string key;  ///< a reading's, or "duplicates", "timing", "judder", "shake", "bars", "interlace", "detail", …
    std::string what; ///< "Blocks", …
    std::string told; ///< how bad, in words and figures
    double severity = 0; ///< 1 shows, 2 clear, 4 strong
    std::int64_t frame = 0;
    Rect box;
    double confidence = 0; ///< [0, 1]
};

/// What would help, and what it risks.
struct Advice {
    std::string step, what, why, risk;
    std::map<std::string, std::string> set; ///< ticket keys and values, as `--set` takes them
    std::string secondWhat;                 ///< the next best choice; empty where there is none
    std::map<std::string, std::string> secondSet;
};

/// What was found in a clip. Readings are medians over the sampled frames.
struct Inspection {
    bool complete = false;
    Readings readings;
    std::map<std::string, Worst> worst;       ///< by key of the reading
    std::map<std::string, double> confidence; ///< [0, 1], by key of the reading
    BlockGrid grid;
    std::vector<std::int64_t> cuts;       ///< first frame of each new shot
    std::vector<std::int64_t> duplicates; ///< frames that repeat the one before
    RepeatPattern repeats;
    Movement movement; ///< `change` has one entry a frame looked at, in order
    Timing timing;
    std::string fieldOrder = "progressive"; ///< or "top", "bottom": which field comes first
    Pulldown pulldown;                      ///< film spread over fields; empty where the clip was looked at in parts
    Rect inside;                            ///< the picture without black bars
    std::vector<Mark> faces, text, overlays;
    std::vector<CameraMove> camera; ///< one a frame, upright; empty where the clip was looked at in parts
    Subject subject;                ///< of every frame; empty where the clip was looked at in parts
    std::string kind = "natural";   ///< "natural", "screen", "line art"; "mixed" where it is in doubt
    double kindConfidence = 0;
    bool dark = false;
    SoundReadings sound;
    std::vector<WatchPlace> candidates; ///< one a kind and neighbourhood, its most telling frame
    std::vector<std::pair<std::int64_t, Readings>> samples;
    /// Runs of frames looked at one after the other: first frame and count. One run where the clip is short enough.
    std::vector<std::pair<std::int64_t, std::int64_t>> runs;
    std::int64_t framesLooked = 0, framesLost = 0;

    /// Line art or a screen: networks and advice treat it otherwise.
    bool drawn() const { return kind == "line art" || kind == "screen"; }
    /// Where faces were seen, in order of time.
    std::vector<TimedBox> faceBoxes() const;
    /// Lines of original detail, of `height` stored ones; 0 where nothing can be said.
    int detailLines(int height) const { return static_cast<int>(readings.detail * height + 0.5); }
};

/// An inspection that knows nothing but these readings: for tools and tests that took them themselves.
Inspection knowing(const Readings&);

struct InspectWatch {
    std::function<void(double)> onProgress;           ///< 0…1
    std::function<void(const Inspection&)> onPartial; ///< what is known so far; from any thread, one at a time
};

/// Decodes the clip once (of more than 9000 frames, 36 runs spread evenly) and reads 6 to 20 frames of it closely.
/// Errors as FrameReader. Throws Cancelled.
Inspection inspectClip(const ClipPtr& clip, const CancelToken& cancel, const InspectWatch& watch = {});

/// The most telling place of each kind inside `windows` (upright source pixels), the worst kinds first, none nearer
/// than `apart` to another.
std::vector<WatchPlace> choosePlaces(const Inspection&, const std::vector<Rect>& windows, int apart);

/// Whether what compression left is the fault to treat, and a network makes more of it than filters do: hard encodes,
/// sooner where a grid of blocks shows, almost any encode of a drawing, as long as no noise lies over it
/// (docs/controls.md).
bool compressionIsTheFault(const Inspection&);

/// The picture inside black bars, displayed pixels; empty where there are none, or the clip is turned.
Rect insideBars(const Inspection&, const VideoFacts&);

std::vector<Finding> findings(const Inspection&, const MediaFacts&);
/// In the order in which it is worth doing.
std::vector<Advice> advise(const Inspection&, const MediaFacts&);

nlohmann::json toJson(const Inspection&, const MediaFacts&);
/// What toJson() wrote. Errors: Fault::Input naming `file`.
Inspection inspectionFromJson(const nlohmann::json&, const std::string& file);
/// One line a reading: value, unit, worst with its place and time, confidence, method.
std::string toCsv(const Inspection&, const MediaFacts&);

} // namespace ulm
