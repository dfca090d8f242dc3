#pragma once

#include "core/engine/stage.h"
#include "core/framing/framing_plan.h"
#include "core/framing/pose.h"
#include "core/media/facts.h"
#include "core/motion/between_stage.h"
#include "core/ticket/key.h"

namespace ulm {

/// Another clock for the pictures: how many frames come out, and which of the clip's each shows.
struct Retiming {
    std::int64_t frames = 0; ///< 0: the clip's own frames, none left out or repeated
    Key key = 0;
    /// The clip's frame (or picture of a field), or the nearer of the two it lies between.
    std::function<std::int64_t(std::int64_t)> pick;
    /// The clip's frames that movement is made from; null: all.
    std::shared_ptr<const std::vector<std::int64_t>> kept;
    /// The instant, by index of what is kept, of frame · exposures + exposure; null: none is made in between.
    std::function<BetweenInstant(std::int64_t)> between;
    int exposures = 1; ///< instants that one frame is the mean of
};

/// When frames of the delivery are shown, for what comes and goes: fades, marks.
struct Showing {
    double seconds = 0; ///< of the delivered movie
    std::function<double(std::int64_t stage)>
        secondsAt; ///< of the movie at which it begins; beyond it outside the stretch
    Key key = 0;   ///< identity of both
};

/// A delivery while it is put together: what every step sees, and what it adds to.
struct Building {
    const Ticket& ticket;
    const Inspection& found;
    const VideoFacts& video;
    FramingPath framing; ///< window on the clip, and where it lands; by frame of the delivery
    Pose pose;           ///< what the window is on; by frame of the delivery
    Rect freeArea;       ///< of the delivered picture: what the destination covers with nothing of its own
    Retiming retiming;
    Showing showing;
    StagePtr source;  ///< the clip, upright
    StagePtr picture; ///< as far as the steps before have made it
    StagePtr cleaned; ///< after Clean, in the source's own pixels
    std::string note; ///< what a person should know of it; empty where all is as the ticket says

    /// How many times as large as the source the networks are to make it.
    double factor() const { return framing.still.scale() * (ticket.enlarge.on ? ticket.enlarge.above : 1); }
    /// A network enlarges the clip: Clean then leaves blocks and noise to it.
    bool enlarging() const;
    /// A stage of the clip's own frames, on the delivery's clock.
    StagePtr onClock(StagePtr s) const;
    void tell(const std::string& what) { note += (note.empty() ? "" : "; ") + what; }
};

/// A step as it is about to be done to a clip: what its sentence is made from.
struct StepView {
    const Ticket& ticket;
    const Inspection& found; ///< empty while the clip has not been looked over
    const MediaFacts& facts;
    const FramingPlan* plan = nullptr; ///< null while it cannot be worked out
    double seconds = 0;                ///< of the delivered movie
};

/// Values that trials put beside the ticket's own.
struct Variant {
    std::string name;
    std::vector<std::string> set; ///< "step.key=value"
};

/// Everything about one part of the ticket, in one place. Most steps have one part; Finish has one a treatment.
struct StepPart {
    std::string step; ///< its step's key
    std::vector<TicketKey> keys;
    /// What it will do, as the part of a sentence or a whole one; empty: nothing to say.
    std::function<std::string(const StepView&)> told;
    /// Adds its stages. Null: it adds none.
    std::function<void(Building&)> build;
    /// It changes light and colour only: what other treatments are judged beside has it too.
    bool tones = false;
    /// Whether it needs the clip to have been looked over. Null: no.
    std::function<bool(const Ticket&)> needsReadings;
    /// Makes the treatment `by` times as strong, ≥ 0, inside its ranges: easing and trials. Null: it has no strength.
    std::function<void(Ticket&, const Inspection&, double by)> scale;
    std::vector<Variant> variants;
};

struct StepHead {
    std::string key, name;
    bool always = false; ///< cannot be switched off
};

/// The steps in the order of the sheet, "stretch" first; also the JSON's top-level keys.
const std::vector<StepHead>& stepHeads();
/// All parts, in the order in which their stages are added. This is the list of steps.
const std::vector<StepPart>& stepParts();

/// All keys, in the order of the sheet.
const std::vector<const TicketKey*>& ticketKeys();
/// Null where there is none.
const TicketKey* findKey(const std::string& path);

/// Whether Motion makes whole pictures of the clip's fields: not of turned or mirrored ones, whose fields lie
/// otherwise.
bool deinterlaces(const Ticket&, const Inspection&, const VideoFacts&);
/// Whether it makes a picture of each field.
bool takesFields(const Ticket&, const Inspection&, const VideoFacts&);
/// Film that was spread over fields is put together again, and what then comes twice taken out.
bool undoesPulldown(const Ticket&, const Inspection&, const VideoFacts&);
/// Whether Finish brings the clip to standard range.
bool standardises(const Ticket&, const VideoFacts&);
/// The sentence of a step: what it will do to the clip.
std::string stepSentence(const std::string& step, const StepView&);
bool isOn(const Ticket&, const std::string& step);
/// Whether the ticket's treatment depends on what an inspection reads.
bool needsReadings(const Ticket&);
/// Every treatment made `by` times as strong.
Ticket scaledTicket(const Ticket&, const Inspection&, double by);
/// Keys that were set and do nothing on this ticket: "deliver.bitrate acts where …". `set`: their paths.
std::vector<std::string> idleKeys(const Ticket&, const std::vector<std::string>& set);

// The parts, each in a file of its own.
StepPart stretchPart();
StepPart cleanPart();
StepPart enlargePart();
StepPart motionPart();
StepPart framePart();
StepPart lightPart();
StepPart sharpenPart();
StepPart glowPart();
StepPart grainPart();
StepPart markPart();
StepPart fadePart();
StepPart soundPart();
StepPart deliverPart();

// Words that sentences share.
std::string shortNumber(double v, int decimals);
/// "Blocks 38 measured", "noise 12 nudged +3", "noise 12 fixed".
std::string quantityText(const std::string& name, const Quantity&, double reading, double most, int decimals,
                         const std::string& unit = "");

} // namespace ulm
