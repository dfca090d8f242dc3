#include "core/deliver/export.h"
#include "core/judge/compare.h"
#include "core/judge/measures.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ulm;
using test::ClipRecipe;
using test::TempFolder;
using test::writeClip;

namespace {

// Structural similarity as Wang et al. 2004 write it: windows summed one by one, in double, on 8-bit codes.
double ssimByDefinition(const Plane& a, const Plane& b) {
    double weights[11][11], total = 0;
    for (int j = 0; j < 11; ++j)
        for (int i = 0; i < 11; ++i)
            total += weights[j][i] = std::exp(-((i - 5) * (i - 5) + (j - 5) * (j - 5)) / (2 * 1.5 * 1.5));
    const double c1 = 0.01 * 255 * 0.01 * 255, c2 = 0.03 * 255 * 0.03 * 255;
    const auto code = [](const Plane& p, int x, int y) { return p.at(x, y) * 219.0 + 16; };
    double sum = 0;
    int count = 0;
    for (int y = 5; y < a.area().h - 5; ++y)
        for (int x = 5; x < a.area().w - 5; ++x, ++count) {
            double ma = 0, mb = 0, aa = 0, bb = 0, ab = 0;
            for (int j = -5; j <= 5; ++j)
                for (int i = -5; i <= 5; ++i) {
                    const double w = weights[j + 5][i + 5] / total, p = code(a, x + i, y + j),
                                 q = code(b, x + i, y + j);
                    ma += w * p, mb += w * q, aa += w * p * p, bb += w * q * q, ab += w * p * q;
                }
            sum += ((2 * ma * mb + c1) * (2 * (ab - ma * mb) + c2)) /
                   ((ma * ma + mb * mb + c1) * (aa - ma * ma + bb - mb * mb + c2));
        }
    return sum / count;
}

Picture shifted(const Picture& p, float luma, float chroma) {
    Picture out = p;
    for (int c = 0; c < 3; ++c) {
        out.planes[c] = p.planes[c].copy();
        const Rect r = out.planes[c].area();
        for (int y = r.y; y < r.bottom(); ++y)
            for (int x = 0; x < r.w; ++x) out.planes[c].row(y)[x] += c ? chroma : luma;
    }
    return out;
}

std::string exported(const TempFolder& folder, const std::string& clip, const std::string& name,
                     std::initializer_list<const char*> settings) {
    Ticket t;
    for (const char* s : settings) setByAssignment(t, s);
    exportClip({clip, folder / name, t}, {});
    return folder / name;
}

} // namespace

TEST_CASE("SSIM is what its definition gives, on texture, under noise, blocks and a change of brightness") {
    const Picture truth = test::photograph(72, 56);
    Picture noisy = shifted(truth, 0, 0), blocky = shifted(truth, 0, 0);
    test::addNoise(noisy, 8, 3);
    test::quantiseBlocks(blocky, 24);
    double last = 1.1;
    for (const Picture& other : {truth, shifted(truth, 0.05f, 0), noisy, blocky}) {
        const double fast = ssim(truth.planes[0], other.planes[0]);
        CHECK(fast == Approx(ssimByDefinition(truth.planes[0], other.planes[0])).margin(2e-4));
        if (last > 1) CHECK(fast == Approx(1).margin(1e-6));
        last = fast;
    }
    CHECK(ssim(truth.planes[0], noisy.planes[0]) < 0.95);
}

TEST_CASE("PSNR of a known error is the known figure; chroma counts by its samples") {
    const Picture truth = test::photograph(64, 48);
    const Picture luma = shifted(truth, 2.f / 219, 0), chroma = shifted(truth, 0, 2.f / 224);
    const double two = 20 * std::log10(255.0 / 2);
    CHECK(psnr(truth.planes[0], luma.planes[0]) == Approx(two).margin(0.01));
    CHECK(psnr(truth.planes[1], chroma.planes[1], true) == Approx(two).margin(0.01));
    CHECK(psnr(truth.planes[0], truth.planes[0]) == 99);
    // 4:2:0: two thirds of all samples are luma.
    CHECK(psnrAll(truth, luma) == Approx(two - 10 * std::log10(2.0 / 3)).margin(0.01));
    CHECK(psnrAll(truth, chroma) == Approx(two - 10 * std::log10(1.0 / 3)).margin(0.01));
}

TEST_CASE("comparing clips goes frame by frame, tells the counts apart, and finds the worst frame") {
    TempFolder folder;
    ClipRecipe r{.width = 96, .height = 64, .frames = 20};
    r.options = {{"qp", "0"}};
    writeClip(folder / "a.mp4", r);
    const ClipPtr a = Clip::openVideo(folder / "a.mp4");
    const Comparison same = compareClips(a, a, {});
    CHECK(same.frames.size() == 20);
    CHECK(same.psnrY().min == 99);
    CHECK(same.ssimY().mean == Approx(1));

    const ClipPtr rough = Clip::openVideo(exported(folder, folder / "a.mp4", "rough.mp4", {"deliver.quality=small"}));
    const Comparison c = compareClips(a, rough, {});
    CHECK(c.psnrY().mean < 60);
    CHECK(c.psnrY().mean > 25);
    CHECK(c.psnrY().min <= c.psnrY().mean);
    double least = 1e9, sum = 0;
    for (const auto& f : c.frames) least = std::min(least, f.psnrY), sum += f.psnrY;
    CHECK(c.psnrY().min == least);
    CHECK(c.psnrY().mean == Approx(sum / 20));

    r.frames = 15;
    writeClip(folder / "short.mp4", r);
    const Comparison s = compareClips(a, Clip::openVideo(folder / "short.mp4"), {});
    CHECK(s.referenceFrames == 20);
    CHECK(s.testFrames == 15);
    CHECK(s.frames.size() == 15);
    const auto json = toJson(s);
    CHECK(json["psnr_y"]["mean"].get<double>() > 90);

    r.width = 98;
    writeClip(folder / "wide.mp4", r);
    CHECK_THROWS_AS(compareClips(a, Clip::openVideo(folder / "wide.mp4"), {}), Error);
    CancelToken stop;
    stop.cancel();
    CHECK_THROWS_AS(compareClips(a, a, stop), Cancelled);
}

TEST_CASE("a clip in another chroma subsampling is compared in the reference's") {
    TempFolder folder;
    ClipRecipe r{.width = 96, .height = 64, .frames = 4};
    r.options = {{"qp", "0"}};
    writeClip(folder / "420.mp4", r);
    r.format = AV_PIX_FMT_YUV444P;
    writeClip(folder / "444.mp4", r);
    const Comparison c = compareClips(Clip::openVideo(folder / "420.mp4"), Clip::openVideo(folder / "444.mp4"), {});
    CHECK(c.psnrY().min > 60);
    CHECK(c.psnrYuv().min > 20);
}
