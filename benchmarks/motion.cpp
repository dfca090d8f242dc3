#include "benchmarks/motion.h"

#include "core/base/error.h"
#include "core/engine/engine.h"
#include "core/engine/resample_stage.h"
#include "core/inspect/inspection.h"
#include "core/judge/measures.h"
#include "core/media/filter_graph.h"
#include "core/media/frame_convert.h"
#include "core/media/source_stage.h"
#include "core/motion/between_stage.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

#include <algorithm>
#include <filesystem>
#include <map>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

namespace ulm::bench {
namespace {

namespace fs = std::filesystem;

constexpr int kFrames = 61, kLargeFrames = 31; // looked at of each movie

av::Frame codesOf(const Picture& p) { return toFrame(p, AV_PIX_FMT_YUV420P); }

Picture pictureOf(const AVFrame& frame, const PictureFormat& f) {
    Picture p = Picture::make(f, f.frame());
    toPicture(frame, p);
    return p;
}

// Frames that are at hand already, so that no reading is timed.
class HeldStage : public Stage {
public:
    HeldStage(std::vector<Picture> all, const std::string& name)
        : Stage({}, all.front().format, KeyMaker("held").add(name)), all_(std::move(all)) {}
    const char* name() const override { return "held"; }
    std::int64_t frames() const override { return static_cast<std::int64_t>(all_.size()); }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (std::size_t c = 0; c < 3; ++c) copySamples(all_[std::size_t(n)].planes[c], out.planes[c]);
    }

private:
    std::vector<Picture> all_;
};

// A movie's frames, of which every second one is taken out.
struct Taken {
    std::string name;
    std::vector<Picture> frames;
    std::vector<std::int64_t> cuts; ///< first frames of shots
    bool crosses(std::int64_t odd) const {
        return std::ranges::any_of(cuts, [odd](std::int64_t c) { return c == odd || c == odd + 1; });
    }
};

// 4:2:0 of 8 bits, `lines` high (0: as it is).
Taken take(const std::string& path, std::int64_t from, int count, int lines) {
    const ClipPtr clip = Clip::openVideo(path);
    const auto reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(64) << 20);
    StagePtr s = std::make_shared<SourceStage>(reader);
    PictureFormat f = s->format();
    f.width = f.width / 2 * 2, f.height = f.height / 2 * 2, f.subW = f.subH = 1, f.bitDepth = 8;
    f.colour.fullRange = false;
    if (lines) f.width = f.width * lines / f.height / 2 * 2, f.height = lines;
    if (!(f == s->format()))
        s = std::make_shared<ResampleStage>(
            s, ScaleWindow{0, 0, double(s->format().width), double(s->format().height), f.width, f.height},
            Kernel::Bicubic, f);
    Taken t{fs::path(path).stem().string(), {}, {}};
    Engine engine(std::size_t(64) << 20);
    for (std::int64_t n = from; n < std::min(clip->frameCount(), from + count); ++n) {
        Picture p = engine.pull(*s, n, f.frame(), {}, Engine::Keep::Inputs);
        t.frames.push_back(pictureOf(*codesOf(p), f));
    }
    if (t.frames.size() % 2 == 0) t.frames.pop_back();
    for (const std::int64_t c : inspectClip(clip, {}).cuts) t.cuts.push_back(c - from);
    return t;
}

struct Made {
    std::map<std::int64_t, double> psnr; ///< of each frame that was made again, cuts left out
    double seconds = 0;                  ///< for each, on all cores
};

// Of those frames that `other` made too: minterpolate leaves the last ones out.
double mean(const Made& m, const Made& other) {
    double sum = 0;
    int count = 0;
    for (const auto& [n, db] : m.psnr)
        if (other.psnr.contains(n)) sum += db, ++count;
    return sum / std::max(1, count);
}

// As it would be delivered, in 8 bits.
double psnrDelivered(const Picture& truth, const Picture& made) {
    return psnr(truth.planes[0], pictureOf(*codesOf(made), made.format).planes[0]);
}

Made ours(const Taken& t, Between method, int cores, Unsure unsure) {
    std::vector<Picture> even;
    for (std::size_t n = 0; n < t.frames.size(); n += 2) even.push_back(t.frames[n]);
    const auto pairs = static_cast<std::int64_t>(even.size()) - 1;
    BetweenClock clock{pairs, KeyMaker("halfway"), [](std::int64_t n) { return BetweenInstant{n, 0.5}; }, {}};
    for (const std::int64_t c : t.cuts) clock.cuts.push_back((c + 1) / 2);
    const StagePtr held = std::make_shared<HeldStage>(std::move(even), t.name),
                   s = inBetween(held, held, clock, method, unsure);
    std::vector<Picture> made(static_cast<std::size_t>(pairs));
    Made m;
    tbb::task_arena arena(cores);
    m.seconds = seconds([&] {
                    arena.execute([&] {
                        Engine engine(std::size_t(256) << 20);
                        tbb::parallel_for(std::int64_t(0), pairs, [&](std::int64_t n) {
                            made[std::size_t(n)] = engine.pull(*s, n, s->format().frame(), {}, Engine::Keep::Inputs);
                        });
                    });
                }) /
                double(pairs);
    for (std::int64_t n = 0; n < pairs; ++n)
        if (!t.crosses(2 * n + 1))
            m.psnr[2 * n + 1] = psnrDelivered(t.frames[std::size_t(2 * n + 1)], made[std::size_t(n)]);
    return m;
}

Made theirs(const Taken& t) {
    const auto check = [](int e) {
        if (e < 0) throw Error(Fault::Usage, "", "libavfilter's minterpolate cannot be used: " + av::errorText(e), "");
    };
    const PictureFormat& f = t.frames.front().format;
    const std::string source = "width=" + std::to_string(f.width) + ":height=" + std::to_string(f.height) +
                               ":pix_fmt=yuv420p:time_base=1/25:frame_rate=25/1";
    FilterGraph graph;
    check(graph.build("buffer", source, "minterpolate=fps=50:mi_mode=mci:mc_mode=obmc:me_mode=bidir", "buffersink"));
    std::vector<av::Frame> given, made;
    for (std::size_t n = 0; n < t.frames.size(); n += 2) {
        given.push_back(codesOf(t.frames[n]));
        given.back()->pts = static_cast<std::int64_t>(n / 2);
    }
    Made m;
    m.seconds = seconds([&] {
        const auto drain = [&] {
            for (;;) {
                av::Frame frame(av_frame_alloc());
                if (av_buffersink_get_frame(graph.out(), frame.get()) < 0) return;
                made.push_back(std::move(frame));
            }
        };
        for (av::Frame& g : given) {
            check(av_buffersrc_add_frame(graph.in(), g.get()));
            drain();
        }
        check(av_buffersrc_add_frame(graph.in(), nullptr));
        drain();
    });
    int count = 0;
    for (const av::Frame& frame : made) {
        if (frame->pts % 2 == 0) continue; // given ones pass through
        ++count;
        const auto odd = static_cast<std::size_t>(frame->pts);
        if (odd < t.frames.size() && !t.crosses(std::int64_t(odd)))
            m.psnr[frame->pts] = psnr(t.frames[odd].planes[0], pictureOf(*frame, f).planes[0]);
    }
    m.seconds /= std::max(1, count);
    return m;
}

std::string signedDb(double v) { return (v < 0 ? "−" : "+") + fixedPoint(std::abs(v), 2); }

} // namespace

std::vector<Row> motionRows(const std::vector<std::string>& masters, const std::vector<std::string>& samples) {
    struct Look {
        std::string path;
        std::int64_t from;
    };
    std::vector<Look> looks;
    for (const std::string& m : masters) looks.push_back({m, 20});
    const std::map<std::string, int> real{
        {"Megamind.avi", 100}, {"vtest.avi", 0}, {"cockatoo.mp4", 0}, {"cityCC0.mpg", 0}, {"birds.mp4", 0}};
    for (const std::string& folder : samples)
        for (const auto& entry : fs::recursive_directory_iterator(folder))
            if (const auto known = real.find(entry.path().filename().string()); known != real.end())
                looks.push_back({entry.path().string(), known->second});
    std::vector<Row> rows;
    for (const int lines : {0, 1080}) {
        struct Sum {
            double gain = 0, least = 1e9, speed = 1e9;
        } careful, fast, wholeCareful, wholeFast;
        std::string table;
        for (const Look& l : looks) {
            const Taken t = take(l.path, l.from, lines ? kLargeFrames : kFrames, lines);
            const auto run = [&](Between m, Unsure u, int cores = 2) { return ours(t, m, cores, u); };
            Made other = theirs(t), c = run(Between::Careful, Unsure::Mix), f = run(Between::Fast, Unsure::Mix),
                 wc = run(Between::Careful, Unsure::Whole), wf = run(Between::Fast, Unsure::Whole);
            // Each the quietest of three runs, taken in turn: what else runs here may slow any of them. Things kept
            // whole, as is usual, take a little longer.
            for (int more = 0; more < 2; ++more) {
                other.seconds = std::min(other.seconds, theirs(t).seconds);
                wc.seconds = std::min(wc.seconds, run(Between::Careful, Unsure::Whole).seconds);
                wf.seconds = std::min(wf.seconds, run(Between::Fast, Unsure::Whole).seconds);
            }
            c.seconds = wc.seconds, f.seconds = wf.seconds;
            if (lines && &l == &looks.front()) {
                const double one = std::min(run(Between::Careful, Unsure::Whole, 1).seconds,
                                            run(Between::Careful, Unsure::Whole, 1).seconds);
                rows.push_back({"in-betweens, careful, from one core to two", "the same frames at 1080 lines",
                                fixedPoint(one / c.seconds, 2) + "× as fast", "", true});
            }
            const auto judge = [&](Sum& s, const Made& m) {
                const double gain = mean(m, other) - mean(other, m);
                s.gain += gain / double(looks.size());
                s.least = std::min(s.least, gain);
                s.speed = std::min(s.speed, other.seconds / m.seconds);
                return signedDb(gain);
            };
            const auto both = [&](Sum& mixed, const Made& mix, Sum& kept, const Made& whole) {
                const std::string told = judge(mixed, mix);
                return told + " (whole " + judge(kept, whole) + ") " + fixedPoint(other.seconds / mix.seconds, 1) + "×";
            };
            table += (table.empty() ? "" : ", ") + t.name + " " + fixedPoint(mean(other, c), 1) + " dB " +
                     fixedPoint(1000 * other.seconds, 0) + " ms: careful " + both(careful, c, wholeCareful, wc) +
                     ", fast " + both(fast, f, wholeFast, wf);
        }
        const std::string at = lines ? " at 1080 lines" : "";
        const auto row = [&](const char* name, const Sum& s, double asked) {
            rows.push_back(
                {std::string("in-betweens, ") + name + ", mixed where unsure" + at + ", against minterpolate",
                 "every second frame made again, PSNR-Y: gain on average (least); times as fast, least, the quietest "
                 "of three runs each",
                 signedDb(s.gain) + " dB (" + signedDb(s.least) + "); " + fixedPoint(s.speed, 1) + "×",
                 "≥ 0.5 dB, none worse; ≥ " + fixedPoint(asked, 0) + "×",
                 s.gain >= 0.5 && s.least >= 0 && s.speed >= asked});
        };
        row("careful", careful, 4);
        row("fast", fast, 10);
        const auto kept = [](const Sum& s) { return signedDb(s.gain) + " dB (" + signedDb(s.least) + ")"; };
        rows.push_back({"in-betweens, things kept whole where unsure" + at + ", against minterpolate",
                        "as delivered unless asked otherwise: PSNR-Y as above, careful; fast. One pose of a limb is "
                        "whole, and further from the truth on average than two at once",
                        kept(wholeCareful) + "; " + kept(wholeFast), "", true});
        rows.push_back({"in-betweens, each movie" + at, "minterpolate; ours against it", table, "", true});
    }
    return rows;
}

} // namespace ulm::bench
