#include "tests/support/contract.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

namespace ulm::test {
namespace {

constexpr float kGuard = 12345.f;

// The same samples as `p` in a larger buffer of NaN: what is read beyond them poisons the result.
Picture fenced(const Picture& p, float fence) {
    Picture out{p.format, p.area, {}};
    for (int c = 0; c < 3; ++c) {
        const Rect area = p.planes[c].area();
        Plane wide = Plane::make(area.grown(24));
        for (int y = wide.area().y; y < wide.area().bottom(); ++y) std::fill_n(wide.row(y), wide.area().w, fence);
        copySamples(p.planes[c], wide);
        out.planes[c] = wide.view(area);
    }
    return out;
}

// The region computed from exactly what it asks for; empty, with a fault told, where what it asks for cannot be given.
std::optional<Picture> computeFenced(const Stage& stage, std::int64_t frame, const Rect& region,
                                     std::set<std::string>& faults) {
    Engine engine(0);
    std::vector<Picture> in;
    const auto answer = [&](const Need& n) {
        if (n.input < 0 || n.input >= static_cast<int>(stage.inputs().size())) {
            faults.insert("asks for an input that it does not have");
            return false;
        }
        const Stage& from = *stage.inputs()[static_cast<std::size_t>(n.input)];
        if (n.region.empty() || !from.format().frame().contains(n.region) || n.frame < 0 || n.frame >= from.frames()) {
            faults.insert("asks for what its input does not have");
            return false;
        }
        in.push_back(fenced(engine.pull(from, n.frame, n.region, {}), std::numeric_limits<float>::quiet_NaN()));
        return true;
    };
    for (const Need& n : stage.needs(frame, region))
        if (!answer(n)) return {};
    for (const Need& n : stage.moreNeeds(frame, region, in))
        if (!answer(n)) return {};
    Picture out = Picture::make(stage.format(), region);
    // The fence of the output is a known value that must survive.
    std::array<Plane, 3> wide;
    for (int c = 0; c < 3; ++c) {
        wide[static_cast<std::size_t>(c)] = Plane::make(out.planes[c].area().grown(8));
        for (int y = wide[c].area().y; y < wide[c].area().bottom(); ++y)
            std::fill_n(wide[c].row(y), wide[c].area().w, kGuard);
        out.planes[c] = wide[c].view(out.planes[c].area());
    }
    stage.compute(frame, in, out, {});
    for (int c = 0; c < 3; ++c)
        for (int y = wide[c].area().y; y < wide[c].area().bottom(); ++y)
            for (int x = wide[c].area().x; x < wide[c].area().right(); ++x)
                if (!out.planes[c].area().contains({x, y, 1, 1}) && wide[c].at(x, y) != kGuard)
                    faults.insert("writes outside its region");
    return out;
}

double worstDifference(const Picture& whole, const Picture& part) {
    double worst = 0;
    for (int c = 0; c < 3; ++c) // the worst plane, so that a broken one cannot hide
        for (int y = part.planes[c].area().y; y < part.planes[c].area().bottom(); ++y)
            for (int x = part.planes[c].area().x; x < part.planes[c].area().right(); ++x) {
                const double d = std::abs(double(whole.planes[c].at(x, y)) - part.planes[c].at(x, y));
                worst = std::isnan(d) ? 1e9 : std::max(worst, d);
            }
    return worst;
}

} // namespace

PatternStage::PatternStage(const PictureFormat& format, std::int64_t frames, std::uint32_t seed)
    : Stage({}, format, KeyMaker("pattern").add(format.width).add(format.height).add(static_cast<int>(seed))),
      frames_(frames), seed_(seed) {}

void PatternStage::compute(std::int64_t frame, std::span<const Picture>, Picture& out, const CancelToken&) const {
    for (int c = 0; c < 3; ++c)
        for (int y = out.planes[c].area().y; y < out.planes[c].area().bottom(); ++y)
            for (int x = out.planes[c].area().x; x < out.planes[c].area().right(); ++x) {
                const auto u = static_cast<std::uint32_t>(x), v = static_cast<std::uint32_t>(y);
                std::uint32_t h = (u * 2654435761u) ^ (v * 2246822519u) ^
                                  (static_cast<std::uint32_t>(frame) * 3266489917u) ^
                                  (seed_ + static_cast<std::uint32_t>(c) * 97);
                h ^= h >> 15, h *= 2246822519u, h ^= h >> 13;
                const float noise = float(h & 1023) / 1023 * 0.1f, step = (x / 11 + y / 7) % 2 ? 0.55f : 0.2f;
                out.planes[c].row(y)[x - out.planes[c].area().x] =
                    (c ? -0.3f : 0.f) + step + noise + 0.001f * float(x % 100);
            }
}

std::vector<std::string> contractFaults(const Stage& stage, double bound) {
    const Rect frame = stage.format().frame();
    Engine engine(0);
    std::set<std::string> faults;
    const std::int64_t last = stage.frames() - 1;
    for (const std::int64_t n : {std::int64_t(0), last / 2, last}) {
        if (!computeFenced(stage, n, frame, faults)) continue; // the engine trusts what a stage asks for
        const Picture whole = engine.pull(stage, n, frame, {});
        const Rect regions[] = {frame,
                                {frame.w / 2, frame.h / 2, 1, 1},
                                {0, 0, 1, 1},
                                {frame.w - 1, frame.h - 1, 1, 1},
                                {frame.w / 3, frame.h / 5, 17, 9},
                                {frame.w / 3 | 1, frame.h / 3 | 1, 13, 21},
                                {0, frame.h - 5, frame.w, 5},
                                {frame.w - 7, 0, 7, frame.h}};
        for (const Rect& r : regions) {
            const Rect region = r.intersected(frame);
            if (region.empty()) continue;
            const std::optional<Picture> alone = computeFenced(stage, n, region, faults);
            if (!alone) continue;
            if (const double worst = worstDifference(whole, *alone); worst > bound)
                faults.insert(worst >= 1e9 ? "reads what it did not ask for, or leaves samples unwritten"
                                           : "gives other samples for a part than for the whole");
        }
    }
    return {faults.begin(), faults.end()};
}

void checkContract(const Stage& stage, double bound) {
    INFO(stage.name());
    CHECK(contractFaults(stage, bound) == std::vector<std::string>{});
}

void checkKeys(const std::vector<std::function<StagePtr()>>& ways) {
    std::map<Key, std::size_t> owners;
    for (std::size_t i = 0; i < ways.size(); ++i) {
        const StagePtr once = ways[i](), twice = ways[i]();
        INFO("way " << i << ", " << once->name());
        CHECK(once->key() == twice->key());
        const auto [owner, first] = owners.emplace(once->key(), i);
        INFO("shares its key with way " << owner->second);
        CHECK(first);
    }
}

} // namespace ulm::test
