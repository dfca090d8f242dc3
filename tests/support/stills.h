#pragma once

#include "core/engine/held_picture.h"

namespace ulm::test {

/// A format of 8 bit BT.709 with chroma subsampled `sub` times both ways (0 or 1), sited left.
inline PictureFormat format(int width, int height, int sub) {
    PictureFormat f;
    f.width = width, f.height = height;
    f.subW = f.subH = sub;
    f.colour = {1, 1, 1, false, sub ? 1 : 0};
    return f;
}

/// A picture painted by formula.
struct Painted {
    Painted(int width, int height, int sub) {
        const PictureFormat f = format(width, height, sub);
        picture = Picture::make(f, f.frame());
        flat(0, 0, 0);
    }
    Painted& flat(float luma, float cb, float cr) {
        const float of[] = {luma, cb, cr};
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < picture.planes[c].area().h; ++y)
                std::fill_n(picture.planes[c].row(y), picture.planes[c].area().w, of[c]);
        return *this;
    }
    /// Luma by column and row.
    template <class F>
    Painted& paint(F luma) {
        for (int y = 0; y < picture.format.height; ++y)
            for (int x = 0; x < picture.format.width; ++x) picture.planes[0].row(y)[x] = float(luma(x, y));
        return *this;
    }
    Picture picture;
};

inline StagePtr still(const Picture& p) { return heldPicture(p); }
inline StagePtr still(const Painted& p) { return heldPicture(p.picture); }

} // namespace ulm::test
