#include "core/ticket/together.h"

#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {
constexpr double kVibrance = 42; // %, at full strength
}

std::vector<std::pair<std::string, std::string>> togetherAt(double strength, const Inspection& found) {
    const Readings& r = found.readings;
    const auto room = [](double reading, double most) { return std::clamp(1 - reading / most, 0.0, 1.0); };
    const double clean = std::min(room(r.noise, 8), room(r.blocking, 40)); // what sharpening would raise
    const double open = room(r.crushed + r.clipped, 12);
    const double soft = r.softness > 0 ? std::clamp((r.softness - 1.5) / 4, 0.2, 1.0) : 0.5;
    const auto whole = [&](double v) { return shortNumber(std::round(v * strength), 0); };
    return {
        {"finish.light.contrast", whole(26 * open)},
        {"finish.light.shadows", whole((found.dark ? 30 : 12) * room(r.noise, 10))},
        {"finish.light.lights", whole(r.clipped > 1 ? 0 : -10)},
        {"finish.colour.vibrance", whole(kVibrance)},
        {"finish.colour.saturation", whole(8)},
        {"finish.clarity.amount", whole(30 * clean)},
        {"finish.sharpen.amount", shortNumber(std::round(strength * 90 * soft * clean * room(r.haloes, 24)) / 100, 2)}};
}

std::optional<double> togetherOf(const Ticket& t, const Inspection& found) {
    if (!t.finish.on) return 0;
    // Vibrance follows the strength alone: only what it allows is tried.
    const double per = 100 / kVibrance, at = t.finish.colour.vibrance * per;
    const int from = std::clamp(int(at - per), 0, 100), to = std::clamp(int(at + per) + 1, 0, 100);
    for (int s = from; s <= to; ++s) {
        Ticket same = t;
        for (const auto& [key, value] : togetherAt(s / 100.0, found)) setByKey(same, key, value);
        if (same.finish == t.finish) return s / 100.0;
    }
    return {};
}

} // namespace ulm
