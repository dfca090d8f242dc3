#pragma once

#include "core/enlarge/network_stage.h"
#include "core/inspect/readings.h"
#include "core/ticket/ticket.h"

#include <string>

namespace ulm {

/// Values that Clean uses for a clip with these readings, in the units of docs/ticket.md.
struct CleanValues {
    double blocks = 0, noise = 0, chroma = 0, ringing = 0, stairs = 0, banding = 0;
};
CleanValues cleanValues(const Ticket&, const Readings&);

/// Whether the ticket's treatment depends on what an inspection reads.
bool needsReadings(const Ticket&);

/// What networks are told of the clip's damage. Where Clean is off or measured: as estimated. A value below the reading
/// tells of less damage in proportion, one above of more; a clip without damage is not said to have any.
DamageLevels damageLevels(const Ticket&, const Readings&);

/// Which networks treat this clip: "general", "rough" or "drawn".
std::string networkKind(const Ticket&, const Readings&);

/// What "measured" means for the strength of enlarging on this clip, %: the clip's yield where the general network is
/// used, the less so the harder the clip is damaged (shrinking it hides damage, and with it what a network is good
/// for); 100 for the others.
double measuredStrength(const Ticket&, const Readings&);

/// The strength used: the ticket's, given what "measured" means. %, [0, kMostStrength].
double enlargeStrength(const Ticket&, const Readings&);

bool cleansByNetwork(const Ticket&);
bool enlargesByNetwork(const Ticket&);

/// The ticket with filters in the networks' place: what forecasts of sizes are made with, for they come near enough,
/// and networks would take as long as the render itself.
Ticket withoutNetworks(Ticket);

/// `input` with its blocks and noise removed by a network, at its own size; values below the readings mix it in by
/// their share. guide: the untreated clip, for movement. Null where that network is missing: the caller falls back to
/// the classic way.
StagePtr cleanedByNetwork(StagePtr input, StagePtr guide, const Ticket&, const Readings&);

/// `input` enlarged by networks (as often as it takes) to at least about `factor` times its size: what is still missing
/// is little, and scaling does it. Null where the network is missing.
/// Errors: Fault::Input and Fault::Usage for the ticket's own network file.
StagePtr enlargedByNetwork(StagePtr input, StagePtr guide, double factor, const Ticket&, const Readings&);

/// What a person should know of the networks this ticket would use ("the network … is missing; Lanczos stands in"), or
/// an empty text.
std::string networkNote(const Ticket&, const Readings&);

} // namespace ulm
