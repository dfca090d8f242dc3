#pragma once

#include "core/engine/cancel.h"
#include "core/model/network.h"
#include "core/picture/picture.h"

namespace ulm {

/// What a luma picture in between was mixed from; all planes hold the region to be mended grown by kMendMargin, as far
/// as the frame goes.
struct MendedFrom {
    Plane mixed, differ, doubt; ///< as betweenSides() gives them
    Plane before, after;        ///< the frames themselves, where they are
};
inline constexpr int kMendMargin = 20; ///< pixels
inline constexpr std::int64_t kMendBytes = std::int64_t(8)
                                           << 20; ///< that mend() takes, the network's layers among them

/// The network that ships for it; null where it does not open.
std::shared_ptr<const Network> mendingNetwork();

/// Writes the luma of a picture in between to `out`: mixed as it is where both sides agree; elsewhere what a network,
/// which learned it on scenes whose true frame is known (tools/train/between.py), adds to it. It softens what cannot be
/// known instead of letting it tear. `out`'s area is the region; the same whatever that is, up to rounding.
void mend(const Network&, const MendedFrom&, Plane& out, const CancelToken&);

} // namespace ulm
