#include "core/base/error.h"
#include "core/deliver/output_file.h"
#include "core/media/facts_words.h"
#include "core/media/png.h"
#include "core/proof/page.h"
#include "core/proof/pairing.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <sstream>

namespace ulm {
namespace {

constexpr PageColour kPaper{0.953f, 0.937f, 0.902f}, kInk{0.169f, 0.165f, 0.149f}, kFaint{0.404f, 0.388f, 0.353f},
    kLine{0.72f, 0.69f, 0.63f}, kSurround{0.459f, 0.459f, 0.459f};
constexpr int kMargin = 40, kCrop = 240;

std::string number(double v, int decimals) {
    std::ostringstream s;
    s.setf(std::ios::fixed);
    s.precision(decimals);
    s << v;
    return s.str();
}

std::vector<std::string> factLines(const MediaFacts& f) {
    const VideoFacts& v = f.video;
    return {std::filesystem::path(f.file).filename().string(),
            std::to_string(v.width) + "×" + std::to_string(v.height) + ", " + number(v.fps, 2) + " frames a second",
            number(f.duration, 1) + " s, " + number(double(f.bytes) / 1e6, 2) + " MB, " +
                number(double(f.bytes) * 8 / std::max(0.01, f.duration) / 1e6, 2) + " Mb/s",
            codecWords(v.codec) + ", " + std::to_string(v.bitDepth) + " bit" +
                (f.audio.empty() ? ", no sound" : ", sound " + codecWords(f.audio[0].codec))};
}

// What was done, step by step, in the ticket's own sentences.
std::string ticketText(const Delivery& d, const Inspection& found) {
    const FramingPlan plan = d.planAt(d.clock.first());
    std::string all;
    for (const StepHead& h : stepHeads()) {
        if (!isOn(d.ticket, h.key) || h.key == "sound" || h.key == "deliver") continue;
        std::string s = stepSentence(h.key, {d.ticket, found, d.facts, &plan, d.seconds()});
        if (s.ends_with('.')) s.pop_back();
        all += (all.empty() ? "" : " · ") + h.name + ": " + s;
    }
    return all.empty() ? "no step changes the picture" : all;
}

} // namespace

namespace {

void makeSheet(const ProofJob& job, const std::string& path, const CancelToken& cancel,
               const std::function<void(double)>& onProgress) {
    OutputFile output(path, job.replace, {job.source, job.result, job.ticketFile});
    const Pairing pair = pairUp(job, cancel);
    const auto part = [&](double from, double to) {
        return InspectWatch{[=](double d) {
                                if (onProgress) onProgress(from + (to - from) * d);
                            },
                            {}};
    };
    const Inspection was = job.inspection ? *job.inspection : inspectClip(pair.source, cancel, part(0, 0.4)),
                     is = inspectClip(pair.result, cancel, part(0.4, 0.85));
    std::vector<WatchPlace> places = job.places;
    if (places.empty()) {
        const std::int64_t middle = pair.beforeFrame(pair.result->frameCount() / 2);
        std::vector<Rect> windows = pair.delivery->windows(middle);
        for (Rect& w : windows) w = w.grown(-16);
        // What lies outside the delivered stretch cannot be shown.
        Inspection shown = was;
        const std::int64_t first = pair.sourceFrame(0), last = pair.sourceFrame(pair.result->frameCount() - 1);
        const FrameClock& clock = pair.delivery->clock;
        std::erase_if(shown.candidates, [&](const WatchPlace& p) {
            const double at = pair.source->secondsAt(p.frame);
            return p.frame < std::min(first, last) || p.frame > std::max(first, last) ||
                   std::ranges::any_of(clock.leftOut(), [&](const LeftOut& o) { return at >= o.from && at < o.to; });
        });
        places = choosePlaces(shown, windows, int(1.2 * kCrop / pair.delivery->planAt(middle).scale()));
    }
    if (places.size() > 4) places.resize(4);

    Engine engine(std::size_t(64) << 20);
    const PictureFormat& f = pair.after->format();
    constexpr int kWidth = 1240, kTop = 490;
    const int rows = static_cast<int>(places.size() + 1) / 2;
    Page page(kWidth, kTop + std::max(1, rows) * (kCrop + 52) + 40, kPaper);
    page.write("Proof", kMargin, 28, 30, kInk, true);
    page.write(std::filesystem::path(job.source).filename().string() + " → " +
                   std::filesystem::path(job.result).filename().string(),
               kMargin + 108, 36, 18, kFaint, false, kWidth - kMargin);
    page.fill({kMargin, 76, kWidth - 2 * kMargin, 2}, kInk);

    // Facts, then readings, in two columns each.
    const auto before = factLines(pair.source->facts()), after = factLines(pair.result->facts());
    page.write("Before", kMargin, 90, 15, kInk, true);
    page.write("After", kMargin + 270, 90, 15, kInk, true);
    for (std::size_t i = 0; i < before.size(); ++i) {
        page.write(before[i], kMargin, 112 + 20 * int(i), 14, kInk, false, kMargin + 258);
        page.write(after[i], kMargin + 270, 112 + 20 * int(i), 14, kInk, false, kMargin + 530);
    }
    page.writeLines(pair.ticketKnown ? ticketText(*pair.delivery, was) : "made without a ticket that is known", kMargin,
                    202, 14, kFaint, kMargin + 530, 2);
    page.write("Reading", kMargin, 254, 15, kInk, true);
    page.write("before", kMargin + 250, 254, 15, kInk, true);
    page.write("after", kMargin + 340, 254, 15, kInk, true);
    int y = 278;
    for (const char* key : {"blocking", "noise_sigma", "softness_px", "ringing", "haloes", "stairs", "banding"}) {
        const ReadingKind& k = *findReading(key);
        page.fill({kMargin, y - 3, 530, 1}, kLine);
        page.write(k.name, kMargin, y, 14, kInk);
        page.write(number(was.readings.*k.member, 1), kMargin + 250, y, 14, kInk);
        page.write(number(is.readings.*k.member, 1), kMargin + 340, y, 14, kInk, true);
        page.write(k.unit, kMargin + 400, y, 13, kFaint, false, kMargin + 540);
        y += 24;
    }
    page.write("Edge width and detail are told in each file's own pixels.", kMargin, y + 4, 12, kFaint);

    // Both whole frames, at the first place's time.
    const auto inResult = [&](const WatchPlace& p) {
        return pair.resultFrame(std::clamp<std::int64_t>(p.frame, 0, pair.source->frameCount() - 1));
    };
    const std::int64_t shown = places.empty() ? pair.result->frameCount() / 2 : inResult(places[0]);
    const Rect room{kMargin + 570, 92, kWidth - 2 * kMargin - 570, kTop - 130};
    const double k = std::min((room.w / 2 - 6) / double(f.width), room.h / double(f.height));
    const Rect small{room.x, room.y, int(f.width * k), int(f.height * k)};
    page.putScaled(engine.pull(*pair.before, pair.beforeFrame(shown), f.frame(), cancel), small);
    page.putScaled(engine.pull(*pair.after, shown, f.frame(), cancel), small.moved(room.w / 2 + 3, 0));
    page.write("before, frame " + std::to_string(pair.sourceFrame(shown) + 1), small.x, small.bottom() + 4, 13, kFaint);
    page.write("after", small.x + room.w / 2 + 3, small.bottom() + 4, 13, kFaint);

    for (std::size_t i = 0; i < places.size(); ++i) {
        cancel.check();
        const WatchPlace& p = places[i];
        const std::int64_t n = inResult(p);
        const auto [cx, cy] = pair.toDelivered(p.frame, {double(p.x), double(p.y)});
        const int w = std::min(kCrop, f.width), h = std::min(kCrop, f.height);
        const Rect box{std::clamp(int(cx) - w / 2, 0, f.width - w), std::clamp(int(cy) - h / 2, 0, f.height - h), w, h};
        const int x = kMargin + int(i % 2) * 590, top = kTop + int(i / 2) * (kCrop + 52);
        page.fill({x, top + 24, 2 * kCrop + 6, kCrop}, kSurround);
        page.put(engine.pull(*pair.before, pair.beforeFrame(n), box, cancel), x, top + 24);
        page.put(engine.pull(*pair.after, n, box, cancel), x + kCrop + 6, top + 24);
        const ReadingKind* kind = findReading(p.what);
        const std::string name = kind                  ? kind->name
                                 : p.what == "texture" ? "Fine texture"
                                 : p.what == "text"    ? "Letters"
                                 : p.what == "face"    ? "Face"
                                 : p.what == "motion"  ? "Movement"
                                                       : "Chosen place";
        page.write(std::string(1, char('A' + i)) + "  " + name, x, top, 15, kInk, true);
        page.write("at " + number(pair.result->secondsAt(n), 2) + " s, 100 %", x + kCrop + 6, top + 1, 13, kFaint);
        page.write("before", x + kCrop - 46, top + 1, 13, kFaint);
        page.write("after", x + 2 * kCrop - 28, top + 1, 13, kFaint);
    }
    output.write(pngOf(page.picture(), 8));
    if (onProgress) onProgress(1);
}

} // namespace

void writeProofSheet(const ProofJob& job, const std::string& path, const CancelToken& cancel,
                     const std::function<void(double)>& onProgress) {
    guarded(job.result, [&] { makeSheet(job, path, cancel, onProgress); });
}

} // namespace ulm
