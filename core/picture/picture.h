#pragma once

#include "core/picture/rect.h"

#include <array>
#include <cstddef>
#include <memory>

namespace ulm {

/// Colour as in ITU-T H.273: code points of its tables, 2 = not specified.
struct ColourDescription {
    int primaries = 2, transfer = 2, matrix = 2;
    bool fullRange = false;
    /// Where a subsampled chroma sample lies in its block: 0 not said, 1 left, 2 centre, 3 top left, 4 top,
    /// 5 bottom left, 6 bottom (the order of AVChromaLocation).
    int chromaSite = 0;
    bool operator==(const ColourDescription&) const = default;
};

/// What every frame of a stage's output looks like.
struct PictureFormat {
    int width = 0, height = 0; ///< luma pixels, [1, 16384]
    int subW = 1, subH = 1;    ///< log2 of the chroma subsampling, [0, 1]
    int bitDepth = 8;          ///< depth the samples came from, and that delivery keeps: [8, 16]
    ColourDescription colour;

    Rect frame() const { return {0, 0, width, height}; }
    bool operator==(const PictureFormat&) const = default;
};

/// A view of float samples that keeps its buffer alive. Copying shares samples. Rows start 64-byte aligned in
/// freshly made planes; strides are in samples and positive.
class Plane {
public:
    Plane() = default;
    /// Uninitialised samples for `area` (plane coordinates).
    static Plane make(const Rect& area);

    const Rect& area() const { return area_; }
    std::ptrdiff_t stride() const { return stride_; }
    /// Row y of the plane (absolute coordinate); index 0 is column area().x.
    float* row(int y) { return data_ + (y - area_.y) * stride_; }
    const float* row(int y) const { return data_ + (y - area_.y) * stride_; }
    float at(int x, int y) const { return row(y)[x - area_.x]; }
    /// The same samples, narrower. `area` must lie inside area().
    Plane view(const Rect& area) const;
    /// A plane whose samples are not shared with anyone else, with the same values.
    Plane copy() const;
    std::size_t bufferBytes() const { return bytes_; }

private:
    std::shared_ptr<float> buffer_;
    float* data_ = nullptr;
    std::ptrdiff_t stride_ = 0;
    Rect area_;
    std::size_t bytes_ = 0;
};

/// A region of one frame: Y'CbCr planes in float (or R'G'B' where the matrix is 0). Luma and RGB: 0 black, 1 white;
/// chroma: −0.5…0.5, 0 neutral. Values outside are kept, so integer codes survive a round trip exactly.
struct Picture {
    PictureFormat format;
    Rect area; ///< luma pixels of the frame that are here
    std::array<Plane, 3> planes;

    /// Uninitialised samples for `area`, which must lie inside the frame.
    static Picture make(const PictureFormat& format, const Rect& area);
    Rect planeArea(int plane, const Rect& luma) const {
        return plane == 0 ? luma : subsampled(luma, format.subW, format.subH);
    }
    Picture view(const Rect& area) const;
    std::size_t bufferBytes() const;
};

/// Copies the samples of `from` that lie inside `to`'s area.
void copySamples(const Plane& from, Plane& to);

} // namespace ulm
