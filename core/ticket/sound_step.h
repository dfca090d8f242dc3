#pragma once

#include "core/media/facts.h"
#include "core/ticket/ticket.h"

namespace ulm {

/// What becomes of a sound stream.
enum class SoundWay { Dropped, Copied, Encoded };
struct SoundPlan {
    SoundWay way = SoundWay::Dropped;
    int channels = 2; ///< where it is encoded: 1 or 2
};
/// Keep copies what MP4 carries, unless its rate, channels or coding change on the way, and encodes the rest as AAC.
/// What no decoder reads is dropped.
SoundPlan soundPlan(const Ticket&, const AudioFacts&);

/// Bits a second of AAC for that many channels, 1 or 2.
int encodedSoundBits(int channels);

/// What a person should know of the clip's sound before it is done; empty where all of it goes along as it is, or as
/// the ticket says.
std::vector<std::string> soundRemarks(const Ticket&, const MediaFacts&);

} // namespace ulm
