#pragma once

#include "core/media/clip.h"
#include "core/picture/picture.h"

#include <filesystem>
#include <functional>
#include <string>

namespace ulm::test {

/// A folder of its own, gone with the object.
class TempFolder {
public:
    TempFolder();
    ~TempFolder();
    std::string operator/(const std::string& name) const { return (path_ / name).string(); }
    std::string path() const { return path_.string(); }
    std::vector<std::string> names() const; ///< what lies in it, hidden files too

private:
    std::filesystem::path path_;
};

/// A track of sound: a sine of 440 Hz.
struct SoundRecipe {
    std::string codec = "aac";
    int rate = 48000, channels = 2;
    double from = 0, to = -1; ///< seconds; −1: as long as the pictures
    double begins = 0;        ///< silent before
};

/// How a test clip is made: straight through libav*, so that nothing of ours is needed to make what ours must read.
struct ClipRecipe {
    std::string encoder = "libx264"; ///< as avcodec_find_encoder_by_name() takes it
    AVPixelFormat format = AV_PIX_FMT_YUV420P;
    int width = 96, height = 64, frames = 24;
    AVRational fps{25, 1};
    int bFrames = 2, gop = 12;
    std::string muxer; ///< empty: by the file's ending
    int rotate = 0;    ///< clockwise degrees a player turns it
    AVRational sar{1, 1};
    bool sound = false; ///< a sine as AAC
    std::string soundCodec = "aac";
    std::vector<SoundRecipe> tracks; ///< instead
    bool mirror = false;             ///< left and right are exchanged before it is turned
    double offset = 0;               ///< seconds that all of its clock is late
    std::vector<std::int64_t> pts;   ///< of each frame, in 1/1000 s, for uneven times
    std::vector<std::pair<std::string, std::string>> options;
    ColourDescription colour;
    std::function<int(int x, int y, int n)> luma; ///< of 8 bits, as stored, instead of the pattern; without colour
};

/// Every frame carries its number as eight squares of black or white along the top; below, a moving pattern.
void writeClip(const std::string& path, const ClipRecipe& recipe);
/// The number a decoded picture carries; −1 where the squares are neither black nor white.
int numberOn(const Plane& luma);

/// A still test picture of texture, edges and gradients (from the demo's `wheel`, another seed), luma and chroma.
Picture photograph(int width, int height, std::uint32_t seed = 77);
/// Gaussian noise of this sigma in 8-bit steps on luma.
void addNoise(Picture& picture, double sigma, std::uint32_t seed);
/// A trip through JPEG-like 8×8 quantisation at this step (8-bit levels): blocks.
void quantiseBlocks(Picture& picture, double step);
double meanSquare(const Plane& a, const Plane& b);

} // namespace ulm::test
