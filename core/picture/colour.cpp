#include "core/picture/colour.h"

namespace ulm {

CodeScale codeScale(int bitDepth, bool fullRange, bool chroma) {
    const double step = double(1 << (bitDepth - 8)), top = double((1 << bitDepth) - 1);
    if (fullRange) return {top, chroma ? double(1 << (bitDepth - 1)) : 0.0, chroma};
    return chroma ? CodeScale{224 * step, 128 * step, true} : CodeScale{219 * step, 16 * step, false};
}

MatrixWeights matrixWeights(int code) {
    switch (code) {
    case 4: return {0.30, 0.11};
    case 5:
    case 6: return {0.299, 0.114};
    case 7: return {0.212, 0.087};
    case 9:
    case 10: return {0.2627, 0.0593};
    default: return {0.2126, 0.0722};
    }
}

int likelyMatrix(int height) { return height < 720 ? 6 : 1; }

void rgbToYcc(Picture& p, MatrixWeights w) {
    const float kr = float(w.kr), kb = float(w.kb), kg = 1 - kr - kb;
    const float toCb = 0.5f / (1 - kb), toCr = 0.5f / (1 - kr);
    for (int y = p.area.y; y < p.area.bottom(); ++y) {
        float *a = p.planes[0].row(y), *b = p.planes[1].row(y), *c = p.planes[2].row(y);
        for (int x = 0; x < p.area.w; ++x) {
            const float luma = kr * a[x] + kg * b[x] + kb * c[x];
            const float cb = (c[x] - luma) * toCb, cr = (a[x] - luma) * toCr;
            a[x] = luma, b[x] = cb, c[x] = cr;
        }
    }
}

void yccToRgb(Picture& p, MatrixWeights w) {
    const float kr = float(w.kr), kb = float(w.kb), kg = 1 - kr - kb;
    const float fromCr = 2 * (1 - kr), fromCb = 2 * (1 - kb);
    for (int y = p.area.y; y < p.area.bottom(); ++y) {
        float *a = p.planes[0].row(y), *b = p.planes[1].row(y), *c = p.planes[2].row(y);
        for (int x = 0; x < p.area.w; ++x) {
            const float r = a[x] + fromCr * c[x], bl = a[x] + fromCb * b[x];
            const float g = (a[x] - kr * r - kb * bl) / kg;
            a[x] = r, b[x] = g, c[x] = bl;
        }
    }
}

} // namespace ulm
