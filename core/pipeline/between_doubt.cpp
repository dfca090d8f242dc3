#include "core/pipeline/between_doubt.h"

#include "core/ticket/motion_step.h"

#include <algorithm>
#include <cmath>

namespace ulm {

DoubtPlan doubtPlan(const Delivery& d, std::size_t most, const CancelToken& cancel) {
    const Retiming r = d.clock.retiming();
    DoubtPlan plan;
    if (!r.between) return plan;
    const bool fields = takesFields(d.ticket, *d.found, d.facts.video);
    std::vector<std::int64_t> pairs; // by index of what is kept
    for (std::int64_t k = 0; k < d.frames(); ++k) {
        if (k % 1024 == 0) cancel.check();
        const std::int64_t stage = d.clock.first() + k;
        for (int e = 0; e < r.exposures; ++e) {
            const BetweenInstant i = r.between(stage * r.exposures + e);
            if (i.part == 0 || i.way != BetweenWay::Rebuild) continue;
            const std::int64_t from = fields ? i.frame / 2 : i.frame; // of fields: from frame to frame
            if (r.kept || from + 1 < d.source->frames()) pairs.push_back(from);
            break; // one of those that an open shutter sees is enough
        }
    }
    std::ranges::sort(pairs);
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    if (pairs.empty()) return plan;
    if (pairs.size() > most) {
        std::vector<std::int64_t> some;
        for (std::size_t i = 0; i < most; ++i) some.push_back(pairs[i * pairs.size() / most]);
        pairs = some;
    }
    for (const std::int64_t p : pairs) plan.frames.push_back(r.kept ? (*r.kept)[static_cast<std::size_t>(p)] : p);
    plan.paths = pathsHalfWay(d.source, d.ticket, r, d.found->cuts, pairs);
    return plan;
}

BetweenDoubt doubtAt(Engine& engine, const DoubtPlan& plan, std::size_t k, const CancelToken& cancel) {
    const Picture p = engine.pull(*plan.paths, static_cast<std::int64_t>(k), plan.paths->format().frame(), cancel);
    const Plane& doubt = p.planes[2];
    std::vector<float> all;
    for (int y = 0; y < doubt.area().h; ++y) all.insert(all.end(), doubt.row(y), doubt.row(y) + doubt.area().w);
    const auto nth = all.begin() + static_cast<std::ptrdiff_t>(all.size() * 49 / 50);
    std::ranges::nth_element(all, nth);
    return {plan.frames[k], double(*nth)};
}

std::optional<Picture> pathsAt(Engine& engine, const Delivery& d, std::int64_t stage, const CancelToken& cancel) {
    const auto from = static_cast<std::int64_t>(std::floor(d.clock.instantOf(stage)));
    if (from + 1 >= d.source->frames()) return std::nullopt;
    const StagePtr paths = pathsHalfWay(d.source, d.ticket, {}, d.found->cuts, {from});
    return engine.pull(*paths, 0, paths->format().frame(), cancel);
}

} // namespace ulm
