#include "core/inspect/inspection.h"

#include "core/inspect/shots.h"
#include "core/media/source_stage.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace ulm {
namespace {

constexpr std::int64_t kMostFrames = 20000;

double median(std::vector<double> v) {
    if (v.empty()) return 0;
    std::ranges::nth_element(v, v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2));
    return v[v.size() / 2];
}

Readings medianReadings(const std::vector<std::pair<std::int64_t, Readings>>& samples) {
    Readings r;
    const auto over = [&](double Readings::*m) {
        std::vector<double> v;
        for (const auto& s : samples) v.push_back(s.second.*m);
        return median(v);
    };
    for (const auto m :
         {&Readings::blocking, &Readings::noise, &Readings::chromaNoise, &Readings::softness, &Readings::ringing})
        r.*m = over(m);
    return r;
}

// Shares of the picture that are exactly flat, and its mean level: drawn pictures are flat, camera pictures never are.
std::string kindOf(const Plane& luma) {
    std::int64_t flat = 0, all = 0;
    double sum = 0;
    for (int y = luma.area().y; y + 1 < luma.area().bottom(); y += 2) {
        const float *a = luma.row(y), *b = luma.row(y + 1);
        for (int x = 0; x + 1 < luma.area().w; x += 2, ++all) {
            sum += a[x];
            flat += std::abs(a[x] - a[x + 1]) < 0.7f / 219 && std::abs(a[x] - b[x]) < 0.7f / 219;
        }
    }
    if (all == 0) return "camera";
    if (double(flat) / double(all) > 0.85) return "drawn";
    return sum / double(all) < 0.22 ? "dark camera" : "camera";
}

void offerPlaces(std::map<std::tuple<std::string, int, int>, WatchPlace>& best, const std::vector<Neighbourhood>& all,
                 std::int64_t frame) {
    for (const Neighbourhood& n : all)
        for (const auto& [what, value] :
             {std::pair{"Blocks", n.blocks}, {"Noise", n.noise}, {"Edge", n.edge}, {"Texture", n.texture}}) {
            WatchPlace& b = best[{what, n.x, n.y}];
            if (b.what.empty() || value > b.value) b = {what, frame, n.x, n.y, value};
        }
}

std::string rounded(double v) {
    const double r = std::round(v * 10) / 10;
    std::string s = std::to_string(r);
    return s.substr(0, s.find('.') + 2);
}

std::vector<Advice> advise(const Inspection& i, const VideoFacts& v) {
    std::vector<Advice> all;
    const Readings& r = i.readings;
    if (r.blocking >= 3)
        all.push_back({"clean",
                       "Remove compression blocks",
                       "Steps across the 8×8 grid stand " + rounded(r.blocking / 10) +
                           " levels above those beside it; "
                           "cleaning evens them out and may soften the finest texture a little.",
                       {{"clean.blocks", "measured"}}});
    if (r.noise >= 1.5)
        all.push_back({"clean",
                       "Remove noise",
                       "Noise of sigma " + rounded(r.noise) + " in flat areas; cleaning it saves bits for the picture.",
                       {{"clean.noise", "measured"}}});
    if (std::min(v.width, v.height) < 700)
        all.push_back({"enlarge",
                       "Enlarge",
                       std::to_string(v.width) + "×" + std::to_string(v.height) +
                           " is below what most destinations show; scaling it well here beats their scaling.",
                       {{"enlarge.scale", "2"}}});
    if (r.softness >= 4)
        all.push_back({"finish",
                       "Sharpen lightly",
                       "Edges are " + rounded(r.softness) + " pixels wide; about 3 look crisp.",
                       {{"finish.sharpen.amount", "0.6"}}});
    return all;
}

} // namespace

Inspection inspectClip(const ClipPtr& clip, int samples, const CancelToken& cancel,
                       const std::function<void(double)>& onProgress) {
    Inspection out;
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(32) << 20);
    const SourceStage source(reader);
    const std::int64_t frames = std::min(clip->frameCount(), kMostFrames);
    const std::int64_t every = std::max<std::int64_t>(1, frames / std::max(1, samples));
    std::vector<Thumbprint> prints;
    std::map<std::string, int> kinds;
    std::map<std::tuple<std::string, int, int>, WatchPlace> places;
    for (std::int64_t n = 0; n < frames; ++n) {
        cancel.check();
        Picture p = Picture::make(source.format(), source.format().frame());
        source.compute(n, {}, p, cancel);
        prints.push_back(thumbprint(p.planes[0]));
        out.motion.push_back(n ? difference(prints[static_cast<std::size_t>(n - 1)], prints.back()).mean : 0.f);
        if (n % every == every / 2) {
            out.samples.emplace_back(n, readPicture(p));
            offerPlaces(places, lookAround(p.planes[0]), n);
            ++kinds[kindOf(p.planes[0])];
        }
        if (onProgress) onProgress(double(n + 1) / double(frames));
    }
    out.framesLooked = frames;
    out.framesLost = reader->lostFrames();
    out.readings = medianReadings(out.samples);
    out.cuts = findCuts(prints);
    out.duplicates = findDuplicates(prints);
    int most = 0;
    for (const auto& [kind, count] : kinds)
        if (count > most) most = count, out.kind = kind;
    for (auto& [key, place] : places) out.candidates.push_back(std::move(place));
    out.advice = advise(out, clip->facts().video);
    return out;
}

std::vector<WatchPlace> choosePlaces(const Inspection& i, const Rect& window, int apart) {
    std::vector<WatchPlace> chosen;
    for (const char* what : {"Blocks", "Noise", "Edge", "Texture"}) {
        const WatchPlace* best = nullptr;
        for (const WatchPlace& c : i.candidates) {
            const auto near = [&](const WatchPlace& k) { return std::hypot(k.x - c.x, k.y - c.y) < apart; };
            if (c.what == what && window.contains({c.x, c.y, 1, 1}) && c.value > (best ? best->value : 0.0) &&
                std::ranges::none_of(chosen, near))
                best = &c;
        }
        if (best) chosen.push_back(*best);
    }
    return chosen;
}

nlohmann::json toJson(const Inspection& i, const MediaFacts& facts) {
    using nlohmann::json;
    json advice = json::array(), places = json::array();
    for (const Advice& a : i.advice)
        advice.push_back({{"step", a.step}, {"what", a.what}, {"why", a.why}, {"set", a.set}});
    for (const WatchPlace& p : choosePlaces(i, {0, 0, facts.video.width, facts.video.height}, 48))
        places.push_back({{"what", p.what}, {"frame", p.frame}, {"x", p.x}, {"y", p.y}, {"value", p.value}});
    return {{"file", facts.file},
            {"readings",
             {{"blocking", i.readings.blocking},
              {"noise_sigma", i.readings.noise},
              {"noise_sigma_chroma", i.readings.chromaNoise},
              {"softness_px", i.readings.softness},
              {"ringing", i.readings.ringing}}},
            {"cuts", i.cuts},
            {"duplicates", i.duplicates},
            {"kind", i.kind},
            {"advice", advice},
            {"places", places},
            {"motion", i.motion},
            {"frames_looked_at", i.framesLooked},
            {"frames_measured", i.samples.size()},
            {"lost_frames", i.framesLost}};
}

} // namespace ulm
