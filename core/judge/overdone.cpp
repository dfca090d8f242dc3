#include "core/judge/overdone.h"

#include "core/inspect/fault_measures.h"
#include "core/inspect/readings.h"
#include "core/picture/opencv_view.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <optional>

namespace ulm {
namespace {

constexpr float kStep = 1 / 219.f;

cv::Mat square(int side) { return cv::getStructuringElement(cv::MORPH_RECT, {side, side}); }
cv::Mat soft(const cv::Mat& m, double sigma) {
    cv::Mat out;
    cv::GaussianBlur(m, out, {0, 0}, sigma);
    return out;
}
// Means over a block's surroundings: of the source's pixels, so that they rest on as many samples at any scale.
cv::Mat pooled(const cv::Mat& m, double scale) {
    const int side = int(std::lround(FaultMap::kBlock * std::max(1.0, scale)));
    cv::Mat out;
    cv::blur(m, out, {side, side});
    return out;
}

// Each block's mean of value, weighted; blocks with next to no weight say nothing.
FaultMap mapOf(const cv::Mat& value, const cv::Mat& weight, const Rect& area) {
    FaultMap map(area);
    for (int y = 0; y < value.rows; ++y)
        for (int x = 0; x < value.cols; ++x)
            if (const float w = weight.at<float>(y, x); w > 0.02f)
                map.add(area.x + x, area.y + y, value.at<float>(y, x), w);
    return map;
}

constexpr double kLeastWeight = 250; // samples: less than a block of them is no place that people see

// The mean over the worst twentieth of what has weight, so that a small spoilt place counts, but no single block does.
double worstPart(const FaultMap& map, Rect& box) {
    const FaultMap around = map.pooled();
    std::vector<std::pair<double, double>> blocks;
    double best = 0, all = 0;
    for (int r = 0; r < map.rows(); ++r)
        for (int c = 0; c < map.columns(); ++c)
            if (const double w = map.weight(c, r); w >= 6) {
                const double v = around.at(c, r);
                blocks.emplace_back(v, w);
                all += w;
                if (v > best) best = v, box = map.block(c, r);
            }
    std::ranges::sort(blocks, std::greater{});
    double sum = 0, weight = 0;
    for (const auto& [v, w] : blocks) {
        if (weight >= std::max(0.05 * all, kLeastWeight)) break;
        sum += v * w;
        weight += w;
    }
    return weight >= kLeastWeight ? sum / weight : 0;
}

struct Pair {
    cv::Mat before, after;
    double scale, noise, blocks;
    Rect area;
};

// Overshoot beyond the range that lay around an edge before, as a share of the edge's height; 40 % is the limit. A
// little of it belongs to any good enlargement and is left out. A halo lies on what is even beside the edge: on a line
// that enlarging had blurred, it is contrast given back.
constexpr double kOnALine = 0.25; // of the edge's height
FaultMap haloes(const Pair& p) {
    const int reach = 2 * static_cast<int>(std::ceil(1.5 * p.scale)) + 1;
    cv::Mat low, high;
    cv::erode(p.before, low, square(reach));
    cv::dilate(p.before, high, square(reach));
    const cv::Mat height = high - low;
    cv::Mat opened, closed;
    const int line = 2 * static_cast<int>(std::ceil(2 * std::max(0.0, p.scale - 1))) + 1;
    cv::morphologyEx(p.before, opened, cv::MORPH_OPEN, square(line));
    cv::morphologyEx(p.before, closed, cv::MORPH_CLOSE, square(line));
    cv::Mat above = cv::max(p.after - high, 0.f), below = cv::max(low - p.after, 0.f);
    above.setTo(0, p.before - opened > kOnALine * height);
    below.setTo(0, closed - p.before > kOnALine * height);
    const cv::Mat over = cv::max(above, below);
    cv::Mat share, edge;
    cv::divide(over, height + 2 * kStep, share);
    share = cv::max(share - 0.06f, 0.f);
    cv::Mat worst; // an edge has a halo if there is one anywhere beside it
    cv::dilate(share, worst, square(reach));
    edge = (height > 25 * kStep) / 255;
    edge.convertTo(edge, CV_32F);
    return mapOf(worst * (100 / 0.40f), edge, p.area);
}

float lowerQuarter(std::vector<float>& v) {
    if (v.size() < 16) return 0; // too few to tell
    const auto at = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 4);
    std::ranges::nth_element(v, at);
    return *at;
}

// For each sample what the evenest quarter of the places of like tone have of `m`; of all tones where those are few.
cv::Mat evenest(const cv::Mat& m, const cv::Mat& level) {
    constexpr int kTones = 20; // of a twentieth of the range: noise at black is less than a little above it
    const auto toneOf = [](float v) { return std::clamp(int(v * kTones), 0, kTones - 1); };
    std::vector<float> all, byTone[kTones];
    for (int y = 0; y < m.rows; y += 4)
        for (int x = 0; x < m.cols; x += 4) {
            all.push_back(m.at<float>(y, x));
            byTone[toneOf(level.at<float>(y, x))].push_back(m.at<float>(y, x));
        }
    float quarter[kTones];
    const float ofAll = lowerQuarter(all);
    for (int t = 0; t < kTones; ++t) quarter[t] = byTone[t].size() < 16 ? ofAll : lowerQuarter(byTone[t]);
    cv::Mat out(m.size(), CV_32F);
    for (int y = 0; y < m.rows; ++y)
        for (int x = 0; x < m.cols; ++x) out.at<float>(y, x) = quarter[toneOf(level.at<float>(y, x))];
    return out;
}

// Detail of a size: what lies between two Gaussians, sigma in the source's pixels, and what of a white noise's power.
struct Band {
    double from, to;
    float power;
};
constexpr Band kFine{0, 0.8, 0.6f}, kCoarser{0.8, 2.4, 0.09f};

struct Loss {
    cv::Mat score, weight; ///< by sample
};

// Energy in a band that the source had above its noise, and that is gone: all of it is 140, half of it 70. Noise
// differs with the tones: where it changes from frame to frame as much as the evenest places of like tone show, it is
// noise there, however much more than the clip's mean that is; what stands still is texture.
Loss lostIn(const Band& band, const Pair& p, const Pair* next, const cv::Mat& level) {
    const auto detail = [&](const cv::Mat& m) -> cv::Mat {
        return (band.from > 0 ? soft(m, band.from * p.scale) : m) - soft(m, band.to * p.scale);
    };
    const auto energy = [&](const cv::Mat& d) { return pooled(d.mul(d), p.scale); };
    const cv::Mat before = detail(p.before), was = energy(before), is = energy(detail(p.after));
    // What is left of the finest noise after scaling is less as it is enlarged.
    const double grain = std::pow(p.noise * kStep, 2) * band.power / (band.from > 0 ? 1 : std::max(1.0, p.scale)),
                 blocks = 0.8 * std::pow(p.blocks / 10 * kStep, 2); // what is lost at their borders is lost within, too
    cv::Mat noise(was.size(), CV_32F, cv::Scalar(std::max(grain, blocks)));
    if (next) {
        // Movement changes much, too: no more than half as much again as the evenest places' is taken for noise.
        const cv::Mat changing = energy(detail(next->before) - before) / 2, even = evenest(was, level);
        // Encoders repeat a part of it from frame to frame: how much, the evenest places tell, where all is noise.
        cv::Mat repeated = even / cv::max(evenest(changing, level), 1e-9), most = 1.6 * even;
        repeated = cv::min(cv::max(repeated, 1.0), 2.0);
        noise = cv::max(noise, cv::min(changing.mul(repeated), most));
    }
    // Where each block's noise is known, what is called texture must stand out of its chances.
    const float clear = next ? 1.7f : 1.3f;
    cv::Mat texture = cv::max(was - clear * noise, 0.f), left = cv::max(is - 0.1f * noise, 0.f);
    cv::Mat ratio;
    cv::sqrt(cv::min(left / cv::max(texture, 1e-9f), 1.f), ratio);
    const float floor = 0.45f * kStep;
    return {(1 - ratio) * 140, cv::min(cv::max(texture / (floor * floor) - 1, 0.f), 1.f)};
}

struct LostDetail {
    FaultMap lights, shadows;
};
// The worse of both sizes, at each place.
LostDetail lost(const Pair& p, const Pair* next) {
    const cv::Mat level = pooled(p.before, p.scale);
    Loss fine = lostIn(kFine, p, next, level);
    const Loss coarser = lostIn(kCoarser, p, next, level);
    const cv::Mat worse = coarser.score.mul(coarser.weight) > fine.score.mul(fine.weight);
    coarser.score.copyTo(fine.score, worse);
    coarser.weight.copyTo(fine.weight, worse);
    const cv::Mat dark = cv::min(cv::max((0.25f - level) / 0.06f, 0.f), 1.f);
    return {mapOf(fine.score, fine.weight.mul(1 - dark), p.area), mapOf(fine.score, fine.weight.mul(dark), p.area)};
}

// Dark places that had tones and have none now: one in four of them is the limit. Tones are what is left of a place
// from a little further away: mosquitos around black letters are none, nor is a hair's sharp edge.
FaultMap crushed(const Pair& p) {
    const auto tone = [&](const cv::Mat& m) { return soft(cv::max(m, 0.0), 0.7 * p.scale); };
    const cv::Mat before = tone(p.before), after = tone(p.after);
    cv::Mat gone = (before > 3.5f * kStep) & (after < 1.8f * kStep), dark = before < 0.14f;
    gone.convertTo(gone, CV_32F, 1 / 255.0);
    dark.convertTo(dark, CV_32F, 1 / 255.0);
    return mapOf(gone * (100 / 0.25f), dark, p.area);
}

// Likeness of structure on text: 1 - correlation of before and after over letters' size; a quarter is the limit.
FaultMap letters(const Pair& p) {
    const double sigma = 2.2 * p.scale;
    const cv::Mat a = soft(p.before, 0.6 * p.scale), b = soft(p.after, 0.6 * p.scale);
    const cv::Mat ma = soft(a, sigma), mb = soft(b, sigma);
    const cv::Mat va = soft(a.mul(a), sigma) - ma.mul(ma), vb = soft(b.mul(b), sigma) - mb.mul(mb),
                  both = soft(a.mul(b), sigma) - ma.mul(mb);
    cv::Mat root, unlike;
    cv::sqrt(cv::max(va.mul(vb), 0.f), root);
    const float c = 4 * kStep * kStep;
    cv::divide(both + c, root + c, unlike);
    unlike = cv::max(1 - unlike, 0.f);
    cv::Mat weight = va > 144 * kStep * kStep;
    weight.convertTo(weight, CV_32F, 1 / 255.0);
    return mapOf(unlike * (100 / 0.25f), weight, p.area);
}

// Where the source stands still from one frame to the next, what the result moves more: 3 steps are the limit.
FaultMap flicker(const Pair& now, const Pair& next) {
    const cv::Mat was = pooled(cv::abs(next.before - now.before), now.scale),
                  is = pooled(cv::abs(next.after - now.after), now.scale);
    const cv::Mat still = cv::min(cv::max((5 * kStep - was) / (2 * kStep), 0.f), 1.f);
    return mapOf(cv::max(is - 1.25f * was - 0.3f * kStep, 0.f) * (100 / (3 * kStep)), still, now.area);
}

// Of edges enough to tell: a few hairs that look like steps are fur.
double stairsOf(const Picture& p) {
    const measure::Stairs s = measure::stairs(p.planes[0], noiseReading(p.planes[0], measure::kSteps));
    return s.reading > 0 ? s.map.mean() : 0;
}

} // namespace

const std::vector<OverdoneKind>& overdoneKinds() {
    static const std::vector<OverdoneKind> kinds = {
        {"haloes", "Haloes", "overshoot beyond the range beside edges, as a share of their height"},
        {"plastic", "Plastic texture", "fine energy above the noise that is gone"},
        {"painted", "Painted shadows", "the same in the dark"},
        {"crushed", "Crushed shadows", "dark tones pressed into black"},
        {"stairs", "Stair-steps", "the stair-step reading, after less before"},
        {"text", "Altered letters", "likeness of structure on text (after Wang et al. 2004)"},
        {"flicker", "Flicker", "change between frames where the source stands still"}};
    return kinds;
}

OverdonePlace overdonePlace(Engine& engine, const Delivery& d, std::int64_t stage, const Rect& region,
                            const CancelToken& cancel) {
    OverdonePlace o;
    o.before = engine.pull(*d.toned, stage, region, cancel);
    o.after = engine.pull(*d.result, stage, region, cancel);
    o.frame = d.clock.sourceOf(stage);
    o.scale = d.planAt(stage).scale();
    o.noise = d.found->readings.noise;
    o.blocks = d.found->readings.blocking;
    return o;
}

constexpr double kHardlyStairs = 45; // % of a staircase
Overdone judgeOverdone(const OverdonePlace& place) {
    const auto pairOf = [&](const Picture& a, const Picture& b) {
        return Pair{viewOf(a.planes[0]), viewOf(b.planes[0]), std::max(0.5, place.scale),
                    place.noise,         place.blocks,        a.planes[0].area()};
    };
    const Pair p = pairOf(place.before, place.after);
    Overdone o;
    double best = 0;
    const auto note = [&](const char* key, double score, const Rect& box) {
        o.scores[key] = std::clamp(score, 0.0, 200.0);
        if (o.scores[key] <= best) return;
        best = o.scores[key];
        o.worst = key;
        o.frame = place.frame;
        o.box = box.empty() ? p.area : box;
    };
    const auto take = [&](const char* key, FaultMap map) {
        Rect box;
        const double score = worstPart(map, box);
        o.maps[key] = std::move(map);
        note(key, score, box);
    };
    take("haloes", haloes(p));
    const bool known = place.beforeNext.planes[0].bufferBytes(),
               moving = known && place.afterNext.planes[0].bufferBytes();
    std::optional<Pair> next;
    if (known) next = pairOf(place.beforeNext, moving ? place.afterNext : place.beforeNext);
    LostDetail detail = lost(p, next ? &*next : nullptr);
    take("plastic", std::move(detail.lights));
    take("painted", std::move(detail.shadows));
    take("crushed", crushed(p));
    if (place.text) take("text", letters(p));
    if (moving) take("flicker", flicker(p, *next));
    // The limit is where an inspection would find them. Below that a sharper edge merely shows what a blur had hidden.
    const double stairs = stairsOf(place.after), hardly = std::max(kHardlyStairs, stairsOf(place.before) + 4);
    note("stairs", stairs > hardly ? (stairs - hardly) * 100 / (findReading("stairs")->notable - kHardlyStairs) : 0,
         {});
    return o;
}

void Overdone::join(const Overdone& other) {
    if (other.gauge() > gauge()) {
        worst = other.worst;
        frame = other.frame;
        box = other.box;
    }
    for (const auto& [key, score] : other.scores) {
        double& mine = scores[key];
        mine = std::max(mine, score);
    }
}

double easeShare(const Ticket& t, const Inspection& found, double limit, int steps,
                 const std::function<double(const Ticket&)>& judge) {
    if (judge(t) <= limit) return 1;
    double low = 0, high = 1;
    for (int k = 0; k < steps; ++k) {
        const double middle = (low + high) / 2;
        (judge(scaledTicket(t, found, middle)) <= limit ? low : high) = middle;
    }
    return low;
}

} // namespace ulm
