#include "core/inspect/inspection.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {

std::string number(double v, int decimals = 1) {
    std::ostringstream s;
    s.setf(std::ios::fixed);
    s.precision(decimals);
    s << v;
    return s.str();
}

std::string times(std::size_t n, const char* one, const char* many) {
    return std::to_string(n) + " " + (n == 1 ? one : many);
}

std::string toldReading(const ReadingKind& k, double v) {
    const std::string key = k.key;
    if (key == "blocking") return "grid lines stand out by " + number(v / 10, 2) + " steps";
    if (key == "softness_px") return "edges are " + number(v) + " px wide; about 3 look crisp";
    if (key == "haloes") return "edges overshoot by " + number(v, 0) + " % on both sides";
    if (key == "ringing") return "unrest of " + number(v) + " steps beside edges";
    if (key == "stairs") return number(v, 0) + " % of a full staircase on slanted edges";
    if (key == "banding") return "contours in smooth areas, reading " + number(v, 0);
    if (key == "crushed" || key == "clipped") return number(v) + " % of the picture has no tones left";
    if (key == "cast")
        return "what should be grey is off by " + number(v) + " steps" + (v > 24 ? "; may well be meant" : "");
    if (key == "combing") return number(v, 0) + " % of what moves is combed";
    return "sigma " + number(v) + " steps";
}

} // namespace

namespace {

constexpr double kTold = 50;      // of compression: drawings are cleaned before that shows
constexpr double kShake = 0.0018; // of the width: from here on a tremble shows

bool shakes(const Inspection& i, const VideoFacts& v) {
    return i.movement.shake > kShake * v.width && i.movement.cameraTrust > 0.5;
}

} // namespace

Rect insideBars(const Inspection& i, const VideoFacts& v) {
    if (i.inside.empty() || !v.upright()) return {};
    if (i.inside.w >= v.codedWidth - 3 && i.inside.h >= v.codedHeight - 3) return {};
    // Read in stored pixels, which need not be square.
    const double kx = double(v.width) / v.codedWidth, ky = double(v.height) / v.codedHeight;
    const int l = int(std::ceil(i.inside.x * kx)), t = int(std::ceil(i.inside.y * ky));
    return {l, t, int(i.inside.right() * kx) - l, int(i.inside.bottom() * ky) - t};
}

bool compressionIsTheFault(const Inspection& i) {
    constexpr double kHard = 53, kGridShows = 8, kHardWithGrid = 45, kHardForDrawings = 28;
    constexpr double kNoisy = 2.5, kNoisyForDrawings = 1; // steps: so much noise does not survive a hard encode
    const Readings& r = i.readings;
    return (r.noise < kNoisy && r.compression >= (r.blocking >= kGridShows ? kHardWithGrid : kHard)) ||
           (r.noise < kNoisyForDrawings && i.drawn() && r.compression >= kHardForDrawings);
}

std::vector<Finding> findings(const Inspection& i, const MediaFacts& facts) {
    std::vector<Finding> all;
    for (const ReadingKind& k : readingKinds()) {
        const double v = i.readings.*k.member;
        if (k.notable <= 0 || v < k.notable) continue;
        const std::string key = k.key;
        // The parts of a whole are told with it.
        if (key == "noise_sigma_bright" || (key == "noise_sigma_dark" && i.readings.noise >= 1.5)) continue;
        Finding f{key, k.name, toldReading(k, v), v / k.notable, 0, {}, 0};
        if (key == "stairs") f.severity = 1 + 2 * (v - k.notable) / (100 - k.notable);
        if (key == "softness_px") f.severity = 1 + (v - k.notable);
        if (key == "cast") f.severity = v > 24 ? 0.8 : 1 + (v - k.notable) / 12;
        if ((key == "crushed" || key == "clipped") && i.drawn()) f.severity = 1; // may well be meant
        if (const auto w = i.worst.find(key); w != i.worst.end()) f.frame = w->second.frame, f.box = w->second.box;
        if (const auto c = i.confidence.find(key); c != i.confidence.end()) f.confidence = c->second;
        all.push_back(f);
    }
    const VideoFacts& v = facts.video;
    const auto add = [&](const char* key, const char* what, const std::string& told, double severity, double confidence,
                         std::int64_t frame = 0, Rect box = {}) {
        all.push_back({key, what, told, severity, frame, box, confidence});
    };
    if (const double c = i.readings.compression; c >= kTold && i.readings.blocking < 3 && compressionIsTheFault(i))
        add("compression", "Hard compression",
            "smeared about as rate factor " + number(12 + 0.28 * c, 0) + " of H.264 leaves it, without blocks to see",
            1 + (c - kTold) / 20, 0.7);
    if (const int lines = i.detailLines(v.height); lines > 0 && lines < 0.8 * v.height)
        add("detail", "Less detail than its size",
            "stored with " + std::to_string(v.height) + " lines, but holds about " + std::to_string(lines / 10 * 10),
            1 + 2 * (1 - i.readings.detail), i.confidence.contains("detail") ? i.confidence.at("detail") : 0.5);
    if (const double share = double(i.duplicates.size()) / double(std::max<std::int64_t>(1, i.framesLooked));
        share > 0.02) {
        std::string told = times(i.duplicates.size(), "frame repeats", "frames repeat") + " the one before";
        if (i.repeats.of)
            told += ": " + std::to_string(i.repeats.repeats) + " of every " + std::to_string(i.repeats.of) +
                    ", so it was " + number(v.fps * (1 - double(i.repeats.repeats) / i.repeats.of), 2) +
                    " frames a second";
        add("duplicates", "Repeated frames", told, 1 + 6 * share, i.repeats.of ? 0.95 : 0.75, i.duplicates.front());
    }
    if (i.timing.missing > 0)
        add("gaps", "Missing frames",
            "the times of " + times(std::size_t(i.timing.missing), "frame are", "frames are") + " left out", 1.5, 0.9,
            i.timing.gaps.front());
    else if (i.timing.unevenShare > 2)
        add("timing", "Uneven frame times", number(i.timing.unevenShare, 0) + " % of frames come early or late", 1.2,
            0.9);
    if (!i.movement.jumps.empty())
        add("jumps", "Jumps in movement",
            times(i.movement.jumps.size(), "place looks", "places look") + " as if a frame were missing", 1.4,
            0.6 * i.movement.confidence, i.movement.jumps.front());
    if (i.movement.judder > 30)
        add("judder", "Judder", "movement strays by " + number(i.movement.judder, 0) + " % from frame to frame",
            i.movement.judder / 30, 0.7);
    if (shakes(i, v))
        add("shake", "Camera shake", "trembles by " + number(i.movement.shake) + " px",
            i.movement.shake / (kShake * v.width), i.movement.cameraTrust, i.movement.shakiest);
    if (i.pulldown.any())
        add("interlace", "Film in fields",
            "two of five frames are woven from two film frames: it was filmed at " + number(v.fps * 0.8, 2) +
                " a second",
            3, 0.95, i.pulldown.woven.front());
    else if (v.interlaced || i.fieldOrder != "progressive")
        add("interlace", "Interlaced",
            i.fieldOrder == "progressive" ? "the file says so, but no combs show" : i.fieldOrder + " field first",
            i.fieldOrder == "progressive" ? 0.8 : 3, 0.9);
    if (!insideBars(i, v).empty())
        add("bars", "Black bars",
            "the picture is " + std::to_string(i.inside.w) + "×" + std::to_string(i.inside.h) + " inside them", 1.3,
            0.95, 0, i.inside);
    if (!i.overlays.empty())
        add("overlay", "Something lies over the picture",
            times(i.overlays.size(), "place stays", "places stay") + " put while the rest moves", 0.9,
            i.overlays.front().confidence, 0, i.overlays.front().box);
    if (i.framesLost)
        add("lost", "Damaged frames", times(std::size_t(i.framesLost), "frame", "frames") + " could not be decoded", 3,
            1);
    if (i.sound.any) {
        if (i.sound.clippedShare > 0.01)
            add("sound_clipping", "Clipped sound",
                number(i.sound.clippedShare, 2) + " % of it is cut off at full scale", 2, 0.9);
        if (i.sound.loudness <= -69)
            add("sound_silent", "Silent sound track", "nothing is heard on it", 1.2, 1);
        else if (i.sound.loudness < -24 || i.sound.loudness > -9)
            add("sound_loudness", i.sound.loudness < -24 ? "Quiet sound" : "Loud sound",
                number(i.sound.loudness) + " LUFS; about −14 is usual for feeds", 1.1, 0.95);
        if (i.sound.truePeak > -0.5 && i.sound.clippedShare <= 0.01)
            add("sound_peak", "Sound close to full scale", "true peak " + number(i.sound.truePeak) + " dB", 1, 0.9);
        if (i.sound.noiseFloor > -50 && i.sound.noiseFloor > i.sound.loudness - 24 && i.sound.loudness > -60)
            add("sound_noise", "Noisy sound", "its quietest parts lie at " + number(i.sound.noiseFloor, 0) + " dB", 1.2,
                0.5);
    }
    std::ranges::stable_sort(all, std::greater{},
                             [](const Finding& f) { return f.severity * (0.4 + 0.6 * f.confidence); });
    return all;
}

constexpr double kManyMissing = 0.01; // share of the frames from which they are worth filling in

// Frames a second where none is missing; the usual rate that it is meant to be, since clocks are a little fast or slow.
static double filmedRate(const Inspection& i, const VideoFacts& v) {
    constexpr double kMeant = 0.0015;
    const double rate = i.timing.filmed > 0 ? i.timing.filmed : v.fps;
    double best = rate, off = kMeant;
    for (const double usual : {24000 / 1001.0, 24.0, 25.0, 30000 / 1001.0, 30.0, 50.0, 60000 / 1001.0, 60.0})
        if (std::abs(rate / usual - 1) < off) best = usual, off = std::abs(rate / usual - 1);
    return best;
}

std::vector<Advice> advise(const Inspection& i, const MediaFacts& facts) {
    std::vector<Advice> all;
    const Readings& r = i.readings;
    const VideoFacts& v = facts.video;
    if (const bool hard = compressionIsTheFault(i); hard || r.blocking >= 3) {
        const bool blocks = r.blocking >= 3;
        all.push_back(
            {"clean",
             blocks ? "Remove compression blocks" : "Clean what compression smeared",
             (blocks ? toldReading(*findReading("blocking"), r.blocking)
                     : "Compressed about as rate factor " + number(12 + 0.28 * r.compression, 0) + " of H.264") +
                 (hard ? ". A network takes it best: it has seen many such encodes beside their originals."
                       : ". Filters even out the grid."),
             "May soften the finest texture a little.",
             {{"clean.blocks", "measured"}},
             blocks ? "Half as strong, and a fifth of the original kept" : "A third of the original kept",
             blocks ? std::map<std::string, std::string>{{"clean.blocks", number(r.blocking / 2)},
                                                         {"clean.keep_original", "20"}}
                    : std::map<std::string, std::string>{{"clean.keep_original", "33"}}});
    }
    if (r.noise >= 1.5)
        all.push_back({"clean",
                       "Remove noise",
                       "Noise of " + toldReading(*findReading("noise_sigma"), r.noise) +
                           "; it costs bits that the picture needs. Filters along the movement take it best.",
                       "Skin and plaster can turn waxy if pushed.",
                       {{"clean.noise", "measured"}},
                       "Leave some of it in",
                       {{"clean.noise", "nudge:-" + number(r.noise * 0.4)}}});
    if (i.pulldown.any() && v.upright())
        all.push_back({"motion",
                       "Undo the pulldown",
                       "It was filmed at " + number(v.fps * 0.8, 2) +
                           " frames a second and spread over fields: two of five frames show combs, one comes twice.",
                       "Where the clip was cut after that, a comb may stay for a frame.",
                       {{"motion.deinterlace", "auto"}},
                       "",
                       {}});
    else if (i.fieldOrder != "progressive" && v.upright())
        all.push_back(
            {"motion",
             "Deinterlace",
             "Combs show on what moves: " + number(r.combing, 0) + " % of it. Scaled, they turn into stripes.",
             "Fine lines that stand still soften a little.",
             {{"motion.deinterlace", "auto"}},
             "",
             {}});
    if (shakes(i, v))
        all.push_back({"motion",
                       "Steady the picture",
                       "The camera trembles by " + number(i.movement.shake) + " px.",
                       "The picture is enlarged a little, so that no border shows.",
                       {{"motion.stabilise", "40"}},
                       "Almost still",
                       {{"motion.stabilise", "90"}}});
    const double repeated = double(i.duplicates.size()) / double(std::max<std::int64_t>(1, i.framesLooked));
    if (repeated > 0.02) {
        const bool steady = i.repeats.of > 0;
        Advice a{"motion",
                 steady ? "Take the repeated frames out" : "Replace the repeated frames",
                 times(i.duplicates.size(), "frame repeats", "frames repeat") +
                     " the one before, so movement stops and jumps." +
                     (steady
                          ? " They come in a steady pattern: without them it runs evenly, at " +
                                number(v.fps * (1 - double(i.repeats.repeats) / i.repeats.of), 2) + " frames a second."
                          : ""),
                 steady ? "None: only what was filmed is shown."
                        : "What is made in between can wobble where movement is wild.",
                 {{"motion.duplicates", steady ? "remove" : "replace"}},
                 steady ? "Replace them, and keep the rate" : "",
                 {}};
        if (steady) a.secondSet = {{"motion.duplicates", "replace"}};
        all.push_back(a);
    }
    const double filmed = filmedRate(i, v);
    if (filmed > 4 && filmed < 23 && repeated <= 0.02)
        all.push_back({"motion",
                       "Make it smoother",
                       number(filmed, 2) +
                           " frames a second look chopped; twice as many need one made-up frame between two. The "
                           "filmed ones stay.",
                       "Half of the frames are made up; they can wobble where movement is wild. The file grows.",
                       {{"motion.fps", number(2 * filmed, 3)}},
                       "",
                       {}});
    else if (double(i.timing.missing) > kManyMissing * double(v.frames) && filmed < 240 && repeated <= 0.02)
        all.push_back({"motion",
                       "Fill in the missing frames",
                       "The times of " + times(std::size_t(i.timing.missing), "frame are", "frames are") +
                           " left out, so movement stops and jumps. At an even " + number(filmed, 2) +
                           " a second made-up frames fill them, and the filmed ones stay.",
                       "What is made in between can wobble where movement is wild.",
                       {{"motion.fps", number(filmed, 3)}},
                       "",
                       {}});
    const int lines = i.detailLines(v.height);
    const bool hollow = lines > 0 && lines < 0.8 * v.height;
    if (std::min(v.width, v.height) < 700)
        all.push_back({"enlarge",
                       "Enlarge",
                       std::to_string(v.width) + "×" + std::to_string(v.height) +
                           " is below what most destinations show; scaling it well here beats their scaling.",
                       "The file grows; blocks and noise grow with it unless cleaned first.",
                       {{"enlarge.scale", "2"}},
                       "One and a half times",
                       {{"enlarge.scale", "1.5"}}});
    // Sharpening what was already sharpened, or what is blocky, brings the marks out.
    if (r.softness >= 5 && r.haloes < 12)
        all.push_back({"finish",
                       "Sharpen lightly",
                       toldReading(*findReading("softness_px"), r.softness) + "." +
                           (hollow ? " The detail of the missing lines cannot come back by sharpening." : ""),
                       "Too much leaves bright lines beside edges.",
                       {{"finish.sharpen.amount", "0.6"}},
                       "More, finer",
                       {{"finish.sharpen.amount", "0.9"}, {"finish.sharpen.radius", "0.7"}}});
    const Rect inside = insideBars(i, v);
    const std::string part = std::to_string(inside.x) + "," + std::to_string(inside.y) + "," +
                             std::to_string(inside.w) + "x" + std::to_string(inside.h);
    const bool fillsUpright = v.height > v.width && inside.h < 0.8 * v.height; // a wide picture in an upright clip
    if (!inside.empty() && !fillsUpright)
        all.push_back({"frame",
                       "Cut off the black bars",
                       "The picture is " + std::to_string(inside.w) + "×" + std::to_string(inside.h) + " inside them.",
                       "The picture gets another shape; a destination may cut more of it.",
                       {{"frame.part", part}, {"frame.aspect", "clip"}}});
    if (!inside.empty() && fillsUpright)
        all.push_back({"frame",
                       "Fill the upright shape",
                       "Black bars take " + number(100.0 * (v.height - inside.h) / v.height, 0) + " % of the height.",
                       "The sides are cut away.",
                       {{"frame.aspect", "9:16"}, {"frame.fill", "crop"}, {"frame.part", part}},
                       "On a blurred copy, nothing cut",
                       {{"frame.aspect", "9:16"}, {"frame.fill", "blur"}, {"frame.part", part}}});
    return all;
}

} // namespace ulm
