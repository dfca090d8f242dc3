#include "core/inspect/shots.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

std::vector<PrintDifference> successive(const std::vector<Thumbprint>& prints) {
    std::vector<PrintDifference> d(prints.size());
    for (std::size_t i = 1; i < prints.size(); ++i) d[i] = difference(prints[i - 1], prints[i]);
    return d;
}

// Of change(k) around i, itself left out, the one that `share` of them do not exceed; half of them: the usual one.
template <class Change>
float typicalAround(std::size_t frames, std::size_t i, std::size_t reach, const Change& change, double share = 0.5) {
    std::vector<float> around;
    for (std::size_t k = i > reach ? i - reach : 1; k <= std::min(i + reach, frames - 1); ++k)
        if (k != i) around.push_back(change(k));
    if (around.empty()) return 0;
    const auto at = std::min(around.size() - 1, static_cast<std::size_t>(share * double(around.size())));
    std::ranges::nth_element(around, around.begin() + static_cast<std::ptrdiff_t>(at));
    return around[at];
}

// The most that changes from frame to frame within three frames of i, i itself left out.
float mostAround(const std::vector<PrintDifference>& d, std::size_t i) {
    float most = 0;
    for (std::size_t k = i > 3 ? i - 3 : 1; k <= std::min(i + 3, d.size() - 1); ++k)
        if (k != i) most = std::max(most, d[k].mean);
    return most;
}

// Continuity across cuts of real takes joined at random lies below 0.46 in 95 of a hundred; within single takes, where
// they change most, above 0.55 (docs/inspect.md).
constexpr float kOtherThings = 0.52f, kSameView = 0.85f;

constexpr float kMoves = 0.12f; // 8-bit steps of mean change: less is a picture that stands still

} // namespace

std::vector<std::int64_t> findCuts(const std::vector<Thumbprint>& prints) {
    const auto d = successive(prints);
    std::vector<std::int64_t> cuts;
    // What is left of a change once the movement of the whole picture is taken out; worked out where it is needed.
    std::vector<float> left(prints.size(), -1.f);
    const auto unexplained = [&](std::size_t i) {
        if (left[i] < 0)
            left[i] = d[i].mean < 1 ? d[i].mean : d[i].mean * (1 - globalMotion(prints[i - 1], prints[i]).trust);
        return left[i];
    };
    for (std::size_t i = 1; i < prints.size(); ++i) {
        if (d[i].mean < 6 || unexplained(i) < 5) continue;
        if (unexplained(i) < 3 * typicalAround(d.size(), i, 6, unexplained) + 2) continue;
        // Light that comes on or goes off changes brightness, not what is seen.
        if (likeness(prints[i - 1], prints[i]) > 0.85f) continue;
        // A flash returns to what was before it; the frame on which it returns is no cut either.
        bool returns = false;
        for (std::size_t k = 1; k <= 3; ++k) {
            if (i + k < prints.size() && difference(prints[i - 1], prints[i + k]).mean < 0.35f * d[i].mean)
                returns = true;
            if (i >= k + 1 && difference(prints[i - 1 - k], prints[i]).mean < 0.35f * d[i].mean) returns = true;
        }
        if (returns) continue;
        // What moves fast near the camera changes as much as a cut does, but is still there, somewhere else. A cut to
        // another view of the same things stands alone among quiet frames.
        const float alone = d[i].mean / (mostAround(d, i) + 0.4f);
        const auto stays = continuity(prints[i - 1], prints[i]);
        const bool another = stays && *stays<kOtherThings, sameThings = alone> 5 && stays.value_or(0) < kSameView;
        if (another || sameThings) cuts.push_back(static_cast<std::int64_t>(i));
    }
    return cuts;
}

std::vector<std::int64_t> findDuplicates(const std::vector<Thumbprint>& prints, const std::vector<std::int64_t>& cuts) {
    const auto d = successive(prints);
    const auto shotOf = [&](std::size_t k) {
        return std::ranges::upper_bound(cuts, static_cast<std::int64_t>(k)) - cuts.begin();
    };
    std::vector<std::int64_t> repeats;
    for (std::size_t i = 1; i < prints.size(); ++i) {
        // What moves around it, where two of three frames may be repeats (drawings on threes).
        const auto from = static_cast<std::size_t>(shotOf(i) == 0 ? 0 : cuts[std::size_t(shotOf(i) - 1)]);
        const auto past =
            shotOf(i) == std::ssize(cuts) ? d.size() : static_cast<std::size_t>(cuts[std::size_t(shotOf(i))]);
        if (i == from) continue;
        const auto around = [&](float PrintDifference::*what) {
            return typicalAround(
                past - from, i - from, 8, [&](std::size_t k) { return d[from + k].*what; }, 0.7);
        };
        const float moving = around(&PrintDifference::mean), farthest = around(&PrintDifference::most);
        if (moving < kMoves) continue; // a shot that stands still repeats nothing
        // A second encode leaves traces on a repeat, but far below what moves around it.
        const bool still = d[i].most < 1.5f && d[i].mean < 0.1f * moving;
        const bool repeat = d[i].most < 8 &&
                            (d[i].mean < 0.05f * moving || (d[i].mean < 0.2f * moving && d[i].most < 0.04f * farthest));
        if (still || repeat) repeats.push_back(static_cast<std::int64_t>(i));
    }
    return repeats;
}

RepeatPattern repeatPattern(const std::vector<std::int64_t>& duplicates, std::int64_t frames) {
    if (duplicates.size() < 4 || frames < 12) return {};
    std::vector<char> repeats(static_cast<std::size_t>(frames), 0);
    for (const auto d : duplicates)
        if (d < frames) repeats[static_cast<std::size_t>(d)] = 1;
    for (int period = 2; period <= 12; ++period) {
        std::vector<int> hits(static_cast<std::size_t>(period)), all(static_cast<std::size_t>(period));
        for (std::int64_t i = 1; i < frames; ++i) {
            hits[static_cast<std::size_t>(i % period)] += repeats[static_cast<std::size_t>(i)];
            ++all[static_cast<std::size_t>(i % period)];
        }
        RepeatPattern found{0, period};
        std::size_t inPattern = 0;
        for (int k = 0; k < period; ++k)
            if (const auto i = static_cast<std::size_t>(k); all[i] >= 3 && hits[i] > 0.8 * all[i])
                ++found.repeats, inPattern += static_cast<std::size_t>(hits[i]);
        if (found.repeats > 0 && found.repeats<period&& double(inPattern)> 0.85 * double(duplicates.size()))
            return found;
    }
    return {};
}

std::pair<std::int64_t, std::int64_t> shotAround(const std::vector<std::int64_t>& cuts, std::int64_t frame,
                                                 std::int64_t frames) {
    const auto next = std::ranges::upper_bound(cuts, frame);
    return {next == cuts.begin() ? 0 : *(next - 1), next == cuts.end() ? frames : *next};
}

} // namespace ulm
