#pragma once

#include "core/ticket/ticket.h"
#include "demo/scenes/scene.h"
#include "demo/synth.h"

#include <string>
#include <vector>

namespace ulm::demo {

/// One clip of the week: how it looks, sounds, and what happened to it.
struct ClipPlan {
    std::string name;
    std::unique_ptr<Scene> (*make)(int, int, std::uint32_t);
    int masterW, masterH; ///< the damaged clip has half of each
    int fps;
    double seconds;
    SoundPlan sound;
    std::string target; ///< name of the destination its ticket is for
};
const std::vector<ClipPlan>& clipPlans();

/// Writes NAME.mp4 (damaged), masters/NAME.mp4 (pristine, twice the size), masters/NAME-small.mp4 (pristine, same
/// size), NAME.ticket.json and NAME.target into `folder`. `scale`: of the size, for quick test clips; `limit`: frames.
void makeClip(const ClipPlan&, const std::string& folder, std::uint32_t seed, double scale = 1, int limit = 1 << 30);

/// The ticket that the studio wrote for the clip.
Ticket clipTicket(const std::string& name);

} // namespace ulm::demo
