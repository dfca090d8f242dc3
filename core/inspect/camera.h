#pragma once

#include "core/media/av.h"
#include "core/media/facts.h"
#include "core/picture/camera_move.h"

#include <memory>
#include <vector>

namespace ulm {

/// Finds how the camera moved, frame by frame: corners (Shi & Tomasi, CVPR 1994) are tracked into the next frame
/// (pyramidal Lucas & Kanade; Bouguet 2000) on a picture of 320 pixels, and the similarity that most of them agree on
/// is taken (RANSAC: Fischler & Bolles 1981; then least squares). What moves on its own, even if it is large, is told
/// from the camera by where its corners lie: those that agree must be spread over the picture.
class CameraFinder {
public:
    explicit CameraFinder(const VideoFacts&);
    ~CameraFinder();
    /// The next frame, as it is stored.
    void add(const AVFrame& frame);
    /// One a frame, upright; the first, and those that are not understood, did not move.
    std::vector<CameraMove> moves() const;
    /// Share of the frames that are understood, [0, 1].
    double trust() const;

private:
    struct State;
    std::unique_ptr<State> s_;
};

/// Root mean square of the tremble around a path that is smooth over half a second, in lengths of the picture's longer
/// side, and the frame where it trembles most. `cuts`: first frames of shots.
struct Tremble {
    double size = 0;
    std::int64_t most = 0;
};
Tremble trembleOf(const std::vector<CameraMove>& moves, const std::vector<std::int64_t>& cuts, double fps);

} // namespace ulm
