#pragma once

#include <opencv2/core.hpp>

namespace ulm {

struct BetweenField;

/// Appends a layer to a field. Where its doubt is too high for any path to be true (crossing legs, what comes out from
/// behind another thing), that layer shows one side alone, the one that is nearer in time, along a path that goes on
/// smoothly from what is sure around it: a thing keeps a shape that it had, and moves along with what it belongs to.
/// The other layers show nothing there, and `mendable` is 0. The layer shows nothing where nothing is doubtful, nor
/// where clear detail lies still in both, as a caption's does. a, b: luma of both sides, 8-bit codes. part: the
/// instant, between 0 and 1. fine: places of the field in one that is searched, ≥ 1.
void keepWhole(BetweenField& field, const cv::Mat& a, const cv::Mat& b, float part, int fine);

} // namespace ulm
