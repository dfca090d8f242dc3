#include "core/pipeline/look.h"

#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/finish/colour_stage.h"
#include "core/finish/hdr_stage.h"
#include "core/finish/look_file.h"
#include "core/media/png.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

using Colours = std::vector<std::array<float, 3>>;
constexpr int kFrames = 5, kAside = 72;

// A grid of pixels of evenly spread frames [first, first + count).
Colours coloursOf(const StagePtr& picture, std::int64_t first, std::int64_t count, const CancelToken& cancel) {
    const StagePtr rgb = asRgb(picture);
    Engine engine(0);
    Colours all;
    const Rect whole = rgb->format().frame();
    for (int k = 0; k < kFrames; ++k) {
        const Picture p = engine.pull(*rgb, first + count * (2 * k + 1) / (2 * kFrames), whole, cancel);
        for (int j = 0; j < kAside; ++j)
            for (int i = 0; i < kAside; ++i) {
                const int x = whole.w * (2 * i + 1) / (2 * kAside), y = whole.h * (2 * j + 1) / (2 * kAside);
                all.push_back({p.planes[0].row(y)[x], p.planes[1].row(y)[x], p.planes[2].row(y)[x]});
            }
    }
    return all;
}

// What covers nothing has no colour.
Colours coloursOf(const Cover& c, const std::string& file) {
    Colours all;
    const std::size_t step = std::max<std::size_t>(1, std::size_t(c.w) * std::size_t(c.h) / 30000);
    for (std::size_t i = 0; i < std::size_t(c.w) * std::size_t(c.h); i += step)
        if (const float* v = c.rgba.data() + 4 * i; v[3] > 0.5f) all.push_back({v[0] / v[3], v[1] / v[3], v[2] / v[3]});
    if (all.empty())
        throw Error(Fault::Input, file, "it is transparent all over", "Choose a picture that shows something.");
    return all;
}

} // namespace

std::string lookOf(const Ticket& t) {
    return cubeOf([&](const StagePtr& s) -> StagePtr {
        if (!t.finish.on) return s;
        const StagePtr toned = coloured(s, t.finish.colour, curveFrom(t.finish.curve));
        return t.finish.table.empty()
                   ? toned
                   : throughTable(toned, loadLookTable(t.finish.table), t.finish.tableStrength / 100);
    });
}

Picture sampleFor(const Delivery& d, Engine& engine, std::int64_t stage, int width, const CancelToken& cancel) {
    const PictureFormat& f = d.before->format();
    PictureFormat small = f;
    small.width = std::clamp(width, 16, 512);
    small.height = std::max(16, static_cast<int>(std::lround(double(f.height) * small.width / f.width)));
    small.subW = small.subH = 0;
    const auto scaled = std::make_shared<ResampleStage>(
        d.before, ScaleWindow{0, 0, double(f.width), double(f.height), small.width, small.height}, Kernel::Bicubic,
        small);
    return engine.pull(*scaled, stage, scaled->format().frame(), cancel, Engine::Keep::Inputs);
}

Picture inLook(const Picture& sample, const Ticket& t, const LookTablePtr& table) {
    StagePtr s = heldPicture(sample);
    if (t.finish.on) s = coloured(s, t.finish.colour, curveFrom(t.finish.curve));
    if (table) s = throughTable(s, table, t.finish.tableStrength / 100);
    const StagePtr rgb = asRgb(s);
    Engine once(0);
    return once.pull(*rgb, 0, rgb->format().frame(), {});
}

std::string lookLike(const Delivery& d, const std::string& like, const CancelToken& cancel) {
    Colours wanted;
    if (like.ends_with(".png"))
        wanted = coloursOf(readPng(like), like);
    else {
        const ClipPtr clip = Clip::openVideo(like, cancel);
        const StagePtr source = std::make_shared<SourceStage>(
            std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(16) << 20));
        wanted = coloursOf(clip->facts().video.hdr() ? toStandardRange(source, clip->facts().video.mastering) : source,
                           0, clip->frameCount(), cancel);
    }
    const StagePtr own =
        d.ticket.finish.on ? coloured(d.before, d.ticket.finish.colour, curveFrom(d.ticket.finish.curve)) : d.before;
    return matchingCube(paletteOf(coloursOf(own, d.clock.first(), d.frames(), cancel)), paletteOf(wanted));
}

} // namespace ulm
