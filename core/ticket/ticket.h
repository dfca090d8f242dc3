#pragma once

#include "core/finish/colour.h"
#include "core/picture/size.h"

#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

namespace ulm {

/// Where a quantity's value comes from.
enum class From { Measured, Nudged, Fixed };

/// A value that can follow the clip's own reading.
struct Quantity {
    From from = From::Measured;
    double value = 0; ///< last known result; for Fixed the value itself
    double nudge = 0; ///< for Nudged: added to the reading
    /// The value to use, given the clip's reading, clipped to [least, most].
    double resolve(double reading, double least, double most) const;
    bool operator==(const Quantity&) const = default;
};

/// A clip's ordered sheet of steps: a plain value. Same ticket in window, command line and tests.
struct Ticket {
    struct Stretch {
        static constexpr double kToTheEnd = 1e6; ///< of `to`; any time behind the clip's end means as much
        bool on = false;
        double from = 0, to = 0; ///< seconds from the first frame; to > from where on
        std::string without;     ///< parts of the clip that are left out, see leftOutFrom()
        bool operator==(const Stretch&) const = default;
    } stretch;
    struct Clean {
        bool on = false;
        std::string method = "auto"; ///< who removes blocks and noise: auto, learned, learned-quick, classic
        Quantity blocks, noise;      ///< see docs/ticket.md for units
        Quantity chroma;             ///< colour noise
        Quantity ringing{From::Fixed, 0, 0}, stairs{From::Fixed, 0, 0}, banding{From::Fixed, 0, 0};
        Quantity crisp;          ///< at its own size: from the faithful network to the crisp one, %, [0, 100]
        bool temporal = true;    ///< noise is averaged along movement too
        double texture = 0;      ///< percent by which fine texture is raised beforehand, [0, 100]
        bool gentleFaces = true; ///< half as strong on faces
        double keepOriginal = 0; ///< percent mixed back, [0, 100]
        bool operator==(const Clean&) const = default;
    } clean;
    struct Enlarge {
        bool on = false;
        double scale = 2; ///< [1, 8]; unused where size is set
        std::optional<Size> size;
        /// learned, learned-quick, a network's FILE.onnx, or lanczos, spline36, bicubic, bilinear, point
        std::string method = "learned";
        Quantity strength;         ///< of what a network adds to Lanczos, %, [0, kMostStrength]
        Quantity crisp;            ///< from the faithful network to the crisp one, %, [0, 100]
        std::string kind = "auto"; ///< which networks: auto, general, rough, drawn
        double above = 1;          ///< worked at so many times the delivered size, then scaled down: [1, 4]
        double x = 0.5, y = 0.5;   ///< where a size of another shape cuts the clip, [0, 1]; Frame's wins where it is on
        bool operator==(const Enlarge&) const = default;
    } enlarge;
    struct Motion {
        bool on = false;
        double fps = 0;                   ///< 0: the clip's own; [1, 240]
        std::string method = "careful";   ///< what is shown in between: careful, fast, hold
        std::string places;               ///< where it is done otherwise, see betweenPlacesFrom()
        std::string unsure = "whole";     ///< what is shown where no movement can be trusted: whole, mix
        double speed = 100;               ///< % of the speed it was filmed at, [10, 400]
        std::string duplicates = "keep";  ///< frames that repeat the one before: keep, replace, remove
        std::string deinterlace = "auto"; ///< fields made into whole pictures: auto, off, frame, fields
        double seconds = 0;               ///< so long is the delivered movie to be, [0, 3600]; 0: as speed makes it
        std::string ramps;                ///< speeds at instants of the clip, see rampsFrom()
        bool ease = false;                ///< speeds ease in and out of those instants
        std::string freezes;              ///< instants of the clip that stand still for a while, see freezesFrom()
        bool reverse = false;             ///< runs backwards
        double shutter = 0;               ///< degrees of a frame's time that it is open, [0, 360]; 0: sharp instants
        double stabilise = 0;             ///< how calm the camera is made, %, [0, 100]
        bool operator==(const Motion&) const = default;
    } motion;
    struct Frame {
        bool on = false;
        Size aspect{9, 16}; ///< 0:0 stands for the clip's own
        std::optional<Size> size;
        std::string fill = "crop"; ///< crop, split, pad, blur
        std::string part;          ///< of the clip, see partFrom(); empty: all of it
        std::string turn = "0";    ///< clockwise: 0, 90, 180, 270 degrees
        bool mirror = false;       ///< left and right are exchanged, before turning
        double straighten = 0;     ///< clockwise, degrees, [-15, 15]
        double x = 0.5, y = 0.5;   ///< place of the crop, or of the upper one of a split, [0, 1]
        double zoom = 1;           ///< how much closer it comes, [1, 8]
        struct Lower {             ///< of a split
            double x = 0.5, y = 0.5, zoom = 1;
            bool operator==(const Lower&) const = default;
        } lower;
        double split = 50; ///< % of the height that the upper one takes, [20, 80]
        /// What the crop goes by: place (x, y), steady (one place a shot, by its subject), subject (moves with it).
        std::string follow = "place";
        std::string pins; ///< places of the crop's middle at instants of the clip, see pinsFrom(); for steady, subject
        bool operator==(const Frame&) const = default;
    } frame;
    struct Finish {
        bool on = false;
        double amount = 0;   ///< of the unsharp mask, [0, 3]
        double radius = 1.0; ///< delivered pixels, [0.3, 5]
        struct Detail {      ///< gains of four bands of detail size, [0, 3]; threshold in 8-bit steps, [0, 20]
            double finest = 0, fine = 0, medium = 0, coarse = 0, threshold = 1;
            bool any() const { return finest > 0 || fine > 0 || medium > 0 || coarse > 0; }
            bool operator==(const Detail&) const = default;
        } detail;
        double haloLimit = 50; ///< percent of overshoot that is cut off, [0, 100]
        bool shadows = true;   ///< sharpening fades in the shadows
        struct Grain {
            double amount = 0;     ///< sigma in 8-bit steps, [0, 20]
            double size = 1;       ///< delivered pixels, [0.5, 4]
            double midtones = 0.5; ///< 0: even in all tones, 1: in the middle tones only
            double seed = 1;       ///< whole, [0, 1e6]
            bool operator==(const Grain&) const = default;
        } grain;
        std::string hdr = "keep";   ///< an HDR clip: kept so, or brought to standard range: keep, standard
        Colour colour;              ///< light and colour
        std::string curve;          ///< a free tone curve, see curveFrom(); empty: none
        std::string table;          ///< a look-up table's file; empty: none
        double tableStrength = 100; ///< % of what the table changes, [0, 100]
        struct Clarity {            ///< local contrast
            double amount = 0;      ///< %, [-100, 100]
            double radius = 20;     ///< delivered pixels, [2, 60]
            bool operator==(const Clarity&) const = default;
        } clarity;
        struct Glow {
            double amount = 0;     ///< %, [0, 100]
            double threshold = 60; ///< % of luma from which light spills, [0, 95]
            double radius = 20;    ///< delivered pixels, [2, 60]
            bool operator==(const Glow&) const = default;
        } glow;
        double vignette = 0; ///< corners darker, or lit up below 0; %, [-100, 100]
        struct Fade {        ///< from black and to black, sound along; seconds of the delivered movie, [0, 10]
            double in = 0, out = 0;
            bool operator==(const Fade&) const = default;
        } fade;
        struct Mark {                     ///< one's own, over the finished picture
            std::string text;             ///< a line of it; a file wins
            std::string file;             ///< a PNG, its transparency kept; empty: none
            std::string place = "bottom"; ///< left, right, top, bottom, their corners (top left, …), or middle
            double size = 30;             ///< % of the picture's width, [2, 100]
            double opacity = 80;          ///< %, [0, 100]
            double from = 0, to = 0;      ///< seconds of the delivered movie; to 0: to its end
            bool any() const { return (!text.empty() || !file.empty()) && opacity > 0; }
            bool operator==(const Mark&) const = default;
        } mark;
        bool sharpens() const { return amount > 0 || detail.any(); }
        bool operator==(const Finish&) const = default;
    } finish;
    struct Sound {
        bool on = true;
        std::string mode = "keep"; ///< keep, aac, drop
        bool operator==(const Sound&) const = default;
    } sound;
    struct Deliver {
        bool on = true;             ///< always
        std::string codec = "h264"; ///< of videoCodecs()
        std::string container = "mp4";
        std::string rate = "quality"; ///< quality, variable, constant, size
        std::string quality = "good"; ///< small, good, best
        double bitrate = 8000;        ///< kb/s, [50, 200000], for variable and constant
        double sizeMb = 16;           ///< 10^6 bytes, [0.01, 100000], for size
        bool twoPass = true;          ///< for variable
        bool operator==(const Deliver&) const = default;
    } deliver;

    /// Values for one destination only, by its name: {"frame": {"x": 0.2}}. All else is shared. See ticketFor().
    std::map<std::string, nlohmann::json> only;
    /// Keys this version does not know, kept as they were: {"clean": {"…": …}}.
    nlohmann::json unknown = nlohmann::json::object();
    bool operator==(const Ticket&) const = default;
};

/// Names of unknown keys that a ticket carries ("clean.shine"), for reporting.
std::vector<std::string> unknownKeys(const Ticket&);

nlohmann::json toJson(const Ticket&);
/// Errors: Fault::Input naming `file` and the JSON path: wrong type, out of range, unknown step, other version.
Ticket ticketFromJson(const nlohmann::json&, const std::string& file);
/// A ticket file, or the report of a render, which carries its ticket: in one on several clips, that of the file
/// `delivered`.
Ticket loadTicket(const std::string& path, const std::string& delivered = {});
/// Written whole or not at all. Errors: Fault::Output.
void saveTicket(const Ticket&, const std::string& path);

/// Applies "clean.noise" = "nudge:+3" and the like; switches the step on. Errors: Fault::Usage.
void setByKey(Ticket&, const std::string& key, const std::string& value);
/// The same for one destination only.
void setFor(Ticket&, const std::string& target, const std::string& key, const std::string& value);
/// "step.key=value", or "step.key@target=value" for one destination only. Returns the key that was set.
std::string setByAssignment(Ticket&, const std::string& assignment);

/// The ticket as it holds for this destination: what it has of its own laid over what is shared. An unknown or empty
/// name: what is shared.
Ticket ticketFor(const Ticket&, const std::string& target);
bool hasOwn(const Ticket&, const std::string& target, const std::string& step);
/// Gives the destination its own step, with the values it has in `values`.
void keepOwn(Ticket&, const std::string& target, const std::string& step, const Ticket& values);
/// The destination follows the shared step again.
void shareAgain(Ticket&, const std::string& target, const std::string& step);
/// `edited` is ticketFor(t, target), changed: what changed goes to the destination's own steps, or to all.
Ticket withEdit(const Ticket& t, const std::string& target, const Ticket& edited);

} // namespace ulm
