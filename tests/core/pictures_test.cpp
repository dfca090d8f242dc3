#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/engine/resample_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/framing/fill_stages.h"
#include "core/media/frame_convert.h"
#include "core/media/png.h"
#include "core/media/source_stage.h"
#include "core/picture/gaussian.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <numbers>

using namespace ulm;
using test::PatternStage;
using test::TempFolder;

namespace {

// A stage that gives one picture, whatever the frame.
class Still : public Stage {
public:
    explicit Still(Picture p, std::uint32_t id = 0)
        : Stage({}, p.format, KeyMaker("still").add(int(id))), picture_(std::move(p)) {}
    const char* name() const override { return "still"; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    std::int64_t frames() const override { return 1; }
    void compute(std::int64_t, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) copySamples(picture_.planes[c], out.planes[c]);
    }

private:
    Picture picture_;
};

StagePtr still(const Picture& p) { return std::make_shared<Still>(p); }

Picture whole(const StagePtr& s) {
    Engine engine(0);
    return engine.pull(*s, 0, s->format().frame(), {});
}

// Lanczos of three lobes as textbooks write it, in double; taps widen when shrinking; edges are mirrored.
double lanczos(double x) {
    if (x == 0) return 1;
    if (std::abs(x) >= 3) return 0;
    const double p = std::numbers::pi * x;
    return 3 * std::sin(p) * std::sin(p / 3) / (p * p);
}

double resampledAt(const Plane& in, double cx, double cy, double stepX, double stepY) {
    const auto weights = [](double centre, double step, int size) {
        const double widen = std::max(1.0, step);
        std::vector<std::pair<int, double>> w;
        double total = 0;
        for (int i = int(std::floor(centre - 3 * widen)); i <= int(std::ceil(centre + 3 * widen)); ++i) {
            const double k = lanczos((i - centre) / widen);
            if (k == 0) continue;
            const int at = i < 0 ? -i - 1 : i >= size ? 2 * size - 1 - i : i;
            w.emplace_back(at, k);
            total += k;
        }
        for (auto& p : w) p.second /= total;
        return w;
    };
    double sum = 0;
    const auto wx = weights(cx, stepX, in.area().w), wy = weights(cy, stepY, in.area().h);
    for (const auto& [y, ky] : wy)
        for (const auto& [x, kx] : wx) sum += ky * kx * in.at(x, y);
    return sum;
}

} // namespace

TEST_CASE("rectangles: cutting, growing, containing, and what subsampled planes hold of them") {
    const Rect a{2, 3, 10, 6};
    CHECK(a.intersected({0, 0, 5, 5}) == Rect{2, 3, 3, 2});
    CHECK(a.intersected({40, 0, 5, 5}).empty());
    CHECK(a.intersected({40, 0, 5, 5}).pixels() == 0);
    CHECK(a.grown(2) == Rect{0, 1, 14, 10});
    CHECK(a.grown(-3).empty());
    CHECK(a.contains(a));
    CHECK(a.contains({11, 8, 1, 1}));
    CHECK_FALSE(a.contains({12, 8, 1, 1}));
    CHECK(subsampled({0, 0, 7, 5}, 1, 1) == Rect{0, 0, 4, 3});
    CHECK(subsampled({3, 3, 1, 1}, 1, 1) == Rect{1, 1, 1, 1});
    CHECK(subsampled({3, 3, 2, 2}, 1, 0) == Rect{1, 3, 2, 2});
    CHECK(subsampled({5, 5, 8, 8}, 0, 0) == Rect{5, 5, 8, 8});
}

TEST_CASE("enlarging and shrinking by Lanczos are the textbook's sums, luma and chroma, whole and cropped") {
    const Picture source = test::photograph(60, 44);
    const StagePtr in = still(source);
    struct Case {
        ScaleWindow window;
        const char* what;
    };
    for (const Case& c : {Case{{0, 0, 60, 44, 120, 88}, "twice"}, Case{{0, 0, 60, 44, 90, 66}, "half as much again"},
                          Case{{0, 0, 60, 44, 30, 22}, "half"}, Case{{10.5, 7.25, 32, 24, 96, 72}, "a window"}}) {
        INFO(c.what);
        PictureFormat f = source.format;
        f.width = c.window.width;
        f.height = c.window.height;
        const Picture out = whole(std::make_shared<ResampleStage>(in, c.window, Kernel::Lanczos, f));
        const double stepX = c.window.w / c.window.width, stepY = c.window.h / c.window.height;
        double worst = 0;
        for (int plane = 0; plane < 3; ++plane) {
            const Rect r = out.planes[plane].area();
            const double sub = plane ? 2 : 1;
            // Left-sited chroma: its centre lies on the block's first column, midway between its rows.
            const double offX = plane ? chromaOffset(f.colour.chromaSite, false) : 0,
                         offY = plane ? chromaOffset(f.colour.chromaSite, true) : 0;
            const auto map = [&](int n, double step, double start, double off) {
                const double luma = (n + 0.5) * sub + off; // the centre, in output luma pixels
                const double there = start + luma * step;  // in input luma pixels
                return (there - off) / sub - 0.5;          // in input samples of this plane
            };
            for (int y = 0; y < r.h; y += 3)
                for (int x = 0; x < r.w; x += 3)
                    worst = std::max(worst, std::abs(resampledAt(source.planes[plane], map(x, stepX, c.window.x, offX),
                                                                 map(y, stepY, c.window.y, offY), stepX, stepY) -
                                                     out.planes[plane].at(x, y)));
        }
        CHECK(worst < 2e-5);
    }
}

TEST_CASE("kernels rank as their names say: overshoot from none to most beside a hard edge") {
    PictureFormat f{32, 16, 1, 1};
    Picture edge = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < edge.planes[c].area().h; ++y)
            for (int x = 0; x < edge.planes[c].area().w; ++x) edge.planes[c].row(y)[x] = c ? 0.f : x < 16 ? 0.2f : 0.8f;
    PictureFormat wide = f;
    wide.width = 96, wide.height = 48;
    const auto overshoot = [&](Kernel k) {
        const Picture out =
            whole(std::make_shared<ResampleStage>(still(edge), ScaleWindow{0, 0, 32, 16, 96, 48}, k, wide));
        float most = 0;
        for (int x = 0; x < 96; ++x) most = std::max(most, out.planes[0].at(x, 24));
        return most - 0.8f;
    };
    CHECK(std::abs(overshoot(Kernel::Point)) < 1e-5);
    CHECK(std::abs(overshoot(Kernel::Bilinear)) < 1e-5);
    CHECK(overshoot(Kernel::Bicubic) > 0.01f);
    CHECK(overshoot(Kernel::Lanczos) > overshoot(Kernel::Bicubic));
    Kernel k;
    for (const char* name : {"bilinear", "bicubic", "spline36", "lanczos", "point"}) CHECK(kernelFromName(name, k));
    CHECK_FALSE(kernelFromName("Lanczos4", k));
    CHECK_FALSE(kernelFromName("", k));
}

TEST_CASE("the unsharp mask is its formula on luma, leaves chroma and flat areas, and scales with its amount") {
    const Picture source = test::photograph(80, 60);
    const StagePtr in = still(source);
    Plane soft = Plane::make(source.planes[0].area());
    gaussianBlurReference(source.planes[0], source.planes[0].area(), 1.7, soft);
    double spread[2] = {};
    for (int i = 0; i < 2; ++i) {
        const double amount = i ? 1.6 : 0.8;
        const Picture out = whole(unsharp(in, amount, 1.7));
        double worst = 0;
        for (int y = 0; y < 60; ++y)
            for (int x = 0; x < 80; ++x) {
                const double v = source.planes[0].at(x, y), wanted = v + amount * (v - soft.at(x, y));
                worst = std::max(worst, std::abs(out.planes[0].at(x, y) - wanted));
                spread[i] += std::abs(out.planes[0].at(x, y) - v);
            }
        CHECK(worst < 5e-5);
        for (int c = 1; c < 3; ++c) CHECK(test::meanSquare(out.planes[c], source.planes[c]) == 0);
    }
    CHECK(spread[1] == Approx(2 * spread[0]).epsilon(0.001));
    CHECK(test::meanSquare(whole(unsharp(in, 0, 1)).planes[0], source.planes[0]) < 1e-12);
}

TEST_CASE("padding is black around the very picture; a blurred fill has the picture's own colours, darker and smooth") {
    const Picture source = test::photograph(64, 36);
    const StagePtr in = still(source);
    const Rect place{0, 46, 64, 36};
    const Picture pad = whole(padded(in, place, 64, 128));
    CHECK(pad.planes[0].at(30, 10) == 0);
    CHECK(pad.planes[1].at(15, 60) == 0);
    for (int y = 0; y < 36; ++y)
        for (int x = 0; x < 64; x += 5) CHECK(pad.planes[0].at(x, y + 46) == source.planes[0].at(x, y));

    const Picture blur = whole(blurFilled(in, backdrop(in, 64, 128), place, 64, 128));
    for (int x = 0; x < 64; x += 5) CHECK(blur.planes[0].at(x, 60) == source.planes[0].at(x, 14));
    double mean = 0, fillMean = 0, steepest = 0;
    for (int y = 0; y < 36; ++y)
        for (int x = 0; x < 64; ++x) mean += source.planes[0].at(x, y) / (64 * 36.0);
    for (int y = 0; y < 46; ++y)
        for (int x = 0; x < 64; ++x) {
            fillMean += blur.planes[0].at(x, y) / (64 * 46.0);
            if (x)
                steepest = std::max(steepest, std::abs(double(blur.planes[0].at(x, y)) - blur.planes[0].at(x - 1, y)));
        }
    CHECK(fillMean > 0.35 * mean);
    CHECK(fillMean < 0.95 * mean);
    CHECK(steepest < 0.06);
}

TEST_CASE("a PNG reads back as the colours written, in 8 and 16 bits") {
    TempFolder folder;
    PictureFormat f{24, 10, 0, 0};
    f.colour.matrix = 0;
    Picture rgb = Picture::make(f, f.frame());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 24; ++x) rgb.planes[c].row(y)[x] = float((x * (c + 1) + y * 7) % 50) / 49;
    for (const int bits : {8, 16}) {
        const std::string path = folder / "p.png";
        writeFileWhole(path, pngOf(rgb, bits));
        const ClipPtr back = Clip::openVideo(path);
        CHECK(back->facts().video.width == 24);
        const DecodedFrame frame = FrameReader(back, PacketDecoder::Threads::Single, std::size_t(1) << 20).frame(0, {});
        const double scale = bits == 8 ? 255 : 65535;
        int worst = 0;
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 24; ++x)
                for (int c = 0; c < 3; ++c) {
                    const std::uint8_t* row = frame.picture->data[0] + y * frame.picture->linesize[0];
                    const int got = bits == 8 ? row[x * 3 + c] : row[(x * 3 + c) * 2] << 8 | row[(x * 3 + c) * 2 + 1];
                    worst = std::max(worst, std::abs(got - int(std::lround(rgb.planes[c].at(x, y) * scale))));
                }
        CHECK(worst <= 1);
        std::filesystem::remove(path);
    }
    CHECK_THROWS_AS(writeFileWhole(folder / "no such folder/p.png", pngOf(rgb, 8)), Error);
    CHECK(folder.names().empty());
}

TEST_CASE("JSON from strangers: size, depth and nonsense are refused with the file's name") {
    TempFolder folder;
    const auto refused = [&](const std::string& text) {
        std::ofstream(folder / "x.json") << text;
        try {
            readJsonFile(folder / "x.json");
        } catch (const Error& e) {
            return e.fault == Fault::Input && e.file.find("x.json") != std::string::npos && !e.reason.empty() &&
                   !e.remedy.empty();
        }
        return false;
    };
    CHECK(refused(""));
    CHECK(refused("{"));
    CHECK(refused("{\"a\":1}}"));
    CHECK(refused(std::string(70, '[') + std::string(70, ']')));
    CHECK(refused(std::string(100000, '[')));
    CHECK_FALSE(refused(std::string(60, '[') + std::string(60, ']')));
    CHECK_FALSE(refused("{\"a\":[1,2,{\"b\":null}]}"));
    CHECK_THROWS_AS(readJsonFile(folder / "absent.json"), Error);
    CHECK_THROWS_AS(readJsonFile(folder.path()), Error);
    std::ofstream(folder / "big.json") << std::string(17u << 20, ' ');
    CHECK_THROWS_AS(readJsonFile(folder / "big.json"), Error);
}
