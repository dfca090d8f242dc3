#include "core/judge/measures.h"
#include "core/picture/colour.h"
#include "core/picture/gaussian.h"
#include "core/picture/resample.h"
#include "core/restore/dct_shrink.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

using namespace ulm;

namespace {

enum class Fill { Low, High, Random };

Plane filled(const Rect& area, Fill how, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> uniform(-0.1f, 1.1f);
    Plane p = Plane::make(area);
    for (int y = area.y; y < area.bottom(); ++y)
        for (int x = 0; x < area.w; ++x)
            p.row(y)[x] = how == Fill::Low ? 0.f : how == Fill::High ? 1.f : uniform(random);
    return p;
}

double worst(const Plane& a, const Plane& b) {
    double w = 0;
    for (int y = a.area().y; y < a.area().bottom(); ++y)
        for (int x = a.area().x; x < a.area().right(); ++x) w = std::max(w, std::abs(double(a.at(x, y)) - b.at(x, y)));
    return w;
}

} // namespace

TEST_CASE("dctShrink agrees with its scalar reference") {
    const std::uint32_t seed = std::random_device{}();
    INFO("seed " << seed);
    const Fill how = GENERATE(Fill::Low, Fill::High, Fill::Random);
    const bool three = GENERATE(false, true);
    const Rect whole{0, 0, 53, 39},
        region = GENERATE(Rect{0, 0, 53, 39}, Rect{17, 9, 20, 13}, Rect{52, 38, 1, 1}, Rect{7, 0, 9, 39});
    std::vector<Plane> frames = {filled(whole, how, seed)};
    if (three) frames.push_back(filled(whole, how, seed + 1)), frames.push_back(filled(whole, how, seed + 2));
    // On random samples a coefficient may lie on the threshold itself, where a rounding decides: no threshold near
    // them.
    const float threshold = how == Fill::Random ? GENERATE(0.f, 9.f) : 0.05f;
    Plane fast = Plane::make(region), truth = Plane::make(region);
    dctShrink(frames, whole, threshold, fast);
    dctShrinkReference(frames, whole, threshold, truth);
    CHECK(worst(fast, truth) < 2e-5);
}

TEST_CASE("dctShrink with a real threshold differs from the reference only where a coefficient sits on it") {
    const Rect whole{0, 0, 64, 64};
    const std::vector<Plane> frames = {filled(whole, Fill::Random, 4711)};
    Plane fast = Plane::make(whole), truth = Plane::make(whole);
    dctShrink(frames, whole, 0.4f, fast);
    dctShrinkReference(frames, whole, 0.4f, truth);
    CHECK(std::sqrt(test::meanSquare(fast, truth)) < 1e-4);
    CHECK(std::sqrt(test::meanSquare(fast, frames[0])) > 0.05); // it did something
}

TEST_CASE("dctShrink leaves a picture alone at threshold 0 and keeps its mean") {
    const Rect whole{0, 0, 48, 40};
    const std::vector<Plane> frames = {filled(whole, Fill::Random, 3)};
    Plane out = Plane::make(whole);
    dctShrink(frames, whole, 0, out);
    CHECK(worst(out, frames[0]) < 1e-5);
}

TEST_CASE("gaussianBlur agrees with its scalar reference and keeps flat areas flat") {
    const Fill how = GENERATE(Fill::Low, Fill::High, Fill::Random);
    const double sigma = GENERATE(0.3, 1.0, 2.7, 5.0);
    const Rect whole{0, 0, 61, 23}, region = GENERATE(Rect{0, 0, 61, 23}, Rect{13, 5, 19, 11}, Rect{60, 22, 1, 1});
    const Plane in = filled(whole, how, 9);
    Plane fast = Plane::make(region), truth = Plane::make(region);
    gaussianBlur(in, whole, sigma, fast);
    gaussianBlurReference(in, whole, sigma, truth);
    CHECK(worst(fast, truth) < 1e-5);
    if (how == Fill::High) CHECK(fast.at(region.x, region.y) == Approx(1).margin(1e-6));
}

TEST_CASE("resampling a straight ramp gives the straight ramp") {
    const Kernel kernel = GENERATE(Kernel::Bilinear, Kernel::Bicubic, Kernel::Spline36, Kernel::Lanczos);
    Plane ramp = Plane::make({0, 0, 64, 32});
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x) ramp.row(y)[x] = 0.01f * float(x) + 0.005f * float(y);
    Plane out = Plane::make({0, 0, 160, 48});
    resample(ramp, out, {0, 64.0 / 160}, {0, 32.0 / 48}, kernel);
    // Lanczos ripples a little on ramps; none of them may shift.
    for (const int x : {40, 80, 119})
        CHECK(out.at(x, 20) ==
              Approx(0.01 * ((x + 0.5) * 0.4 - 0.5) + 0.005 * ((20 + 0.5) * 32 / 48 - 0.5)).margin(0.0008));
}

TEST_CASE("colour codes and matrices turn back exactly") {
    for (const int depth : {8, 10, 12})
        for (const bool full : {false, true})
            for (const bool chroma : {false, true}) {
                const CodeScale s = codeScale(depth, full, chroma);
                for (int code = 0; code < 1 << depth; ++code) {
                    const float v = static_cast<float>((code - s.offset) / s.scale);
                    REQUIRE(std::lround(v * s.scale + s.offset) == code);
                }
            }
    PictureFormat f{8, 8, 0, 0};
    Picture p = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c) p.planes[c] = filled({0, 0, 8, 8}, Fill::Random, 7u + static_cast<unsigned>(c));
    Picture q = p;
    for (Plane& plane : q.planes) plane = plane.copy();
    rgbToYcc(q, matrixWeights(1));
    yccToRgb(q, matrixWeights(1));
    for (int c = 0; c < 3; ++c) CHECK(worst(p.planes[c], q.planes[c]) < 1e-5);
    // White is luma 1 without colour, in every matrix.
    for (const int matrix : {1, 6, 9}) {
        Picture white = Picture::make(f, f.frame());
        for (Plane& plane : white.planes) plane = filled({0, 0, 8, 8}, Fill::High, 0);
        rgbToYcc(white, matrixWeights(matrix));
        CHECK(white.planes[0].at(3, 3) == Approx(1));
        CHECK(white.planes[1].at(3, 3) == Approx(0).margin(1e-6));
    }
}

TEST_CASE("PSNR and SSIM give the values their definitions do") {
    Plane a = filled({0, 0, 64, 64}, Fill::Random, 1), b = a.copy();
    CHECK(psnr(a, b) == 99);
    CHECK(ssim(a, b) == Approx(1).margin(1e-6));
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x) b.row(y)[x] += 5.f / 219;
    CHECK(psnr(a, b) == Approx(10 * std::log10(255.0 * 255 / 25)).margin(0.001));
    // Constant planes: SSIM reduces to its luminance term.
    Plane c = Plane::make({0, 0, 32, 32}), d = Plane::make({0, 0, 32, 32});
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x) c.row(y)[x] = (100.f - 16) / 219, d.row(y)[x] = (120.f - 16) / 219;
    const double c1 = std::pow(0.01 * 255, 2);
    CHECK(ssim(c, d) == Approx((2 * 100.0 * 120 + c1) / (100.0 * 100 + 120.0 * 120 + c1)).margin(1e-4));
}
