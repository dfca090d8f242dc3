#include "core/inspect/inspection.h"

#include "core/engine/large_work.h"
#include "core/inspect/faces.h"
#include "core/media/frame_convert.h"
#include "core/media/quantiser.h"
#include "core/media/source_stage.h"
#include "core/model/yield.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <numeric>
#include <optional>
#include <tbb/parallel_invoke.h>
#include <tbb/task_group.h>
#include <tuple>

namespace ulm {
namespace {

constexpr std::int64_t kMostFrames = 9000, kRuns = 36, kRunFrames = kMostFrames / kRuns;
constexpr double kMostSound = 1800;
constexpr std::int64_t kYieldEvery = 5; // samples
constexpr std::int64_t kIntoShot = 6;   // frames after a cut that things are looked for
constexpr int kMostExtra = 24;          // such looks
// Samples read closely or about to be: two planes of floats and more each, so few of large ones.
constexpr double kDoubt = 0.8; // log-odds within which it is not said whether a clip is drawn
constexpr double kMostWaitingBytes = 256e6;
int mostWaiting(const PictureFormat& f) {
    const double bytes = 2 * 1.5 * sizeof(float) * f.width * f.height;
    return static_cast<int>(std::clamp(kMostWaitingBytes / bytes, 2.0, 4.0));
}

double median(std::vector<double> v) {
    if (v.empty()) return 0;
    const auto m = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::ranges::nth_element(v, m);
    return *m;
}

double mean(std::vector<double> v) {
    std::ranges::sort(v); // the order in which samples came must not show in the last digit
    return std::accumulate(v.begin(), v.end(), 0.0) / double(v.size());
}

/// One closely read frame.
struct Sample {
    std::int64_t frame;
    PictureReading reading;
    std::vector<Mark> text, faces;
    std::vector<Thing> things;
    std::optional<double> yield; ///< of some samples: it takes runs of a network
    int fieldVote = 0;           ///< > 0 top field first, < 0 bottom
    Rect inside;                 ///< what was read of it: the picture inside black bars, as far as they were known
};

// Bars' inner ends, which an encoder smears, are no part of the picture either.
Rect readPart(const Rect& inside, const Rect& all) {
    constexpr int kSmeared = 2;
    if (inside.empty() || inside == all) return all;
    const auto from = [](int inner, int outer) { return inner > outer ? (inner + kSmeared + 1) & ~1 : outer; };
    const auto to = [](int inner, int outer) { return inner < outer ? (inner - kSmeared) & ~1 : outer; };
    const int x = from(inside.x, all.x), y = from(inside.y, all.y), right = to(inside.right(), all.right()),
              bottom = to(inside.bottom(), all.bottom());
    constexpr int kLeast = 32;
    return right - x < kLeast || bottom - y < kLeast ? all : Rect{x, y, right - x, bottom - y};
}

// Whether something may have to be looked for anew: fast movement does so too, which costs a look.
bool mayBeCut(const Thumbprint& before, const Thumbprint& now) { return difference(before, now).mean > 10; }

// The file's own quantiser says best how hard its last encode was. An earlier one, before an upload, say, may have been
// harder: then the picture's estimate stands, less its usual error; where a grid of blocks shows, too, it stands in
// full (fine encodes read up to 2 there, hard ones under a fine one mostly 3 and more). x264's mean quantiser lies
// about 6 above the rate factor that networks were trained by.
double compressionBy(double quantiser, double estimate, double blocking) {
    const double error = 16 * std::clamp(3 - blocking, 0.0, 1.0);
    return std::max(std::clamp((quantiser - 6 - 12) / 28, 0.0, 1.0) * 100, estimate - error);
}

// Which field comes first: between a frame's second field and the next frame's first one half as much time passes as
// between the outer ones.
int fieldVote(const Plane& a, const Plane& b) {
    double topThenBottom = 0, bottomThenTop = 0;
    const Rect r = a.area();
    for (int y = r.y + 2; y + 2 < r.bottom(); y += 2) {
        const float *aTop = a.row(y), *aLow = a.row(y + 1), *bTop = b.row(y), *bLow = b.row(y + 1);
        for (int x = 0; x < r.w; x += 2) {
            topThenBottom += std::abs(0.5f * (bTop[x] + b.row(y + 2)[x]) - aLow[x]);
            bottomThenTop += std::abs(0.5f * (bLow[x] + b.row(y - 1)[x]) - aTop[x]);
        }
    }
    return topThenBottom < bottomThenTop ? 1 : -1;
}

// The most telling blocks of a sample, by kind; one a neighbourhood of 48 pixels.
using Places = std::map<std::tuple<std::string, int, int>, WatchPlace>;

void offer(Places& best, const std::string& what, std::int64_t frame, int x, int y, double value) {
    WatchPlace& b = best[{what, x / 48, y / 48}];
    if (b.what.empty() || value > b.value) b = {what, frame, x, y, value};
}

// Of a place where tones are lost, what can be seen of it, [0, 1]: nothing where all around is black or white too, most
// where half of it still has tones.
double seenBeside(const FaultMap& lost, int column, int row) {
    constexpr int kAround = 2; // blocks: about what a spot shows
    double share = 0;
    int count = 0;
    for (int r = std::max(0, row - kAround); r <= std::min(lost.rows() - 1, row + kAround); ++r)
        for (int c = std::max(0, column - kAround); c <= std::min(lost.columns() - 1, column + kAround); ++c, ++count)
            share += lost.at(c, r) / 100;
    share /= count;
    return 4 * share * (1 - share);
}

void offerPlaces(Places& best, const Sample& s) {
    for (const auto& [key, map] : s.reading.maps) {
        const ReadingKind* kind = findReading(key);
        const bool texture = key == "texture", edge = key == "softness_px", noise = key == "noise_sigma",
                   tones = key == "crushed" || key == "clipped";
        if (!kind && !texture) continue;
        for (int r = 1; r + 1 < map.rows(); ++r)
            for (int c = 1; c + 1 < map.columns(); ++c) {
                double v = 0;
                if (texture) { // busy on all sides
                    v = map.at(c, r);
                    for (int k = 0; k < 9; ++k) v = std::min<double>(v, map.at(c - 1 + k % 3, r - 1 + k / 3));
                    v -= 1.4 * s.reading.readings.noise; // noise is no texture
                    v = v > 1 ? 0.3 + v / 40 : 0;
                } else if (edge) { // many clear edges
                    v = map.weight(c, r) > 8 ? 0.2 + map.weight(c, r) / 60 : 0;
                } else if (map.weight(c, r) > 0 && s.reading.readings.*kind->member >= 0.6 * kind->notable) {
                    v = map.at(c, r) / std::max(kind->notable, 0.5);
                    if (tones) v *= seenBeside(map, c, r);
                    if (noise) // flat on most sides, and dark where it shows most
                        v *= (s.reading.maps.at("crushed").at(c, r) > 20 ? 0.2 : 1.0) *
                             (map.weight(c - 1, r) + map.weight(c + 1, r) + map.weight(c, r - 1) > 2 ? 1.0 : 0.5);
                }
                if (v > 0.05) {
                    const Rect b = map.block(c, r);
                    offer(best, key, s.frame, b.x + b.w / 2, b.y + b.h / 2, v);
                }
            }
    }
    for (const Mark& m : s.text)
        offer(best, "text", s.frame, m.box.x + m.box.w / 2, m.box.y + m.box.h / 2, 1.2 * m.confidence);
    for (const Mark& m : s.faces)
        offer(best, "face", s.frame, m.box.x + m.box.w / 2, m.box.y + m.box.h / 2, 2 * m.confidence);
}

std::vector<std::pair<std::int64_t, std::int64_t>> planRuns(std::int64_t frames) {
    if (frames <= kMostFrames) return {{0, frames}};
    std::vector<std::pair<std::int64_t, std::int64_t>> runs;
    for (std::int64_t i = 0; i < kRuns; ++i) runs.emplace_back((frames - kRunFrames) * i / (kRuns - 1), kRunFrames);
    return runs;
}

/// Joins samples as they come into an Inspection.
class Gathering {
public:
    Gathering(Inspection& out, const InspectWatch& watch) : out_(out), watch_(watch) {}

    void add(Sample&& s, const Plane& luma) {
        std::lock_guard lock(mutex_);
        out_.inside = s.inside;
        overlays_.add(luma);
        offerPlaces(places_, s);
        for (const Mark& m : s.text) out_.text.push_back(m);
        for (const Mark& m : s.faces) out_.faces.push_back(m);
        things_.insert(things_.end(), s.things.begin(), s.things.end());
        for (const ReadingKind& k : readingKinds()) noteWorst(k, s);
        out_.samples.emplace_back(s.frame, s.reading.readings);
        if (s.reading.readings.blocking > strongest_)
            strongest_ = s.reading.readings.blocking, out_.grid = s.reading.grid;
        votes_ += s.reading.readings.combing > 2 ? s.fieldVote : 0;
        drawn_.push_back(s.reading.drawn);
        level_.push_back(s.reading.level);
        straight_.push_back(s.reading.straight);
        if (s.yield) yield_.push_back(*s.yield);
        conclude();
        if (watch_.onPartial) watch_.onPartial(out_);
    }

    void conclude() {
        std::ranges::sort(out_.samples, {}, [](const auto& s) { return s.first; });
        for (const ReadingKind& k : readingKinds()) {
            std::vector<double> v;
            for (const auto& s : out_.samples) v.push_back(s.second.*k.member);
            const double mid = std::string(k.key) == "detail" ? upper(v) : median(v);
            out_.readings.*k.member = mid;
            for (double& x : v) x = std::abs(x - mid);
            // Samples that agree, and enough of them.
            const double scatter = median(v) / std::max({std::abs(mid), 0.5 * k.notable, 0.05});
            out_.confidence[k.key] =
                std::clamp(1 - 0.7 * scatter, 0.1, 0.97) * std::min(1.0, 0.5 + double(v.size()) / 12);
        }
        for (const char* key : {"softness_px", "haloes", "ringing"})
            if (out_.readings.softness == 0) out_.confidence[key] = 0; // no strong edge anywhere
        if (out_.readings.detail == 0) out_.confidence["detail"] = 0;
        out_.readings.yield = yield_.empty() ? 100 : mean(yield_); // of several places
        out_.overlays = overlays_.find();
        if (out_.readings.combing > findReading("combing")->notable) out_.fieldOrder = votes_ >= 0 ? "top" : "bottom";
        decideKind();
        out_.candidates.clear();
        for (const auto& [key, place] : places_) out_.candidates.push_back(place);
    }

    /// What was looked for beside the samples.
    void addSeen(const std::vector<Mark>& faces, const std::vector<Thing>& things) {
        std::lock_guard lock(mutex_);
        out_.faces.insert(out_.faces.end(), faces.begin(), faces.end());
        things_.insert(things_.end(), things.begin(), things.end());
    }
    /// In order of time. Call when all samples are in.
    std::vector<Thing> things() const {
        std::vector<Thing> all = things_;
        std::ranges::stable_sort(all, {}, [](const Thing& t) { return t.mark.frame; });
        return all;
    }

private:
    static double upper(std::vector<double> v) { // the sharpest fifth tells what a clip holds
        if (v.empty()) return 0;
        std::ranges::sort(v);
        return v[v.size() * 4 / 5];
    }

    void noteWorst(const ReadingKind& k, const Sample& s) {
        const double v = s.reading.readings.*k.member;
        Worst& w = out_.worst[k.key];
        const bool first = out_.samples.empty();
        if (!first && (std::string(k.key) == "detail" ? v >= w.value : v <= w.value)) return;
        w = {v, s.frame, {}};
        const auto it = s.reading.maps.find(k.key);
        if (it == s.reading.maps.end()) return;
        const FaultMap pooled = it->second.pooled();
        double most = 0;
        for (int r = 0; r < pooled.rows(); ++r)
            for (int c = 0; c < pooled.columns(); ++c)
                if (pooled.weight(c, r) > 0 && pooled.at(c, r) > most)
                    most = pooled.at(c, r), w.box = pooled.block(c, r).grown(16).intersected(pooled.area());
    }

    // Drawn pictures are few tones with edges between; screens' edges run along rows and columns. Whether a camera took
    // a natural picture cannot be told once it was cleaned or compressed, so that is not guessed.
    void decideKind() {
        const double odds = median(drawn_);
        out_.dark = median(level_) < 0.22;
        out_.kindConfidence = 1 / (1 + std::exp(-std::abs(odds)));
        if (std::abs(odds) < kDoubt)
            out_.kind = "mixed";
        else
            out_.kind = odds < 0 ? "natural" : median(straight_) < 0.6 ? "line art" : "screen";
    }

    Inspection& out_;
    const InspectWatch& watch_;
    std::mutex mutex_;
    Places places_;
    OverlayFinder overlays_;
    double strongest_ = -1;
    int votes_ = 0;
    std::vector<double> drawn_, level_, straight_, yield_;
    std::vector<Thing> things_;
};

// What goes from frame to frame, the camera's path and the fields: a batch behind the decoding, on a thread beside it.
class FrameByFrame {
public:
    FrameByFrame(const VideoFacts& v) : camera(v), most_(std::clamp(batchBytes / frameBytes(v), 1, 16)) {}
    /// Rethrows what an earlier frame threw.
    void add(const av::SharedFrame& f) {
        batch_.push_back(f);
        if (int(batch_.size()) >= most_) flush();
    }
    /// Waits for all frames added.
    void finish() {
        flush();
        tasks_.wait();
    }
    /// Waits, whatever becomes of it.
    void end() {
        batch_.clear();
        try {
            tasks_.wait();
        } catch (...) { // the first reason is told
        }
    }
    CameraFinder camera;
    FieldFinder fields;

private:
    static constexpr int batchBytes = 48 << 20;
    static int frameBytes(const VideoFacts& v) { return std::max(1, v.codedWidth * v.codedHeight * 3); }
    void flush() {
        tasks_.wait();
        tasks_.run([this, frames = std::move(batch_)] {
            for (const av::SharedFrame& f : frames) camera.add(*f), fields.add(*f);
        });
        batch_.clear();
    }
    int most_;
    std::vector<av::SharedFrame> batch_;
    tbb::task_group tasks_;
};

Inspection lookOver(const ClipPtr& clip, const CancelToken& cancel, const InspectWatch& watch) {
    Inspection out;
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(24) << 20);
    const SourceStage source(reader);
    const VideoFacts& v = clip->facts().video;
    out.runs = planRuns(clip->frameCount());
    std::int64_t frames = 0;
    for (const auto& [first, count] : out.runs) frames += count;
    const std::int64_t wanted = std::clamp<std::int64_t>(frames / 25, 6, 20),
                       every = std::max<std::int64_t>(1, frames / wanted);
    out.timing = findTiming(*clip);
    Gathering gathering(out, watch);
    BarFinder bars; // read on by one: what is read of a sample must not depend on which thread was faster
    std::vector<Thumbprint> prints;
    FrameByFrame frameByFrame(v);
    // Kept apart until the readings are done: those copy what is known so far from other threads.
    std::vector<std::int64_t> breaks, cuts, duplicates;
    std::int64_t looked = 0, taken = 0;
    int faceLooks = 0, extraLooks = 0;
    std::int64_t newShotAt = -1; // where a cut may have been, till something was looked for after it
    std::atomic<int> waiting = 0;
    const bool fine = keptFinely(v), large = isLargeFrame(v.codedWidth, v.codedHeight), whole = out.runs.size() == 1;
    tbb::task_group readings, sound;
    SoundReadings heard;
    struct Done {
        std::atomic<int>& left;
        ~Done() { --left; }
    };
    // Decoding waits for the readings: pictures of large clips would pile up in memory.
    const auto makeRoom = [&] {
        if (waiting >= mostWaiting(source.format())) readings.wait();
        if (large && LargeWork::underWay()) {
            readings.wait();
            LargeWork::waitForEnd(cancel);
        }
        ++waiting;
    };
    const auto pictureOf = [&](std::int64_t n) {
        auto picture = std::make_shared<Picture>(Picture::make(source.format(), source.format().frame()));
        source.compute(n, {}, *picture, cancel);
        return picture;
    };
    const auto finishTasks = [&] {
        readings.wait();
        sound.wait();
        frameByFrame.finish();
    };
    try {
        if (!clip->facts().audio.empty()) sound.run([&] { heard = readSoundFaults(clip->path(), kMostSound, cancel); });
        for (const auto& [first, count] : out.runs) {
            const std::size_t start = prints.size();
            for (std::int64_t n = first; n < first + count; ++n, ++looked) {
                cancel.check();
                const DecodedFrame frame = reader->frame(n, cancel);
                prints.push_back(thumbprint(*frame.picture, v.colour.fullRange));
                if (whole) frameByFrame.add(frame.picture);
                if (prints.size() > start + 1 && mayBeCut(prints[prints.size() - 2], prints.back())) newShotAt = n;
                const bool reads = looked % every == every / 2;
                if (whole && !reads && newShotAt >= 0 && n - newShotAt >= kIntoShot && extraLooks < kMostExtra) {
                    newShotAt = -1;
                    ++extraLooks;
                    makeRoom();
                    readings.run([&gathering, &waiting, picture = pictureOf(n), n] {
                        const Done done{waiting};
                        gathering.addSeen(findFacesInTurn(*picture, n, 0), findThings(*picture, n));
                    });
                }
                if (reads) {
                    makeRoom();
                    const std::shared_ptr<Picture> picture = pictureOf(n),
                                                   next = n + 1 < first + count ? pictureOf(n + 1) : nullptr;
                    bars.add(picture->planes[0]);
                    const Rect inside = bars.inside();
                    const bool yield = taken % kYieldEvery == 0;
                    const int turn = static_cast<int>(taken / kYieldEvery);
                    std::optional<int> faces; // which part of the picture is looked at for them
                    if (taken % 4 == 1 || wanted <= 6) faces = faceLooks++;
                    const bool things = whole && taken % 2 == 1;
                    ++taken;
                    const std::optional<double> quantiser = fine ? 0 : meanQuantiser(*frame.picture);
                    readings.run(
                        [&gathering, &waiting, picture, next, n, faces, things, yield, turn, quantiser, inside] {
                            const Done done{waiting};
                            const Picture seen = picture->view(readPart(inside, picture->area));
                            const Plane luma = seen.planes[0];
                            const std::optional<Plane> then =
                                next ? std::optional(next->planes[0].view(seen.area)) : std::nullopt;
                            Sample s{.frame = n,
                                     .reading = lookAt(seen, then ? &*then : nullptr),
                                     .text = findText(picture->planes[0], n),
                                     .inside = inside};
                            Readings& r = s.reading.readings;
                            if (quantiser) r.compression = compressionBy(*quantiser, r.compression, r.blocking);
                            if (yield) s.yield = yieldOf(luma, turn);
                            if (faces) s.faces = findFacesInTurn(*picture, n, *faces);
                            if (things) s.things = findThings(*picture, n);
                            if (then && s.reading.readings.combing > 2) s.fieldVote = fieldVote(luma, *then);
                            gathering.add(std::move(s), picture->planes[0]);
                        });
                }
                if (watch.onProgress) watch.onProgress(0.97 * double(looked + 1) / double(frames));
            }
            const std::vector<Thumbprint> run(prints.begin() + static_cast<std::ptrdiff_t>(start), prints.end());
            const auto here = findCuts(run);
            for (const auto c : here) cuts.push_back(first + c), breaks.push_back(std::int64_t(start) + c);
            for (const auto d : findDuplicates(run, here)) duplicates.push_back(first + d);
            if (start) breaks.push_back(static_cast<std::int64_t>(start));
        }
        finishTasks();
    } catch (...) {
        frameByFrame.end();
        try {
            finishTasks();
        } catch (...) { // the first reason is told
        }
        throw;
    }
    out.cuts = std::move(cuts);
    out.duplicates = std::move(duplicates);
    out.framesLooked = frames;
    out.framesLost = reader->lostFrames();
    out.sound = heard;
    gathering.conclude();
    out.inside = bars.inside();
    std::ranges::sort(out.text, {}, &Mark::frame);
    std::ranges::sort(out.faces, {}, &Mark::frame);
    if (out.runs.size() == 1) {
        out.repeats = repeatPattern(out.duplicates, frames);
        out.pulldown = frameByFrame.fields.pulldown(out.cuts);
        tbb::parallel_invoke(
            [&] {
                out.subject = findSubject(prints, out.cuts, {out.faces, gathering.things()},
                                          {v.rotation, v.mirrored, v.width, v.height}, v.fps);
            },
            [&] { out.movement = findMovement(prints, breaks, out.duplicates, v.fps, v.width, v.height); });
        const CameraFinder& camera = frameByFrame.camera;
        out.camera = camera.moves();
        for (const std::int64_t cut : out.cuts) out.camera[std::size_t(cut)] = {};
        const Tremble tremble = trembleOf(out.camera, out.cuts, v.fps);
        out.movement.cameraTrust = camera.trust();
        out.movement.shake = camera.trust() < 0.5 ? 0 : tremble.size * std::max(v.width, v.height);
        out.movement.shakiest = tremble.most;
    } else
        out.movement = findMovement(prints, breaks, {}, v.fps, v.width, v.height);
    if (out.movement.fast && !out.movement.change.empty() && out.runs.size() == 1) {
        const auto most = std::ranges::max_element(out.movement.change) - out.movement.change.begin();
        out.candidates.push_back({"motion", most, source.format().width / 2, source.format().height / 2, 0.6});
    }
    out.complete = true;
    if (watch.onProgress) watch.onProgress(1);
    return out;
}

} // namespace

Inspection inspectClip(const ClipPtr& clip, const CancelToken& cancel, const InspectWatch& watch) {
    return guarded(clip->path(), [&] { return lookOver(clip, cancel, watch); });
}

std::vector<WatchPlace> choosePlaces(const Inspection& i, const std::vector<Rect>& windows, int apart) {
    std::map<std::string, const WatchPlace*> strongest;
    std::vector<WatchPlace> inside, chosen;
    for (const WatchPlace& c : i.candidates)
        if (std::ranges::any_of(windows, [&](const Rect& w) { return w.contains({c.x, c.y, 1, 1}); }))
            inside.push_back(c);
    std::ranges::sort(inside, std::greater{}, &WatchPlace::value);
    const auto take = [&](const auto& fits) {
        for (const WatchPlace& c : inside) {
            const auto near = [&](const WatchPlace& k) { return std::hypot(k.x - c.x, k.y - c.y) < apart; };
            const auto same = [&](const WatchPlace& k) { return k.what == c.what; };
            if (fits(c) && std::ranges::none_of(chosen, near) && std::ranges::none_of(chosen, same))
                chosen.push_back(c);
        }
    };
    // The worst faults first; then what any treatment puts at risk.
    take([](const WatchPlace& c) { return c.what != "softness_px" && c.what != "texture" && c.value >= 1; });
    take([](const WatchPlace& c) { return c.what == "texture" || c.what == "softness_px"; });
    take([](const WatchPlace&) { return true; });
    return chosen;
}

std::vector<TimedBox> Inspection::faceBoxes() const {
    std::vector<TimedBox> all;
    for (const Mark& m : faces) all.push_back({m.frame, m.box});
    return all;
}

Inspection knowing(const Readings& r) {
    Inspection i;
    i.readings = r;
    return i;
}

} // namespace ulm
