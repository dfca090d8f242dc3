#include "core/base/error.h"
#include "core/deliver/movie_writer.h"
#include "core/deliver/output_file.h"
#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/media/frame_convert.h"
#include "core/picture/colour.h"
#include "core/proof/page.h"
#include "core/proof/pairing.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ulm {
namespace {

constexpr int kWidest = 1920;
constexpr double kSweep = 4; // seconds for the divider to wander across and back

Picture as420(const Page& page, const CancelToken& cancel) {
    Picture p = page.picture();
    for (Plane& plane : p.planes) plane = plane.copy();
    p.format.colour = {1, 1, 1, false, 1};
    rgbToYcc(p, matrixWeights(1));
    Engine once(0);
    const StagePtr small = withChroma(heldPicture(std::move(p)), 1, 1, 1);
    return once.pull(*small, 0, small->format().frame(), cancel);
}

StagePtr scaledTo(const StagePtr& stage, int w, int h) {
    PictureFormat f = stage->format();
    if (f.width == w && f.height == h) return stage;
    const ScaleWindow all{0, 0, double(f.width), double(f.height), w, h};
    f.width = w, f.height = h;
    return std::make_shared<ResampleStage>(stage, all, Kernel::Lanczos, f);
}

void label(Page& page, const std::string& text, int x, int y) {
    page.fill({x, y, 8 + 11 * static_cast<int>(text.size()), 30}, {0.16f, 0.16f, 0.16f});
    page.write(text, x + 6, y + 3, 19, {1, 1, 1});
}

void makeMovie(const ProofJob& job, ProofMovie kind, const std::string& path, const CancelToken& cancel,
               const std::function<void(double)>& onProgress) {
    OutputFile output(path, job.replace, {job.source, job.result, job.ticketFile});
    const Pairing pair = pairUp(job, cancel);
    const PictureFormat& f = pair.after->format();
    const bool side = kind == ProofMovie::SideBySide;
    const double k = std::min(1.0, double(side ? kWidest / 2 : kWidest) / f.width);
    const int w = std::max(2, int(f.width * k)) & ~1, h = std::max(2, int(f.height * k)) & ~1;
    const StagePtr before = scaledTo(pair.before, w, h), after = scaledTo(pair.after, w, h);
    VideoEncoding e;
    e.width = side ? 2 * w : w;
    e.height = h;
    e.colour = {1, 1, 1, false, 1};
    e.timeBase = pair.result->timeBase();
    e.fps = pair.result->facts().video.fps;
    e.crf = 18;
    std::optional<SoundSource> sound;
    if (!pair.result->facts().audio.empty()) sound = wholeSound(pair.result->facts());
    MovieWriter writer(output.partPath(), "mp4", e, sound, cancel, path);
    Engine engine(std::size_t(48) << 20);
    const auto& frames = pair.result->frames();
    for (std::int64_t n = 0; n < pair.result->frameCount(); ++n) {
        cancel.check();
        const Rect all{0, 0, w, h};
        const Picture was = engine.pull(*before, pair.beforeFrame(n), all, cancel, Engine::Keep::Inputs),
                      is = engine.pull(*after, n, all, cancel, Engine::Keep::Inputs);
        Page page(e.width, h, {0, 0, 0});
        if (side) {
            page.put(was, 0, 0);
            page.put(is, w, 0);
            page.fill({w - 1, 0, 2, h}, {1, 1, 1});
            label(page, "before", 12, 12);
            label(page, "after", w + 12, 12);
        } else {
            const double turn = pair.result->secondsAt(n) / kSweep * 2 * std::numbers::pi;
            const int x = std::clamp(int(w * (0.5 - 0.42 * std::sin(turn))), 1, w - 2);
            page.put(is, 0, 0);
            page.put(was.view({0, 0, x, h}), 0, 0);
            page.fill({x - 1, 0, 2, h}, {1, 1, 1});
            label(page, "before", 12, 12);
            label(page, "after", w - 78, 12);
        }
        const auto i = static_cast<std::size_t>(n);
        writer.write(*toFrame(as420(page, cancel), AV_PIX_FMT_YUV420P), frames[i].pts - frames.front().pts,
                     frames[i].duration);
        if (onProgress) onProgress(double(n + 1) / double(pair.result->frameCount()));
    }
    writer.finish();
    output.keep();
}

} // namespace

void writeProofMovie(const ProofJob& job, ProofMovie kind, const std::string& path, const CancelToken& cancel,
                     const std::function<void(double)>& onProgress) {
    guarded(job.result, [&] { makeMovie(job, kind, path, cancel, onProgress); });
}

} // namespace ulm
