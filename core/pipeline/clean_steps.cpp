#include "core/pipeline/clean_steps.h"

#include "core/pipeline/network_steps.h"
#include "core/restore/clean_stages.h"
#include "core/restore/face_stage.h"

#include <algorithm>

namespace ulm {
namespace {

// A treatment is for clips that have its fault: below `quiet` nothing of it is done, from `clear` on all of it, so that
// a control moved on a clip without the fault cannot harm it.
double there(double reading, double quiet, double clear) {
    return std::clamp((reading - quiet) / (clear - quiet), 0.0, 1.0);
}

// The faults that filters treat, at the source's size, in an order in which none undoes another: colour noise and
// ringing would be taken for edges by what follows; dither comes last.
StagePtr filtered(StagePtr s, const CleanValues& c, const Readings& r, bool temporal) {
    if (const double v = c.chroma * there(r.chromaNoise, 0.4, 1.2); v >= 0.2)
        s = denoise(s, v, Planes::Chroma, temporal);
    if (const double v = c.ringing * there(r.ringing, 0.5, 1.6); v >= 0.1) s = calmRinging(s, v);
    if (const double v = c.stairs * there(r.stairs, 35, 60); v >= 1) s = smoothStairs(s, v / 100);
    if (const double v = c.banding * there(r.banding, 2, 6); v >= 1) s = dissolveBands(s, v / 100);
    return s;
}

} // namespace

StagePtr cleanedStage(StagePtr source, const Ticket& t, const Readings& r, bool enlarging) {
    if (!t.clean.on) return source;
    const CleanValues c = cleanValues(t, r);
    StagePtr s = source;
    if (t.clean.texture > 0) s = raiseTexture(s, t.clean.texture / 100, r.noise);
    if (!enlarging || !cleansByNetwork(t)) {
        const StagePtr learned = cleansByNetwork(t) ? cleanedByNetwork(s, source, t, r) : nullptr;
        if (learned) {
            s = learned;
        } else {
            if (const double v = c.blocks * there(r.blocking, 1, 3); v >= 0.5) s = deblock(s, v);
            if (const double v = c.noise * there(r.noise, 0.4, 1.2); v >= 0.25)
                s = denoise(s, v, Planes::Luma, t.clean.temporal);
        }
    }
    s = filtered(s, c, r, t.clean.temporal);
    if (!enlarging && t.clean.gentleFaces) s = gentlerOnFaces(s, source, r.faces, 1);
    if (s != source && !enlarging && t.clean.keepOriginal > 0) s = keepOriginal(s, source, t.clean.keepOriginal / 100);
    return s;
}

} // namespace ulm
