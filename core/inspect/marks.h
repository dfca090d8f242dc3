#pragma once

#include "core/picture/picture.h"

#include <cstdint>
#include <optional>
#include <vector>

namespace ulm {

/// Something that lies in a box of the upright source, on a frame.
struct Mark {
    std::int64_t frame = 0;
    Rect box;
    double confidence = 0; ///< [0, 1]
};

/// Lines of letters: blocks full of strokes (steep rises and falls in turn, two levels of brightness) that join to
/// boxes wider than high. After Smith & Kanade, "Video skimming and characterization", CVPR 1997.
std::vector<Mark> findText(const Plane& luma, std::int64_t frame);

/// Faces, turned aside and small ones too, from about a fifteenth of the picture's shorter side: a network of
/// MediaPipe's (after Bazarevsky et al., "BlazeFace", 2019; models/faces) run by OpenCV on the whole picture and on
/// squares along it. A box has the head's middle, which lies between the ears, in its middle. Sorted, largest first.
std::vector<Mark> findFaces(const Picture&, std::int64_t frame);
/// The head of an animal whose middle lies in `box`, luma pixels: where the same network is surest there, though it was
/// made for people and is far from sure. None where it sees nothing like one.
std::optional<Rect> findHead(const Picture&, const Rect& box);

/// What stays put while the rest of the picture changes (a logo, captions): edges whose gradient is the same in most of
/// the frames given to add(). After Dekel, Rubinstein, Liu & Freeman, "On the effectiveness of visible watermarks",
/// CVPR 2017 (their estimate is the median of gradients).
class OverlayFinder {
public:
    void add(const Plane& luma);
    /// Needs at least five frames; none where most of the picture stands still, and what lies in
    /// still surroundings does not count.
    std::vector<Mark> find() const;

private:
    bool pictureChanges() const;
    bool surroundingsChange(int left, int top, int right, int bottom) const;
    Rect area_;
    int shrink_ = 1, w_ = 0, h_ = 0;
    std::vector<std::vector<float>> frames_; ///< horizontal and vertical gradients of each, one after the other
    std::vector<std::vector<float>> levels_; ///< brightness of each, in steps
};

/// Black bars: rows and columns at the borders that stay black. Feed every sampled frame; frames that are black
/// altogether are left out.
class BarFinder {
public:
    void add(const Plane& luma);
    /// The picture inside the bars; the whole area where there are none.
    Rect inside() const;

private:
    Rect area_;
    int left_ = 1 << 20, right_ = 1 << 20, top_ = 1 << 20, bottom_ = 1 << 20;
};

} // namespace ulm
