#pragma once

#include "core/inspect/subject.h"
#include "core/media/clip.h"

#include <functional>

namespace ulm {

class CancelToken;

/// A thing that was pointed at, followed through its shot.
struct Pursuit {
    std::int64_t first = 0;           ///< frame of the first place
    std::vector<SubjectPlace> places; ///< one a frame, without gaps; ends where it was lost
};
/// Decodes frames [first, past) of the clip, a shot, and follows what lies at `place` on `frame` both ways, by OpenCV's
/// CSRT (Lukežič et al., "Discriminative correlation filter with channel and spatial reliability", CVPR 2017): in a box
/// of that extent, or of its own where it is small, of one colour and clearly set off. What looks like something else
/// for half a second was lost where that began. Errors as FrameReader, and Fault::Input where `place` looks the same
/// all over. Throws Cancelled. onProgress: share of the frames, [0, 1], from any thread.
Pursuit pursue(const ClipPtr& clip, std::int64_t frame, const SubjectPlace& place, std::int64_t first,
               std::int64_t past, const CancelToken& cancel, const std::function<void(double)>& onProgress = {});

} // namespace ulm
