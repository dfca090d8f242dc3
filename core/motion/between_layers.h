#pragma once

#include "core/motion/between_stage.h"

#include <array>
#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

/// At which sizes movement between frames of a guide is searched for and worked out, and how many guesses are mixed.
struct BetweenPlan {
    int search; ///< divisor of the guide's size at which movement is searched for
    int field;  ///< the same of what is worked out from it
    std::size_t guesses;
    std::size_t layers() const { return guesses + 1; } ///< and what is kept whole
};
BetweenPlan planFor(const PictureFormat& guide, Between);

/// How a field's layers lie in a picture, and what is made with them. They lie one below the other, each twice its
/// height: in planes 0 and 1 the path (pixels of the guide) above the shares of both sides; in plane 2 the doubt (8-bit
/// steps), in the first of these parts, and in the second how far it may be mended.
class BetweenLayers {
public:
    BetweenLayers(const PictureFormat& input, const PictureFormat& guide, Between);
    static PictureFormat format(const PictureFormat& guide, Between);

    /// What is looked at of a side to make `region`: `share` of the way along the paths.
    Rect led(const Rect& region, const Picture& field, double share) const;

    struct Sides {
        const Picture *before, *after;
        double part; ///< the instant between them
    };
    /// One layer at the samples of a band of luma or of both chroma planes: paths, pixels of the guide, and what each
    /// side gives of it.
    struct Layer {
        cv::Mat dx, dy;
        std::array<cv::Mat, 2> shares; ///< of A and of B; empty: nothing of it
    };
    std::vector<Layer> layersIn(const Picture& field, bool chroma, const Rect& band) const;
    /// Adds to `sums` what each side gives to `band` of plane `c` by these layers. Both sums may be one.
    void add(const std::vector<Layer>&, const Sides&, std::size_t c, const Rect& band,
             std::array<cv::Mat, 2> sums) const;
    /// How far the doubt may be mended at luma's samples in `band`, 8-bit steps.
    cv::Mat mendable(const Picture& field, const Rect& band) const;

private:
    Plane part(const Picture& field, std::size_t plane, std::size_t n) const;
    std::array<double, 2> subsampling(bool chroma) const; ///< across, down

    PictureFormat input_;
    int height_;    ///< of a layer
    double size_;   ///< pixels of the input in one of the guide
    double factor_; ///< the same in one of the field
    std::size_t layers_;
};

/// Calls `f` for tiles of `region` that stay in the processor's cache; most of them need one layer only.
template <class F>
void eachTile(const Rect& region, const F& f) {
    constexpr int kWide = 384, kHigh = 16;
    for (int y = region.y; y < region.bottom(); y += kHigh)
        for (int x = region.x; x < region.right(); x += kWide) f(Rect{x, y, kWide, kHigh}.intersected(region));
}

} // namespace ulm
