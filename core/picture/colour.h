#pragma once

#include "core/picture/picture.h"

namespace ulm {

/// code = value · scale + offset, as ITU-T H.273 equations 20–25 give it.
struct CodeScale {
    double scale = 219, offset = 16;
    bool chroma = false;
};
CodeScale codeScale(int bitDepth, bool fullRange, bool chroma);

/// Kr and Kb of a Y'CbCr matrix (ITU-T H.273 table 4). Not specified: BT.709 for tall pictures is the caller's choice.
struct MatrixWeights {
    double kr = 0.2126, kb = 0.0722;
};
MatrixWeights matrixWeights(int matrixCode);
/// What players take an untagged picture of this height for: BT.601 below 720 lines, else BT.709.
int likelyMatrix(int height);

/// In place, 4:4:4: planes R'G'B' in [0, 1] become Y', Cb, Cr, and back.
void rgbToYcc(Picture&, MatrixWeights);
void yccToRgb(Picture&, MatrixWeights);

} // namespace ulm
