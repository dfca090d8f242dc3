#pragma once

#include "core/enlarge/resample_stage.h"
#include "core/framing/framing_plan.h"
#include "core/media/source_stage.h"
#include "core/pipeline/network_steps.h"
#include "core/ticket/ticket.h"

#include <vector>

namespace ulm {

/// One delivered frame: which source frame it shows, and when, in `Pipeline::timeBase` units from the first one.
struct DeliveredFrame {
    std::int64_t source;
    std::int64_t pts, duration;
};

/// A ticket joined with a clip: the stages that compute its pictures, and their times. This is the only place that
/// knows all steps.
struct Pipeline {
    StagePtr source;  ///< the clip, upright
    StagePtr cleaned; ///< after Clean, in the source's own pixels: where its readings are taken again
    StagePtr before;  ///< the clip in the delivered shape, untreated: what "before" shows
    StagePtr result;  ///< what is delivered: 4:2:0, even size
    FramingPlan plan;
    std::vector<DeliveredFrame> frames; ///< > 0
    AVRational timeBase{1, 1};
    /// What to tell of the networks used; empty where all is as the ticket says.
    std::string note;
    /// No step changes pictures or their times (all frames of the stretch pass through).
    bool picturesUntouched = false;

    double seconds() const { return double(frames.back().pts + frames.back().duration) * av_q2d(timeBase); }
    double fps() const { return double(frames.size()) / seconds(); }
};

/// How the ticket frames a clip of this displayed size. Errors: Fault::Usage.
FramingPlan framingOf(const Ticket&, const VideoFacts&);

/// Errors: Fault::Usage for sizes that cannot be delivered and stretches outside the clip.
Pipeline buildPipeline(std::shared_ptr<FrameReader> reader, const Ticket&, const Readings&);

/// R'G'B' 4:4:4 of a stage, for screens and PNG: chroma brought to full resolution, then the matrix (BT.601 or BT.709
/// by height where the clip does not say).
StagePtr asRgb(StagePtr input);

} // namespace ulm
