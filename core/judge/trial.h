#pragma once

#include "core/inspect/inspection.h"
#include "core/ticket/step.h"

namespace ulm {

/// A ticket to be tried, and what sets it apart.
struct Candidate {
    std::string name, told; ///< told: the values, "blocks 19, noise 4"
    Ticket ticket;
};

/// The ticket as it is, then gentle, measured and strong forms of what advice would put on it, and advice's second
/// choices; at most nine, no two alike.
std::vector<Candidate> candidatesFromAdvice(const Ticket& now, const Inspection&, const MediaFacts&);

/// The values that a ramp can run through.
std::vector<const TicketKey*> rampKeys();

/// `count` tickets (2…9) that differ in one value, evenly spread around the one in use and inside its range.
/// Errors: Fault::Usage for a key that is none of rampKeys().
std::vector<Candidate> ramp(const Ticket& now, const std::string& path, const Inspection&, int count = 5);

/// What a treatment did to one spot.
struct TrialMeasure {
    double faults = 0;  ///< % of blocks, noise and ringing that is left, over what was there
    double texture = 0; ///< % of the fine texture that is left (over 100: more than there was)
    double edge = 0;    ///< width of edges as delivered, pixels; 0 where there is none
    double haloes = 0;  ///< overshoot beside edges as delivered, % of their height
    // Parts of the expected distance from the undamaged picture, mean square in 8-bit steps: what is left of three
    // faults, and what sharpening added.
    double noise = 0, blocks = 0, ringing = 0, added = 0;
    double error() const { return noise + blocks + ringing + added; }
};
/// The error's weights were fitted by least squares to how near some 200 treatments of thirty damaged clips came to
/// their masters (noise: its variance itself); what the order that follows is worth is in docs/trials.md. Texture that
/// is lost did not tell: what goes from damaged clips is mostly damage.
/// `source`, `cleaned`: the same region before and after Clean, in the source's pixels; `before`, `after`: the same
/// place as it is delivered, untreated and treated, `scale` times as large.
TrialMeasure measureTrial(const Picture& source, const Picture& cleaned, const Picture& before, const Picture& after,
                          double scale);

} // namespace ulm
