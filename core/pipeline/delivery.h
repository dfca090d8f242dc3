#pragma once

#include "core/engine/engine.h"
#include "core/framing/steady.h"
#include "core/media/source_stage.h"
#include "core/pipeline/frame_clock.h"
#include "core/target/target.h"
#include "core/ticket/frame_step.h"
#include "core/ticket/networks.h"

#include <optional>
#include <vector>

namespace ulm {

/// An instant of the clip that a delivered frame shows, and how much of the frame it makes up, (0, 1].
struct SourceInstant {
    double frame = 0; ///< in frames of the clip; fractional between two
    double share = 1;
};

/// One delivered frame.
struct DeliveredFrame {
    std::int64_t stage;                  ///< frame of Delivery::before and ::result that computes it
    std::int64_t pts, duration;          ///< in the clock's time base, from the first delivered frame
    std::vector<SourceInstant> instants; ///< never empty
    FramingPlan plan;                    ///< window on the clip, and where it lands
};

/// What a destination added to the ticket, or a person should know, told on the step that it touches.
struct Addition {
    std::string step;             ///< a step's key
    std::string told;             ///< "Sparrowgate asks 1080×1920: crop, 32 % stays"
    std::string offer;            ///< what would be better: "Enlarge by the network"; empty: nothing to offer
    std::vector<std::string> set; ///< "step.key=value" that accepts the offer
};

/// A clip, its inspection, its ticket and a destination (or none), worked out once. Table, spots, overlays, trials,
/// forecast, proof, `frame`, `render` and export all take it, and none works anything out again, so that what is shown
/// is what is delivered. Immutable; made by resolve().
struct Delivery {
    Ticket asked;  ///< as the person has it
    Ticket ticket; ///< as it is done: with the destination's own values, and what its limits add
    std::optional<Target> target;
    std::vector<Addition> additions;
    std::shared_ptr<const Inspection> found; ///< never null
    MediaFacts facts;                        ///< of the clip
    std::shared_ptr<FrameReader> reader;     ///< of its pictures

    FrameClock clock;
    StagePtr source; ///< the clip, upright; its own frames
    StagePtr before; ///< the clip in the delivered shape, untreated: what "before" shows; stage frames
    StagePtr toned;  ///< `before` in the light and colour of the result: what treatments are judged beside
    StagePtr result; ///< what is delivered: 4:2:0, even size; stage frames
    /// What to tell of the networks used; empty where all is as the ticket says.
    std::string note;
    /// No step changes pictures or their times (all frames of the stretch pass through).
    bool picturesUntouched = false;

    std::int64_t frames() const { return clock.count(); }
    double seconds() const { return clock.seconds(); }
    double fps() const { return clock.fps(); }
    Size size() const { return {result->format().width, result->format().height}; }
    /// Delivered frame k, [0, frames()).
    DeliveredFrame at(std::int64_t k) const;
    /// The framing of a stage frame, on the picture that the pose holds.
    FramingPlan planAt(std::int64_t stage) const;
    /// The camera's path where Motion steadies it; else null.
    SteadyPathPtr steadyPath() const;
    /// How the clip is held before it is framed.
    const Pose& pose() const { return pose_; }

    // Between the upright clip's pixels and those delivered, on a stage frame. This is the only place that maps them.
    Point toDelivered(std::int64_t stage, Point source) const;
    /// By the upper or lower place of a split, wherever it then comes to lie: for what has more than one point.
    Point toDelivered(std::int64_t stage, Point source, bool lower) const {
        return clipToDelivered(stage, lower)(source);
    }
    /// In a split: this place of the clip is shown by the lower one alone.
    bool onlyLower(std::int64_t stage, Point source) const;
    /// The corners of what a box of the clip becomes, the upper left one first.
    std::pair<Point, Point> deliveredBox(std::int64_t stage, const Rect& box) const;
    Point toSource(std::int64_t stage, Point delivered) const;
    /// The part of the clip that is delivered, upright source pixels; of a split two, the upper one first.
    std::vector<Rect> windows(std::int64_t stage) const;

    /// The largest rectangle of the clip, at most `wanted`, that shows wholly in this part of the delivered picture
    /// with room for a filter around. May be empty.
    Rect readable(std::int64_t stage, const Rect& delivered, const Rect& wanted) const;
    /// The place `source` of the clip as `delivered` (`result` or `before`) has it, brought back to the clip's own
    /// pixels: where faults of compression and sensors are read. Inside readable(); stage frames.
    StagePtr inSourcePixels(const StagePtr& delivered, std::int64_t stage, const Rect& source) const;

    /// What the file will be, as far as it is known before any encode.
    DeliveredFile planned() const;
    /// The destination's limits that this breaks and no encode can mend: too long, a codec it does not take.
    std::vector<LimitCheck> broken() const;
    /// The size limit: the smaller of ticket's and destination's, bytes; 0 none.
    std::int64_t sizeLimit() const;
    /// The sentence of a step as it will be done.
    std::string sentence(const std::string& step) const;
    /// All that should be said before it is done, on the step that it touches: additions first, then what of the clip
    /// is dropped, or changed, or cannot be done.
    std::vector<Addition> told() const;
    /// The same in words, with networks that are missing.
    std::vector<std::string> remarks() const;

private:
    friend std::shared_ptr<const Delivery> resolve(std::shared_ptr<FrameReader>, std::shared_ptr<const Inspection>,
                                                   const Ticket&, const std::optional<Target>&);
    Affine clipToDelivered(std::int64_t stage, bool lower = false) const;
    Rect window(std::int64_t stage, bool lower) const;

    FramingPath framing_;
    Pose pose_;
};
using DeliveryPtr = std::shared_ptr<const Delivery>;

/// Errors: Fault::Usage for sizes that cannot be delivered and stretches outside the clip; Fault::Input for a network
/// of the person's own that cannot be read. found: null where the clip has not been looked over.
DeliveryPtr resolve(std::shared_ptr<FrameReader> reader, std::shared_ptr<const Inspection> found, const Ticket&,
                    const std::optional<Target>& target = std::nullopt);
/// The same for readings alone.
DeliveryPtr resolve(std::shared_ptr<FrameReader> reader, const Inspection& found, const Ticket&,
                    const std::optional<Target>& target = std::nullopt);

/// The same clip and destination with filters in the networks' place; `d` itself where it uses none. What forecasts of
/// sizes are made with.
DeliveryPtr withoutNetworks(const DeliveryPtr& d);

/// The ticket with a destination's own values and limits worked in, changing only what breaks a limit; what was added
/// is told. Size, shape and frame rate; the size limit is the encoder's.
Ticket fitToTarget(const Ticket&, const Target&, const MediaFacts&, std::vector<Addition>* additions = nullptr);

/// Whether resolve() should be given what was found in the clip: the ticket, as it is done there, follows readings.
bool needsInspection(const Ticket&, const std::optional<Target>&, const MediaFacts&);

/// Mean light of R, G and B (see kDisplayGamma) around a point of the delivered picture, before any treatment, over 9 ×
/// 9 pixels of it; each at least 1e-4.
std::array<double, 3> lightAt(const Delivery&, Engine&, std::int64_t stage, Point delivered);

/// R'G'B' 4:4:4 of a stage, for screens and PNG: chroma brought to full resolution, then the matrix.
StagePtr asRgb(StagePtr input);

} // namespace ulm
