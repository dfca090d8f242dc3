#pragma once

#include "core/picture/picture.h"

#include <string>
#include <vector>

/// Clean pictures of several kinds, and known damage to them in known steps: what readings and controls are judged by.
namespace ulm::bench {

struct KnownPicture {
    std::string name, kind;
    Picture picture;
};
/// Four frames of the demo's masters and eight photographs of Debian's opencv-doc.
std::vector<KnownPicture> subjects(const std::string& demoFolder, const std::string& picturesFolder);

Picture frameOf(const std::string& path, std::int64_t n);
Picture copyOf(const Picture& picture);
/// A trip through MPEG-4 at this quantiser, 1 … 31: blocks.
Picture blocky(const Picture& in, double quantiser);
/// Gaussian noise of this sigma in 8-bit steps, on luma; another for each frame; and on chroma.
Picture noisy(const Picture& in, double sigma);
Picture noisyFrame(const Picture& in, double sigma, unsigned frame);
Picture colourNoisy(const Picture& in, double sigma);
Picture soft(const Picture& in, double sigma);
/// Gibbs' oscillations beside edges, so many times.
Picture ringing(const Picture& in, double times);
Picture haloed(const Picture& in, double amount);
/// Mixed with its own staircase of two pixels: share, 0 … 1.
Picture steppedShare(const Picture& in, double share);
/// Smooth, with levels so many 8-bit steps apart: bands.
Picture fewer(const Picture& in, double step);
Picture crushed(const Picture& in, double offset);
/// All tones times `gain`; plus `steps` 8-bit steps.
Picture dimmed(const Picture& in, double gain);
Picture brighter(const Picture& in, double steps);
/// Bright forms narrower than 2 · radius + 1 pixels gone: counters of letters close, thin strokes vanish.
Picture opened(const Picture& in, int radius);
Picture clipped(const Picture& in, double gain);
Picture tinted(const Picture& in, double steps);
/// Every second row moved sideways.
Picture combed(const Picture& in, double pixels);
/// This share of the lines kept, the rest interpolated.
Picture fewerLines(const Picture& in, double share);

/// Mean of a luma plane, 8-bit steps above black.
double meanLevel(const Plane& plane);

/// A number in the tables: two decimals below 10, else one.
std::string figure(double v);

} // namespace ulm::bench
