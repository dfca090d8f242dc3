#include "core/inspect/movement.h"

#include <algorithm>
#include <cmath>
#include <tbb/parallel_for.h>

namespace ulm {
namespace {

template <class T>
T middle(std::vector<T> v) {
    if (v.empty()) return T{};
    const auto m = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::ranges::nth_element(v, m);
    return *m;
}

} // namespace

Movement findMovement(const std::vector<Thumbprint>& prints, const std::vector<std::int64_t>& breaks,
                      const std::vector<std::int64_t>& duplicates, double fps, int width, int height) {
    Movement out;
    const std::size_t n = prints.size();
    out.change.assign(n, 0.f);
    std::vector<char> breaking(n, 0), repeats(n, 0);
    for (const auto b : breaks)
        if (b < std::int64_t(n)) breaking[static_cast<std::size_t>(b)] = 1;
    for (const auto d : duplicates)
        if (d < std::int64_t(n)) repeats[static_cast<std::size_t>(d)] = 1;
    const double kx = double(width) / Thumbprint::kColumns, ky = double(height) / Thumbprint::kRows;
    std::vector<double> px(n, 0), py(n, 0), speed(n, 0);
    std::vector<float> trust(n, 0);
    std::size_t understood = 0, looked = 0;
    std::vector<GlobalMotion> moves(n);
    tbb::parallel_for(std::size_t(1), std::max<std::size_t>(n, 1), [&](std::size_t i) {
        out.change[i] = difference(prints[i - 1], prints[i]).mean;
        // A picture that hardly changes does not move: nothing to solve for.
        if (!breaking[i])
            moves[i] = out.change[i] < 0.05f ? GlobalMotion{0, 0, 1} : globalMotion(prints[i - 1], prints[i]);
    });
    for (std::size_t i = 1; i < n; ++i) {
        if (breaking[i]) {
            px[i] = px[i - 1], py[i] = py[i - 1];
            continue;
        }
        const GlobalMotion& m = moves[i];
        trust[i] = m.trust;
        ++looked;
        understood += m.trust > 0.25f;
        const double gain = m.trust > 0.25f ? 1 : 0;
        px[i] = px[i - 1] + gain * m.x * kx;
        py[i] = py[i - 1] + gain * m.y * ky;
        speed[i] = gain * std::hypot(m.x * kx, m.y * ky);
    }
    if (looked == 0) return out;
    out.confidence = double(understood) / double(looked);
    out.speed = middle(std::vector<double>(speed.begin() + 1, speed.end()));
    out.fast = middle(std::vector<float>(out.change.begin() + 1, out.change.end())) > 5 || out.speed > 0.012 * width;

    // Shake: the path against its own mean over about half a second; a slow pan stays, a tremble does not.
    const auto reach = static_cast<std::ptrdiff_t>(std::clamp(fps / 4, 3.0, 20.0));
    double sum = 0, worst = 0;
    std::size_t counted = 0;
    for (std::ptrdiff_t i = reach; i + reach < std::ptrdiff_t(n); ++i) {
        bool whole = true;
        double mx = 0, my = 0;
        for (std::ptrdiff_t k = i - reach; k <= i + reach; ++k) {
            whole = whole && !breaking[static_cast<std::size_t>(k)];
            mx += px[static_cast<std::size_t>(k)], my += py[static_cast<std::size_t>(k)];
        }
        if (!whole) continue;
        const double dx = px[static_cast<std::size_t>(i)] - mx / double(2 * reach + 1),
                     dy = py[static_cast<std::size_t>(i)] - my / double(2 * reach + 1), off = dx * dx + dy * dy;
        sum += off;
        ++counted;
        if (off > worst) worst = off, out.shakiest = i;
    }
    if (counted) out.shake = std::sqrt(sum / double(counted));

    // Judder: how far each frame's movement strays from its neighbours', where there is movement.
    double stray = 0, all = 0;
    for (std::size_t i = 3; i + 3 < n; ++i) {
        std::vector<float> around;
        bool whole = true;
        for (std::size_t k = i - 3; k <= i + 3; ++k) {
            whole = whole && !breaking[k];
            around.push_back(out.change[k]);
        }
        const float typical = middle(around);
        if (!whole || typical < 0.4f) continue;
        stray += std::abs(out.change[i] - typical);
        all += typical;
    }
    if (all > 0) out.judder = std::min(100.0, 100 * stray / all);

    // Jumps: about twice the steady movement on both sides.
    for (std::size_t i = 4; i + 4 < n; ++i) {
        std::vector<double> around;
        bool steady = trust[i] > 0.5f;
        for (std::size_t k = i - 3; k <= i + 3 && steady; ++k) {
            steady = !breaking[k] && (k == i || (trust[k] > 0.4f && !repeats[k]));
            if (k != i) around.push_back(speed[k]);
        }
        if (!steady) continue;
        const double typical = middle(around);
        const auto [low, high] = std::ranges::minmax(around);
        if (typical > 0.0012 * width && high < 1.3 * typical && low > 0.7 * typical && speed[i] > 1.65 * typical &&
            speed[i] < 4.5 * typical)
            out.jumps.push_back(static_cast<std::int64_t>(i));
    }
    return out;
}

Timing findTiming(const Clip& clip) {
    Timing out;
    const auto& frames = clip.frames();
    if (frames.size() < 3) return out;
    std::vector<std::int64_t> steps;
    for (std::size_t i = 1; i < frames.size(); ++i) steps.push_back(frames[i].pts - frames[i - 1].pts);
    const std::int64_t usual = middle(steps);
    // Containers round times to their clock: a whole tick either way is not uneven.
    const double slack = std::max(0.25 * double(usual), 1.0);
    std::int64_t uneven = 0, even = 0, evenSteps = 0;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const double off = double(steps[i] - usual);
        if (std::abs(off) > slack)
            ++uneven;
        else
            even += steps[i], ++evenSteps;
        if (steps[i] > 1.5 * double(usual)) {
            out.gaps.push_back(static_cast<std::int64_t>(i + 1));
            out.missing += std::llround(double(steps[i]) / double(usual)) - 1;
        }
    }
    if (even > 0) out.filmed = double(evenSteps) / (double(even) * av_q2d(clip.timeBase()));
    out.unevenShare = 100.0 * double(uneven) / double(steps.size());
    return out;
}

} // namespace ulm
