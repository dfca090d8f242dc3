#include "core/judge/measures.h"

#include "core/picture/gaussian.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

double squaredError(const Plane& a, const Plane& b, double scale) {
    double sum = 0;
    for (int y = a.area().y; y < a.area().bottom(); ++y) {
        const float *p = a.row(y), *q = b.row(y);
        float line = 0;
        for (int x = 0; x < a.area().w; ++x) line += (p[x] - q[x]) * (p[x] - q[x]);
        sum += line;
    }
    return sum * scale * scale;
}

double decibels(double meanSquare) {
    return meanSquare < 1e-8 ? 99.0 : std::min(99.0, 10 * std::log10(255.0 * 255.0 / meanSquare));
}

Plane blurred(const Plane& p) {
    Plane out = Plane::make(p.area());
    gaussianBlur(p, p.area(), 1.5, out);
    return out;
}

template <class F>
Plane combined(const Plane& a, const Plane& b, F f) {
    Plane out = Plane::make(a.area());
    for (int y = a.area().y; y < a.area().bottom(); ++y)
        for (int x = 0; x < a.area().w; ++x) out.row(y)[x] = f(a.row(y)[x], b.row(y)[x]);
    return out;
}

} // namespace

double psnr(const Plane& a, const Plane& b, bool chroma) {
    return decibels(squaredError(a, b, chroma ? 224 : 219) / double(a.area().pixels()));
}

double psnrAll(const Picture& a, const Picture& b) {
    double error = 0, count = 0;
    for (int c = 0; c < 3; ++c) {
        error += squaredError(a.planes[c], b.planes[c], c ? 224 : 219);
        count += double(a.planes[c].area().pixels());
    }
    return decibels(error / count);
}

double ssim(const Plane& a, const Plane& b) {
    const float c1 = float(std::pow(0.01 * 255 / 219, 2)), c2 = float(std::pow(0.03 * 255 / 219, 2));
    // Black at code 16 keeps the luminance term as it is for 8-bit codes.
    constexpr float kFoot = 16.f / 219;
    const Plane ma = blurred(a), mb = blurred(b);
    const Plane aa = blurred(combined(a, a, [](float p, float q) { return p * q; }));
    const Plane bb = blurred(combined(b, b, [](float p, float q) { return p * q; }));
    const Plane ab = blurred(combined(a, b, [](float p, float q) { return p * q; }));
    double sum = 0;
    const Rect inside = a.area().grown(-5);
    for (int y = inside.y; y < inside.bottom(); ++y)
        for (int x = inside.x; x < inside.right(); ++x) {
            const float u = ma.at(x, y), v = mb.at(x, y);
            const float su = std::max(0.f, aa.at(x, y) - u * u), sv = std::max(0.f, bb.at(x, y) - v * v),
                        // rounding must not make it exceed what equal pictures have
                suv = std::clamp(ab.at(x, y) - u * v, -std::sqrt(su * sv), std::sqrt(su * sv));
            const float mu = u + kFoot, mv = v + kFoot;
            sum += ((2 * mu * mv + c1) * (2 * suv + c2)) / ((mu * mu + mv * mv + c1) * (su + sv + c2));
        }
    return sum / double(inside.pixels());
}

} // namespace ulm
