#include "core/judge/compare.h"

#include "core/engine/engine.h"
#include "core/engine/resample_stage.h"
#include "core/judge/measures.h"
#include "core/media/source_stage.h"

#include <tbb/parallel_invoke.h>

namespace ulm {

Comparison::Figure Comparison::over(double Frame::*member) const {
    Figure f;
    if (frames.empty()) return f;
    f.min = frames[0].*member;
    for (const Frame& m : frames) {
        f.mean += m.*member;
        f.min = std::min(f.min, m.*member);
    }
    f.mean /= double(frames.size());
    return f;
}

Comparison compareClips(const ClipPtr& reference, const ClipPtr& test, const CancelToken& cancel) {
    const auto open = [](const ClipPtr& c) {
        return std::make_shared<SourceStage>(
            std::make_shared<FrameReader>(c, PacketDecoder::Threads::Frames, std::size_t(32) << 20));
    };
    const StagePtr a = open(reference);
    StagePtr b = open(test);
    const PictureFormat &fa = a->format(), &fb = b->format();
    const auto text = [](const PictureFormat& f) { return std::to_string(f.width) + "×" + std::to_string(f.height); };
    if (fa.width != fb.width || fa.height != fb.height)
        throw Error(Fault::Usage, test->path(), "its pictures are " + text(fb) + ", those of the reference " + text(fa),
                    "Bring one to the size of the other first.");
    b = withChroma(b, fa.subW, fa.subH, fa.colour.chromaSite);
    Comparison out;
    out.referenceFrames = reference->frameCount();
    out.testFrames = test->frameCount();
    Engine engine(std::size_t(64) << 20);
    for (std::int64_t n = 0; n < std::min(out.referenceFrames, out.testFrames); ++n) {
        const Picture p = engine.pull(*a, n, fa.frame(), cancel, Engine::Keep::Inputs);
        const Picture q = engine.pull(*b, n, fa.frame(), cancel, Engine::Keep::Inputs);
        Comparison::Frame f{};
        tbb::parallel_invoke([&] { f.psnrY = psnr(p.planes[0], q.planes[0]), f.psnrYuv = psnrAll(p, q); },
                             [&] { f.ssimY = p.area.w >= 11 && p.area.h >= 11 ? ssim(p.planes[0], q.planes[0]) : 1; });
        out.frames.push_back(f);
    }
    return out;
}

nlohmann::json toJson(const Comparison& c) {
    const auto figure = [](const Comparison::Figure& f) { return nlohmann::json{{"mean", f.mean}, {"min", f.min}}; };
    return {{"frames", c.frames.size()},
            {"psnr_y", figure(c.psnrY())},
            {"ssim_y", figure(c.ssimY())},
            {"psnr_yuv", figure(c.psnrYuv())}};
}

} // namespace ulm
