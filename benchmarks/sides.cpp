// What pictures in between are mended from, beside what was really filmed: for teaching the network that mends
// (tools/train/between.py). `ulmwood-sides MOVIE OUT [FROM COUNT [LINES]]` takes every second frame out and writes of
// each: mixed, differ, the true frame, the frames before and after (luma · 8192), the doubt (8-bit steps · 32), 16-bit,
// planes one after the other. Prints how many, rows and columns.
#include "core/engine/engine.h"
#include "core/engine/resample_stage.h"
#include "core/media/source_stage.h"
#include "core/motion/between_stage.h"

#include <cmath>
#include <fstream>
#include <iostream>
#include <limits>

namespace {

using namespace ulm;

void write(std::ofstream& out, const Plane& p, float scale) {
    std::vector<std::int16_t> row(static_cast<std::size_t>(p.area().w));
    for (int y = 0; y < p.area().h; ++y) {
        for (std::size_t x = 0; x < row.size(); ++x) {
            constexpr float kMost = std::numeric_limits<std::int16_t>::max();
            row[x] = static_cast<std::int16_t>(std::lrint(std::clamp(scale * p.row(p.area().y + y)[x], -kMost, kMost)));
        }
        out.write(reinterpret_cast<const char*>(row.data()), static_cast<std::streamsize>(2 * row.size()));
    }
}

} // namespace

int main(int argc, char** argv) try {
    if (argc != 3 && argc != 5 && argc != 6) {
        std::cerr << "usage: ulmwood-sides MOVIE OUT [FROM COUNT [LINES]]\n";
        return 2;
    }
    const ClipPtr clip = Clip::openVideo(argv[1]);
    StagePtr source = std::make_shared<SourceStage>(
        std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(64) << 20));
    const std::int64_t from = argc >= 5 ? std::stoll(argv[3]) : 0,
                       past = std::min<std::int64_t>(clip->frameCount(),
                                                     argc >= 5 ? from + std::stoll(argv[4]) : clip->frameCount());
    if (argc == 6) {
        const PictureFormat& f = source->format();
        PictureFormat sized = f;
        sized.height = std::stoi(argv[5]), sized.width = f.width * sized.height / f.height / 2 * 2;
        source = std::make_shared<ResampleStage>(
            source, ScaleWindow{0, 0, double(f.width), double(f.height), sized.width, sized.height}, Kernel::Bicubic,
            sized);
    }
    // Half way from each frame to the next but one: what lies between is at a frame of its own.
    class EverySecond : public Stage {
    public:
        EverySecond(StagePtr all, std::int64_t from, std::int64_t count)
            : Stage({all}, all->format(), KeyMaker("every second").add(all).add(from)), from_(from), count_(count) {}
        const char* name() const override { return "every second"; }
        std::int64_t frames() const override { return count_; }
        std::vector<Need> needs(std::int64_t n, const Rect& region) const override {
            return {{0, from_ + 2 * n, region}};
        }
        void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
            for (std::size_t c = 0; c < 3; ++c) copySamples(in[0].planes[c], out.planes[c]);
        }

    private:
        std::int64_t from_, count_;
    };
    const std::int64_t kept = (past - from + 1) / 2, pairs = std::max<std::int64_t>(0, kept - 1);
    const auto even = std::make_shared<EverySecond>(source, from, kept);
    const BetweenClock clock{pairs, KeyMaker("halfway"), [](std::int64_t n) { return BetweenInstant{n, 0.5}; }, {}};
    const StagePtr sides = betweenSides(even, clock, Between::Careful);
    Engine engine(std::size_t(256) << 20);
    std::ofstream out(argv[2], std::ios::binary);
    const Rect all = source->format().frame();
    for (std::int64_t n = 0; n < pairs; ++n) {
        const Picture made = engine.pull(*sides, n, all, {});
        const auto frame = [&](std::int64_t at) { return engine.pull(*source, from + at, all, {}).planes[0]; };
        write(out, made.planes[0], 8192);
        write(out, made.planes[1], 8192);
        for (const int at : {1, 0, 2}) write(out, frame(2 * n + at), 8192);
        write(out, made.planes[2], 32);
    }
    std::cout << pairs << " " << all.h << " " << all.w << "\n";
    return out ? 0 : 5;
} catch (const std::exception& e) {
    std::cerr << e.what() << "\n";
    return 5;
}
