#pragma once

#include "core/enlarge/network_stage.h"
#include "core/inspect/inspection.h"
#include "core/ticket/ticket.h"

#include <string>

namespace ulm {

/// Ranges of the measured quantities.
inline constexpr double kMostBlocks = 100, kMostNoise = 50, kMostRinging = 20, kMostStairs = 100, kMostBanding = 100,
                        kMostStrength = 150;

/// Values that Clean uses for a clip, in the units of docs/ticket.md.
struct CleanValues {
    double blocks = 0, noise = 0, chroma = 0, ringing = 0, stairs = 0, banding = 0;
};
CleanValues cleanValues(const Ticket&, const Inspection&);

/// What networks are told of the clip's damage. Where Clean is off or measured: as estimated. A value below the reading
/// tells of less damage in proportion, one above of more; a clip without damage is not said to have any.
DamageLevels damageLevels(const Ticket&, const Inspection&);

/// Which networks treat this clip at a scale: "general", "rough" or "drawn". Line art that is enlarged is the general
/// network's work until it was encoded hard (docs/networks.md).
std::string networkKind(const Ticket&, const Inspection&, int scale = 2);

/// What "measured" means for the strength of enlarging on this clip, %: the clip's yield where the general network is
/// used, the less so the harder the clip is damaged (shrinking it hides damage, and with it what a network is good
/// for); 100 for the others.
double measuredStrength(const Ticket&, const Inspection&);

/// The strength used: the ticket's, given what "measured" means. %, [0, kMostStrength].
double enlargeStrength(const Ticket&, const Inspection&);

/// What "measured" means for crispness on this clip, %: how far from the faithful network to the crisp one. Hard and
/// noisy clips and those with faces or letters stay nearer to the faithful one: a crisp network draws noise and guesses
/// sharp.
double measuredCrisp(const Ticket&, const Inspection&);
/// Whether a crisp network ships for this clip and method.
bool enlargesCrisp(const Ticket&, const Inspection&);
/// The crispness used, %, [0, 100]; 0 where there is no crisp network for it.
double enlargeCrisp(const Ticket&, const Inspection&);

/// The same of cleaning at the clip's own size.
double measuredCleanCrisp(const Ticket&, const Inspection&);
/// Whether a crisp network ships for what cleans this clip: for rough ones alone. On good clips a faithful network
/// leaves as much fine detail as the truth has.
bool cleansCrisp(const Ticket&, const Inspection&);
/// The crispness used, %, [0, 100]; 0 where there is no crisp network for it.
double cleanCrisp(const Ticket&, const Inspection&);

/// Whether a network takes blocks and noise away. Where the ticket leaves it open, by what was found: of what
/// compression left a network makes more than filters do, of plain noise it makes less (docs/clean.md).
bool cleansByNetwork(const Ticket&, const Inspection&);
/// Whether a network is chosen for enlarging; it is asked where the clip is to become more than kLeastEnlarged times
/// as large.
bool enlargesByNetwork(const Ticket&);
inline constexpr double kLeastEnlarged = 1.02;

/// The ticket with filters in the networks' place: what forecasts of sizes are made with, for they come near enough,
/// and networks would take as long as the render itself.
Ticket withoutNetworks(Ticket);

/// `input` with its blocks and noise removed by a network, at its own size; values below the readings mix it in by
/// their share. guide: the untreated clip, for movement. Null where that network is missing: the caller falls back to
/// the classic way.
StagePtr cleanedByNetwork(StagePtr input, StagePtr guide, const Ticket&, const Inspection&);

/// `input` enlarged by networks (as often as it takes) to at least about `factor` times its size: what is still missing
/// is little, and scaling does it. Null where the network is missing.
/// Errors: Fault::Input and Fault::Usage for the ticket's own network file.
StagePtr enlargedByNetwork(StagePtr input, StagePtr guide, double factor, const Ticket&, const Inspection&);

/// Whether a shipped network for this clip, or one that can stand in, enlarges by `scale` (1: cleans).
bool hasNetwork(const Ticket&, const Inspection&, int scale);

} // namespace ulm
