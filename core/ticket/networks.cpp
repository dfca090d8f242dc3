#include "core/ticket/networks.h"

#include "core/base/error.h"
#include "core/engine/mix_stage.h"
#include "core/engine/resample_stage.h"
#include "core/enlarge/flat_stage.h"
#include "core/model/model_folder.h"
#include "core/model/shipped_networks.h"
#include "core/motion/aligned_stage.h"
#include "core/restore/clean_stages.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// From here on a network trained on hard clips does better than the general one (docs/networks.md).
constexpr double kRoughCompression = 45, kHardCompression = 55;
constexpr double kTracesFrom = 25;       // from here on traces of compression are left in what a network makes
constexpr int kMostForFull = 1280 * 720; // pixels up to which the full network is worth its time
constexpr double kNoisy = 5;             // from here on the yield tells nothing: shrinking averages noise away
constexpr double kTakenByFilters = 0.5;
constexpr double kCrispTraced = 45, kCrispCleaning = 15, kDelicate = 0.7;
constexpr double kGuessing = 0.3; // as crisp as this, a network makes up what flat places hold
// The most that is measured, of good, of hard and of drawn clips; the quick networks guess more, so they go less far.
struct Crispness {
    double good, rough, drawn;
    double of(const std::string& kind) const { return kind == "rough" ? rough : kind == "drawn" ? drawn : good; }
};
constexpr Crispness kCrispFull{80, 80, 60}, kCrispQuick{70, 60, kCrispTraced};
// Of a first pass by the full network, how far a second one by the quick one goes: further it draws a faint grid.
constexpr Crispness kSecondPass{0.88, 0.56, 0.75};
// What a network's whole steps leave to scaling: little where time is not what counts (a second pass at three times the
// size makes edges a fifth narrower), next to nothing where more pixels than delivered are asked for.
constexpr double kLeftToScaling = 1.25, kLeftByOthers = 1.6, kLeftAbove = 1.05;

// The estimate, made less or more as the person's value lies below or above the reading. `per` units above the reading
// are a whole level.
double level(double estimate, const Quantity& q, double reading, double most, double per) {
    if (q.from == From::Measured) return estimate;
    const double value = q.resolve(reading, 0, most);
    if (value <= reading) return reading > 0 ? estimate * value / reading : value > 0 ? estimate : 0;
    // Treating a clip for damage it does not have would only blur it.
    const double there = std::clamp((estimate - 0.03) / 0.12, 0.0, 1.0);
    return std::min(1.2, estimate + there * (value - reading) / per);
}

// Sigma of the noise, less what texture adds to its reading.
double openNoise(const Readings& r) { return std::max(0.0, 0.8 * (r.noise - 1)); }

std::shared_ptr<const Network> shipped(const Ticket& t, const Inspection& found, int scale, bool full,
                                       double crisp = 0) {
    if (auto net = shippedNetwork(networkKind(t, found, scale), scale, full, crisp)) return net;
    if (auto net = shippedNetwork("general", scale, full, crisp)) return net;
    return shippedNetwork("general", scale, !full, crisp);
}

StagePtr pass(StagePtr input, StagePtr guide, std::shared_ptr<const Network> net, const DamageLevels& levels,
              double strength = 1) {
    return throughNetwork(input, alignedAround(input, guide, net->frames() / 2, Moved::Luma), net, levels,
                          Kernel::Lanczos, {}, strength);
}

StagePtr byLanczos(StagePtr input, int width, int height) {
    PictureFormat f = input->format();
    const ScaleWindow whole{0, 0, double(f.width), double(f.height), width, height};
    return std::make_shared<ResampleStage>(input, whole, Kernel::Lanczos, f);
}

// The share of what is crisp that this clip bears: people know faces and letters too well to have them guessed, ink
// has little that could be, and noise would be taken for texture.
double bearable(const Inspection& found) {
    const double known = found.faces.empty() && found.text.empty() && !found.drawn() ? 1 : kDelicate;
    return known * (1 - 0.5 * std::clamp(openNoise(found.readings) / kNoisy, 0.0, 1.0));
}

} // namespace

CleanValues cleanValues(const Ticket& t, const Inspection& found) {
    const Readings& r = found.readings;
    const auto& c = t.clean;
    return {c.blocks.resolve(r.blocking, 0, kMostBlocks),   c.noise.resolve(r.noise, 0, kMostNoise),
            c.chroma.resolve(r.chromaNoise, 0, kMostNoise), c.ringing.resolve(r.ringing, 0, kMostRinging),
            c.stairs.resolve(r.stairs, 0, kMostStairs),     c.banding.resolve(r.banding, 0, kMostBanding)};
}

DamageLevels damageLevels(const Ticket& t, const Inspection& found) {
    const Readings& r = found.readings;
    // Under a hard encode noise cannot be read. What such clips usually hold is told instead: on sequences held back
    // from training that is worth 0.05 dB over telling of none.
    const double hidden = 0.15 * std::clamp((r.compression - 30) / (kRoughCompression - 30), 0.0, 1.0);
    const DamageLevels estimate{r.compression / 100, std::max(openNoise(r) / kNoiseOfLevel, hidden)};
    if (!t.clean.on) return estimate;
    // Where filters act, they have taken the noise and much of the blocks before a network sees the picture.
    if (!cleansByNetwork(t, found))
        return {estimate.compression * (1 - kTakenByFilters * std::clamp((r.blocking - 1) / 2, 0.0, 1.0)),
                r.noise >= 0.8 ? 0 : estimate.noise};
    return {level(estimate.compression, t.clean.blocks, r.blocking, kMostBlocks, 50),
            level(estimate.noise, t.clean.noise, r.noise, kMostNoise, kNoiseOfLevel)};
}

std::string networkKind(const Ticket& t, const Inspection& found, int scale) {
    if (t.enlarge.kind != "auto") return t.enlarge.kind;
    const bool hard = found.readings.compression >= kRoughCompression;
    if (found.drawn() && (hard || scale == 1)) return "drawn";
    return hard ? "rough" : "general";
}

double measuredStrength(const Ticket& t, const Inspection& found) {
    const Readings& r = found.readings;
    if (!t.enlarge.method.starts_with("learned") || networkKind(t, found) != "general") return 100;
    const double damage = std::clamp(std::max(r.compression / kRoughCompression, openNoise(r) / kNoisy), 0.0, 1.0);
    return r.yield + (100 - r.yield) * damage;
}

double enlargeStrength(const Ticket& t, const Inspection& found) {
    return t.enlarge.strength.resolve(measuredStrength(t, found), 0, kMostStrength);
}

double measuredCrisp(const Ticket& t, const Inspection& found) {
    // The general network makes a pattern of traces of blocks, the crisper the more; the rough one knows them, and goes
    // on from where it takes over.
    const double compression = found.readings.compression;
    const auto between = [&](double a, double b) { return std::clamp((compression - a) / (b - a), 0.0, 1.0); };
    const std::string kind = networkKind(t, found);
    const bool rough = kind == "rough";
    const double most = (t.enlarge.method == "learned" ? kCrispFull : kCrispQuick).of(kind);
    if (kind == "drawn") return bearable(found) * most;
    return bearable(found) * std::lerp(kCrispTraced, most,
                                       rough ? between(kRoughCompression, kHardCompression)
                                             : 1 - between(kTracesFrom, kRoughCompression));
}

bool enlargesCrisp(const Ticket& t, const Inspection& found) {
    return t.enlarge.method.starts_with("learned") &&
           hasCrispNetwork(networkKind(t, found), 2, t.enlarge.method == "learned");
}

double enlargeCrisp(const Ticket& t, const Inspection& found) {
    return enlargesCrisp(t, found) ? t.enlarge.crisp.resolve(measuredCrisp(t, found), 0, 100) : 0;
}

double measuredCleanCrisp(const Ticket&, const Inspection& found) { return bearable(found) * kCrispCleaning; }

bool cleansCrisp(const Ticket& t, const Inspection& found) {
    return cleansByNetwork(t, found) && hasCrispNetwork(networkKind(t, found, 1), 1, t.clean.method != "learned-quick");
}

double cleanCrisp(const Ticket& t, const Inspection& found) {
    return cleansCrisp(t, found) ? t.clean.crisp.resolve(measuredCleanCrisp(t, found), 0, 100) : 0;
}

bool cleansByNetwork(const Ticket& t, const Inspection& found) {
    if (!t.clean.on || t.clean.method != "auto") return t.clean.on && t.clean.method.starts_with("learned");
    return compressionIsTheFault(found);
}
bool enlargesByNetwork(const Ticket& t) {
    return t.enlarge.on && (t.enlarge.method.starts_with("learned") || t.enlarge.method.ends_with(".onnx"));
}

Ticket withoutNetworks(Ticket t) {
    if (t.clean.on) t.clean.method = "classic";
    if (enlargesByNetwork(t)) t.enlarge.method = "lanczos";
    return t;
}

StagePtr cleanedByNetwork(StagePtr input, StagePtr guide, const Ticket& t, const Inspection& found) {
    const Readings& r = found.readings;
    const DamageLevels levels = damageLevels(t, found);
    if (levels.compression < 0.01 && levels.noise < 0.01) return input;
    const PictureFormat& f = input->format();
    const bool full = t.clean.method == "learned" || (t.clean.method == "auto" && f.width * f.height <= kMostForFull);
    const auto net = shipped(t, found, 1, full, cleanCrisp(t, found) / 100);
    if (!net) return nullptr;
    // A network that is told of little damage does next to nothing: it is told of what there is, and mixed in by the
    // share that the person wants of it.
    const auto share = [](const Quantity& q, double reading, double most) {
        return reading > 0                ? std::min(1.0, q.resolve(reading, 0, most) / reading)
               : q.from == From::Measured ? 1.0
                                          : 0.0;
    };
    const double wanted = std::max(share(t.clean.blocks, r.blocking, kMostBlocks) * (levels.compression > 0.01),
                                   share(t.clean.noise, r.noise, kMostNoise) * (levels.noise > 0.01));
    if (wanted <= 0 || wanted >= 1) return pass(input, guide, net, levels);
    const DamageLevels told{levels.compression / wanted, levels.noise / wanted};
    return keepOriginal(pass(input, guide, net, told), input, 1 - wanted);
}

StagePtr enlargedByNetwork(StagePtr input, StagePtr guide, double factor, const Ticket& t, const Inspection& found) {
    const bool own = t.enlarge.method.ends_with(".onnx");
    NetworkInput form;
    const double crisp = enlargeCrisp(t, found) / 100;
    std::shared_ptr<const Network> net;
    if (own) {
        const UserNetwork user = openUserNetwork(t.enlarge.method);
        net = user.network;
        form = {user.card.bgr, user.card.range};
    } else {
        net = shipped(t, found, 2, t.enlarge.method == "learned", crisp);
    }
    if (!net) return nullptr;
    const double strength = enlargeStrength(t, found) / 100;
    StagePtr s = own && net->frames() == 1 && net->levels() == 0
                     ? throughNetwork(input, {}, net, {}, Kernel::Lanczos, form, strength)
                     : pass(input, guide, net, damageLevels(t, found), strength);
    if (net->outputChannels() > 1 && strength < 1)
        s = keepOriginal(s, byLanczos(input, s->format().width, s->format().height), 1 - strength);
    if (crisp > 0) s = plainWhereFlat(s, input, std::min(1.0, crisp / kGuessing));
    // Further passes see a clean, large picture: networks without neighbours do them. Where two are left, one network
    // does what the quick one would by both.
    const std::string kind = networkKind(t, found);
    const bool full = t.enlarge.method == "learned";
    const double first = full ? crisp : std::min(1.0, crisp * kCrispFull.of(kind) / kCrispQuick.of(kind));
    const auto once = [&] { return shipped(t, found, 2, false, first * kSecondPass.of(kind)); };
    const auto twice = [&] { return shipped(t, found, 4, false, first); };
    const double leave = t.enlarge.above > 1 ? kLeftAbove : full ? kLeftToScaling : kLeftByOthers;
    for (double left = factor / net->scale(); left > leave;) {
        auto next = own ? net : left > 2 * leave ? twice() : nullptr;
        if (!next) next = once();
        if (!next || next->scale() <= 1 || next->frames() > 1) break;
        s = throughNetwork(s, {}, next, {}, Kernel::Lanczos, form, std::min(strength, 1.0));
        left /= next->scale();
    }
    return s;
}

bool hasNetwork(const Ticket& t, const Inspection& found, int scale) {
    return shipped(t, found, scale, true) != nullptr;
}

} // namespace ulm
