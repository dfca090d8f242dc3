#include "core/judge/self_check.h"

#include "core/deliver/encoded_frame.h"
#include "core/engine/resample_stage.h"
#include "core/judge/measures.h"

#include <algorithm>

namespace ulm {
namespace {

constexpr int kEdge = 8;      // pixels at a place's border that are not judged: shrinking bends them
constexpr int kGrainLead = 6; // frames encoded before the one that is judged

StagePtr resized(const StagePtr& s, int width, int height, Kernel kernel) {
    PictureFormat f = s->format();
    f.width = width;
    f.height = height;
    return std::make_shared<ResampleStage>(
        s, ScaleWindow{0, 0, double(s->format().width), double(s->format().height), width, height}, kernel, f);
}

} // namespace

EnlargeGain enlargeGain(Engine& engine, const StagePtr& source, std::int64_t frame, const Rect& wanted,
                        const Ticket& ticket, const Inspection& found, const CancelToken& cancel) {
    const PictureFormat& f = source->format();
    const int w = f.width & ~1, h = f.height & ~1;
    Rect place = wanted.intersected({kEdge, kEdge, w - 2 * kEdge, h - 2 * kEdge});
    place = {place.x & ~1, place.y & ~1, place.w & ~1, place.h & ~1};
    if (place.empty()) throw std::logic_error("enlargeGain: the place lies outside the frame");
    const StagePtr half = resized(source, w / 2, h / 2, Kernel::Bicubic);
    const Plane truth = engine.pull(*source, frame, place, cancel).planes[0];
    const auto against = [&](const StagePtr& s) {
        const StagePtr back = s->format().width == w && s->format().height == h ? s : resized(s, w, h, Kernel::Lanczos);
        return psnr(truth, engine.pull(*back, frame, place, cancel).planes[0]);
    };
    EnlargeGain g;
    g.lanczos = against(half);
    // Half the size has finer grain and fainter blocks: networks are told of half the damage.
    Inspection milder = found;
    milder.readings.compression /= 2;
    milder.readings.noise /= 2;
    Ticket t = ticket;
    t.clean.on = false;
    const auto enlarged = [&](double above) {
        if (enlargesByNetwork(t))
            if (const StagePtr s = enlargedByNetwork(half, half, 2 * above, t, milder)) return against(s);
        Kernel kernel = Kernel::Lanczos;
        kernelFromName(t.enlarge.method, kernel);
        const StagePtr s = resized(half, static_cast<int>(w * above), static_cast<int>(h * above), kernel);
        return against(s);
    };
    g.method = enlarged(1);
    g.above = t.enlarge.above > 1.001 ? enlarged(t.enlarge.above) : g.method;
    return g;
}

double grainLeft(Engine& engine, const Delivery& grained, const Delivery& plain, std::int64_t index, double crf,
                 const CancelToken& cancel) {
    const Plane encoded = encodedFrame(engine, grained, index, crf, kGrainLead, cancel).planes[1];
    const std::int64_t frame = grained.clock.first() + index;
    const auto green = [&](const Delivery& p) {
        const StagePtr rgb = asRgb(p.result);
        return engine.pull(*rgb, frame, rgb->format().frame(), cancel, Engine::Keep::Inputs).planes[1];
    };
    const Plane with = green(grained), without = green(plain);
    double both = 0, own = 0;
    for (int y = 0; y < with.area().h; ++y) {
        const float *e = encoded.row(y), *g = with.row(y), *p = without.row(y);
        for (int x = 0; x < with.area().w; ++x) {
            const double grain = g[x] - p[x];
            both += (e[x] - p[x]) * grain;
            own += grain * grain;
        }
    }
    return own > 0 ? std::clamp(both / own, 0.0, 1.0) : 0;
}

} // namespace ulm
