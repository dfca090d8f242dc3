// ulmwood-bench DEMO-FOLDER [ROW…]: measures what docs/testing.md lists and writes docs/bench.md and docs/bench.json.
#include "benchmarks/finishing.h"
#include "benchmarks/measure.h"
#include "benchmarks/motion.h"
#include "benchmarks/networks.h"

#include "core/deliver/export.h"
#include "core/deliver/forecast.h"
#include "core/deliver/memory.h"
#include "core/engine/work_plan.h"
#include "core/inspect/inspection.h"
#include "core/judge/compare.h"
#include "core/judge/measures.h"
#include "core/judge/self_check.h"
#include "core/judge/trial.h"
#include "core/media/frame_convert.h"
#include "core/media/sound_reader.h"
#include "core/picture/opencv_memory.h"

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <iostream>
#include <sstream>
#include <tbb/parallel_for.h>

using namespace ulm;
using namespace ulm::bench;
namespace fs = std::filesystem;

namespace {

constexpr const char* kClips[] = {"wheel", "glaze", "shelf", "kiln", "hands", "ident"};

class Bench {
public:
    Bench(fs::path demo, fs::path programs)
        : demo_(std::move(demo)), programs_(std::move(programs)), work_(fs::temp_directory_path() / "ulmwood-bench") {
        fs::remove_all(work_);
        fs::create_directories(work_);
    }
    ~Bench() { fs::remove_all(work_); }

    std::vector<Row> rows;

    void spots() {
        const auto reader = open("wheel.mp4", PacketDecoder::Threads::Single);
        const Readings readings = inspectClip(Clip::openVideo(path("wheel.mp4")), {}).readings;
        Ticket t = loadTicket(path("wheel.ticket.json"));
        setByAssignment(t, "clean.noise=4");
        setByAssignment(t, "enlarge.method=learned");
        std::vector<double> spot, four, cold, whole;
        Engine engine(std::size_t(256) << 20);
        for (int i = 0; i < 40; ++i) {
            t.clean.blocks = {From::Fixed, 10.0 + i, 0}; // the control moved is the first of the chain
            const DeliveryPtr pMade = resolve(reader, knowing(readings), t);
            const Delivery& p = *pMade;
            const StagePtr rgb = asRgb(p.result);
            const Rect places[] = {
                {300, 600, 192, 192}, {700, 900, 192, 192}, {200, 1500, 192, 192}, {640, 300, 192, 192}};
            spot.push_back(seconds([&] { engine.pull(*rgb, 100, places[0], {}); }));
            t.clean.blocks.value += 0.5;
            const DeliveryPtr qMade = resolve(reader, knowing(readings), t);
            const Delivery& q = *qMade;
            const StagePtr all = asRgb(q.result);
            four.push_back(
                seconds([&] { tbb::parallel_for(0, 4, [&](int k) { engine.pull(*all, 100, places[k], {}); }); }));
            if (i % 4 == 0) {
                Engine fresh(std::size_t(256) << 20);
                whole.push_back(seconds([&] { fresh.pull(*rgb, 100, rgb->format().frame(), {}); }));
                Engine empty(std::size_t(256) << 20);
                cold.push_back(seconds([&] { empty.pull(*rgb, 100, places[0], {}); }));
            }
        }
        const double ratio = median(whole) / median(spot);
        add("live spot",
            "exact 192×192 of 1080×1920, full ticket and network, first control moved, against the whole frame, one "
            "core "
            "each",
            "1/" + fixedPoint(ratio, 1), "≤ 1/15", ratio >= 15);
        add("live spot, against an empty cache", "the same spot computed with nothing kept",
            fixedPoint(median(spot) / median(cold), 2) + "×", "", true);
        const double p95 = percentile(four, 0.95) * 1000;
        add("four spots together", "p50 / p95 after a change, full network, 2 cores",
            fixedPoint(median(four) * 1000, 0) + " / " + fixedPoint(p95, 0) + " ms", "p95 ≤ 120 ms", p95 <= 120);
    }

    // What memory networks take for large results, and whether it is told beforehand.
    void sizes() {
        makeLarge("large.mp4", 64);
        const std::string cli = (programs_ / "cli/ulmwood-cli").string(), clip = (work_ / "large.mp4").string();
        const ChildUse frame = runChild({cli, "frame", clip, "--at", "1", "-o", (work_ / "f.png").string(), "--replace",
                                         "--set", "enlarge.size=3840x2160"});
        add("memory for one frame of 3840×2160", "peak resident, full network, from 1920×1080",
            fixedPoint(frame.peakMb, 0) + " MB", "≤ 600 MB", frame.code == 0 && frame.peakMb <= 600);
        const ChildUse movie = runChild({cli, "render", clip, "-o", (work_ / "8k.mp4").string(), "--replace", "--set",
                                         "enlarge.size=7680x4320", "--set", "enlarge.method=learned-quick"});
        Ticket t;
        setByAssignment(t, "enlarge.size=7680x4320");
        const auto reader =
            std::make_shared<FrameReader>(Clip::openVideo(clip), PacketDecoder::Threads::Single, std::size_t(64) << 20);
        const double told = double(renderBytes(*resolve(reader, nullptr, t), 2, ExportJob{}.cacheBytes)) / 1048576;
        add("memory for a movie of 7680×4320",
            "peak resident, quick network, 64 frames from 1920×1080; told beforehand: " + fixedPoint(told, 0) + " MB",
            fixedPoint(movie.peakMb, 0) + " MB", "≤ 3 GB", movie.code == 0 && movie.peakMb <= 3072);
    }

    // Looking a clip over, against decoding its pictures and sound and doing nothing with them.
    void inspection() {
        double worst = 0;
        std::string each;
        std::vector<std::pair<std::string, std::string>> clips = {
            {"360p", path("wheel.mp4")}, {"720p", path("masters/hands.mp4")}, {"long", (work_ / "sixty.mp4").string()}};
        makeLong("sixty.mp4", 1500);
        for (const auto& [name, file] : clips) {
            const ClipPtr clip = Clip::openVideo(file);
            double decode = 1e9, inspect = 1e9;
            for (int round = 0; round < 3; ++round) {
                decode = std::min(decode, seconds([&] {
                                      FrameReader reader(clip, PacketDecoder::Threads::Frames, std::size_t(24) << 20);
                                      for (std::int64_t n = 0; n < clip->frameCount(); ++n) reader.frame(n, {});
                                      if (!clip->facts().audio.empty()) readSound(file, 600, {});
                                  }));
                inspect = std::min(inspect, seconds([&] { inspectClip(clip, {}); }));
            }
            worst = std::max(worst, inspect / decode);
            each += (each.empty() ? "" : ", ") + name + " " + fixedPoint(inspect / decode, 2) + "×";
        }
        add("inspection", "against decoding the clip, quietest of 3 each", each, "≤ 2×", worst <= 2);
    }

    // Nine candidates on four spots, against nine times one candidate on them.
    void trials() {
        const auto reader = open("wheel.mp4", PacketDecoder::Threads::Single);
        const Ticket t = loadTicket(path("wheel.ticket.json"));
        const Rect places[] = {{300, 600, 192, 192}, {700, 900, 192, 192}, {200, 1500, 192, 192}, {640, 300, 192, 192}};
        Readings read;
        read.blocking = 19;
        const auto candidates = ramp(t, "clean.blocks", knowing(read), 9);
        std::vector<double> ratios;
        for (int round = 0; round < 5; ++round) {
            const auto fill = [&](std::size_t count) {
                Engine engine(std::size_t(256) << 20);
                return seconds([&] {
                    for (const Rect& place : places)
                        tbb::parallel_for(std::size_t(0), count, [&](std::size_t k) {
                            const DeliveryPtr pMade =
                                resolve(reader, knowing(Readings{19, 1}), candidates[(k + 4) % 9].ticket);
                            const Delivery& p = *pMade;
                            engine.pull(*asRgb(p.result), 100, place, {});
                        });
                });
            };
            const double one = fill(1);
            ratios.push_back(fill(9) / (9 * one));
        }
        const double r = median(ratios);
        add("trials", "9 candidates × 4 spots, against 9 × the time of one set of spots", fixedPoint(r, 2) + "×",
            "≤ 1×", r <= 1);
    }

    void stall() {
        const std::string program = (programs_ / "bench/ulmwood-stall").string();
        if (!fs::exists(program)) return;
        ::setenv("QT_QPA_PLATFORM", "offscreen", 0);
        double longest = 0, p99 = 0, best = 1e9, bestP99 = 0;
        for (int i = 0; i < 3; ++i) {
            const ChildUse u = runChild({program, path("wheel.mp4")});
            if (std::sscanf(u.out.c_str(), "longest %lf ms, p99 %lf ms", &longest, &p99) == 2 && longest < best)
                best = longest, bestP99 = p99;
        }
        add("interface stall", "longest / p99 while a render runs and a slider moves 25 times a second, quietest of 3",
            fixedPoint(best, 0) + " / " + fixedPoint(bestP99, 0) + " ms", "≤ 50 ms", best <= 50);
    }

    void downstream() {
        const auto reader = open("wheel.mp4", PacketDecoder::Threads::Single);
        Ticket t = loadTicket(path("wheel.ticket.json"));
        std::vector<double> cold, warm;
        for (int i = 0; i < 6; ++i) {
            Engine engine(std::size_t(512) << 20);
            const auto view = [&](double amount) {
                t.finish.amount = amount;
                const DeliveryPtr pMade = resolve(reader, knowing(Readings{20, 4}), t);
                const Delivery& p = *pMade;
                return seconds([&] {
                    engine.pullTiles(*p.result, 100, p.result->format().frame(), 256, 540, 960, {},
                                     [](const Picture&) {});
                });
            };
            reader->frame(100, {});
            cold.push_back(view(0.5));
            warm.push_back(view(0.9));
        }
        const double ratio = median(warm) / median(cold);
        add("view refresh after a change of Finish", "whole view, against an empty cache",
            "1/" + fixedPoint(1 / ratio, 1), "≤ 1/5", ratio <= 0.2);
    }

    void transcode() {
        const std::string clip = path("masters/shelf.mp4");
        Ticket t;
        setByAssignment(t, "sound.mode=drop");
        std::vector<double> ratios;
        for (int i = 0; i < 3; ++i) {
            ExportJob job{clip, (work_ / "plain.mp4").string(), t};
            job.replace = true;
            const double ours = seconds([&] { exportClip(job, {}); });
            const double direct = seconds([&] { transcodeDirectly(clip, (work_ / "direct.mp4").string()); });
            ratios.push_back(ours / direct);
        }
        const double r = median(ratios);
        add("plain transcode", "no steps on, 1280×720, against the same encoder driven directly through libav*",
            fixedPoint(r, 2) + "×", "≤ 1.10×", r <= 1.10);
    }

    void overlap() {
        const std::string clip = path("kiln.mp4");
        Ticket t = loadTicket(path("kiln.ticket.json"));
        setByAssignment(t, "stretch.from=2");
        setByAssignment(t, "stretch.to=5");
        const Inspection inspection = inspectClip(Clip::openVideo(clip), {});
        ExportJob job{
            clip, (work_ / "overlap.mp4").string(), t, std::nullopt, std::make_shared<const Inspection>(inspection),
            true};
        const auto reader = open("kiln.mp4", PacketDecoder::Threads::Frames);
        const DeliveryPtr pMade = resolve(reader, inspection, t);
        const Delivery& p = *pMade;
        double wall = 1e9, stages = 1e9, encode = 1e9, core = 1e9; // seconds
        // Others share this machine: the quietest of three rounds of each counts.
        for (int round = 0; round < 3; ++round) {
            wall = std::min(wall, seconds([&] { exportClip(job, {}); }));
            Engine engine(std::size_t(160) << 20);
            std::vector<av::Frame> frames(static_cast<std::size_t>(p.frames()));
            core = std::min(
                core, coreSeconds([&] {
                    stages = std::min(stages, seconds([&] {
                                          tbb::parallel_for(std::size_t(0), frames.size(), [&](std::size_t n) {
                                              frames[n] = deliveredPicture(engine, p, std::int64_t(n), {});
                                          });
                                      }));
                    encode = std::min(
                        encode, seconds([&] {
                            MovieWriter w((work_ / "encode.mp4").string(), "mp4", encodingFor(p), std::nullopt);
                            for (std::size_t n = 0; n < frames.size(); ++n)
                                w.write(*frames[n], p.clock.pts(std::int64_t(n)), p.clock.duration(std::int64_t(n)));
                            w.finish();
                        }));
                }));
        }
        const double floor = std::max({core / workPlan().cores, stages, encode});
        add("export with steps",
            "wall against what its stages and its encoder take of the processor, over " +
                std::to_string(workPlan().cores) + " cores, or alone where that is more (stages " +
                fixedPoint(stages, 1) + " s, encoder " + fixedPoint(encode, 1) + " s, both " + fixedPoint(core, 1) +
                " s of a core)",
            fixedPoint(wall / floor, 2) + "×", "≤ 1.05×", wall / floor <= 1.05);
    }

    void memory() {
        makeLong("ten.mp4", 250);
        makeLong("sixty.mp4", 1500);
        std::vector<double> peaks;
        for (const char* name : {"ten.mp4", "sixty.mp4"}) {
            const ChildUse u = runChild({(programs_ / "cli/ulmwood-cli").string(), "render", (work_ / name).string(),
                                         "-o", (work_ / "mem.mp4").string(), "--replace", "--set", "clean.blocks=8",
                                         "--set", "enlarge.size=1080x1920", "--set", "finish.sharpen.amount=0.4"});
            if (u.code) throw Error(Fault::Output, name, "the render failed", "");
            peaks.push_back(u.peakMb);
        }
        const double growth = peaks[1] / peaks[0];
        add("memory", "peak resident, 1080×1920, 10 s and 60 s",
            fixedPoint(peaks[0], 0) + " and " + fixedPoint(peaks[1], 0) + " MB (×" + fixedPoint(growth, 3) + ")",
            "≤ 1.5 GB, equal within 5 %", peaks[1] < 1536 && growth < 1.05);
        // Of in-betweens the heaviest: every frame made, and enlarged.
        const std::string clip = path("wheel.mp4");
        std::vector<std::string> command = {
            (programs_ / "cli/ulmwood-cli").string(), "render", clip, "-o", (work_ / "slow.mp4").string(), "--replace"};
        Ticket t;
        for (const char* set :
             {"motion.fps=60", "motion.speed=70", "enlarge.size=1080x1920", "enlarge.method=lanczos", "stretch.to=2"}) {
            setByAssignment(t, set);
            command.insert(command.end(), {"--set", set});
        }
        const ChildUse use = runChild(command);
        const double told = double(renderBytes(*resolve(open("wheel.mp4", PacketDecoder::Threads::Single), nullptr, t),
                                               2, ExportJob{}.cacheBytes)) /
                            1048576;
        add("memory for in-betweens of 1080×1920", "peak resident; told beforehand: " + fixedPoint(told, 0) + " MB",
            fixedPoint(use.peakMb, 0) + " MB", "≤ what was told", use.code == 0 && use.peakMb <= told);
    }

    void landing() {
        double least = 1, most = 0;
        int landed = 0;
        for (const char* name : kClips) {
            const std::string clip = path(std::string(name) + ".mp4");
            Ticket t;
            setByAssignment(t, "deliver.quality=best");
            ExportJob free{clip, (work_ / "free.mp4").string(), t, std::nullopt, nullptr, true};
            const double best = double(exportClip(free, {}).bytes);
            for (const double share : {0.8, 0.55, 0.4}) {
                Ticket s;
                setByAssignment(s, "deliver.size_mb=" + fixedPoint(best * share / 1e6, 3));
                ExportJob job{clip, (work_ / "landed.mp4").string(), s, std::nullopt, nullptr, true};
                try {
                    const ExportReport r = exportClip(job, {});
                    const double k = double(r.bytes) / double(r.limitBytes);
                    least = std::min(least, k);
                    most = std::max(most, k);
                    ++landed;
                } catch (const Error& e) {
                    if (e.fault != Fault::CannotFit) throw;
                }
            }
        }
        add("size landing",
            std::to_string(landed) +
                " deliveries of the demo's clips at 80, 55 and 40 % of their best size: result / limit",
            fixedPoint(100 * least, 1) + "…" + fixedPoint(100 * most, 2) + " %", "never over; ≥ 97 %",
            most <= 1 && least >= 0.97);
    }

    void forecast() {
        forecastOf("no steps", kClips, false);
        constexpr const char* worked[] = {"wheel", "shelf", "hands"};
        forecastOf("whole tickets", worked, true);
    }

    void forecastOf(const std::string& what, std::span<const char* const> clips, bool wholeTicket) {
        double worst = 0;
        std::string each;
        for (const std::string name : clips) {
            const std::string clip = path(name + ".mp4");
            const auto reader = open(name + ".mp4", PacketDecoder::Threads::Frames);
            const Inspection inspection = inspectClip(Clip::openVideo(clip), {});
            Ticket t;
            if (wholeTicket) t = loadTicket(path(name + ".ticket.json"));
            setByAssignment(t, "sound.mode=drop");
            const DeliveryPtr pMade = resolve(reader, inspection, t);
            const Delivery& p = *pMade;
            Engine engine(std::size_t(64) << 20);
            const double crf = kH264.good, predicted = forecastSize(engine, p, {crf}, {}).bytesAt(crf);
            ExportJob job{clip,
                          (work_ / "forecast.mp4").string(),
                          t,
                          std::nullopt,
                          std::make_shared<const Inspection>(inspection),
                          true};
            const double real = double(exportClip(job, {}).bytes);
            worst = std::max(worst, std::abs(predicted / real - 1));
            each += (each.empty() ? "" : ", ") + name + " " + (predicted > real ? "+" : "") +
                    fixedPoint(100 * (predicted / real - 1), 1) + " %";
        }
        add("size forecast, " + what, "good quality: predicted against real",
            "within " + fixedPoint(100 * worst, 1) + " % (" + each + ")", "within 8 %", worst <= 0.08);
    }

    void start() {
        const std::string app = (programs_ / "app/ulmwood").string();
        if (!fs::exists(app)) return;
        ::setenv("XDG_DATA_HOME", (work_ / "home").c_str(), 1);
        ::setenv("QT_QPA_PLATFORM", "offscreen", 0);
        std::vector<double> shown, opened;
        for (int i = 0; i < 7; ++i) {
            fs::remove_all(work_ / "home");
            const ChildUse u = runChild({app, "--time-start", path("wheel.mp4")});
            double a = 0, b = 0;
            if (std::sscanf(u.out.c_str(), "window %lf ms, first picture %lf ms", &a, &b) == 2)
                shown.push_back(a), opened.push_back(b - a);
        }
        if (shown.empty()) throw Error(Fault::Output, app, "--time-start printed nothing", "");
        add("start", "launch to a usable window, quietest of 7", fixedPoint(std::ranges::min(shown), 0) + " ms",
            "≤ 1 s", std::ranges::min(shown) <= 1000);
        add("open", "a clip to its first picture, quietest of 7", fixedPoint(std::ranges::min(opened), 0) + " ms",
            "≤ 0.4 s", std::ranges::min(opened) <= 400);
    }

    void gains() {
        for (const char* name : kClips) {
            const std::string n = name;
            const auto bad = open(n + ".mp4", PacketDecoder::Threads::Frames),
                       good = open("masters/" + n + "-small.mp4", PacketDecoder::Threads::Frames);
            const Readings r = inspectClip(Clip::openVideo(path(n + ".mp4")), {}).readings;
            Ticket t;
            setByAssignment(t, "clean.blocks=measured");
            setByAssignment(t, "clean.noise=measured");
            const DeliveryPtr pMade = resolve(bad, knowing(r), t);
            const Delivery& p = *pMade;
            const SourceStage truth(good);
            Engine engine(std::size_t(64) << 20);
            double before = 0, after = 0, sBefore = 0, sAfter = 0;
            int count = 0;
            for (std::int64_t f = 5; f < p.source->frames(); f += 20, ++count) {
                const Rect all = truth.format().frame();
                const Plane m = engine.pull(truth, f, all, {}).planes[0],
                            x = engine.pull(*p.source, f, all, {}).planes[0],
                            y = engine.pull(*p.result, f, all, {}).planes[0];
                before += psnr(m, x), after += psnr(m, y), sBefore += ssim(m, x), sAfter += ssim(m, y);
            }
            const double gain = (after - before) / count;
            add("Clean on " + n,
                "PSNR-Y (SSIM-Y) against its master, all measured (blocks " + fixedPoint(r.blocking, 0) + ", noise " +
                    fixedPoint(r.noise, 1) + ")",
                fixedPoint(before / count, 2) + " → " + fixedPoint(after / count, 2) + " dB (" +
                    fixedPoint(sBefore / count, 3) + " → " + fixedPoint(sAfter / count, 3) + ")",
                gain > -0.05 ? "no loss" : "gain", gain > -0.05);
        }
    }

    // The demo's masters, shrunk to half and enlarged back.
    void networks() {
        for (const char* method : {"learned", "learned-quick"}) {
            double least = 99;
            std::string each;
            for (const char* name : kClips) {
                const auto reader = open("masters/" + std::string(name) + ".mp4", PacketDecoder::Threads::Single);
                const Readings r =
                    inspectClip(Clip::openVideo(path("masters/" + std::string(name) + ".mp4")), {}).readings;
                Ticket t;
                setByAssignment(t, std::string("enlarge.method=") + method);
                setByAssignment(t, "enlarge.crisp=0"); // the faithful end is the one that figures judge
                const StagePtr source = std::make_shared<SourceStage>(reader);
                Engine engine(std::size_t(128) << 20);
                double gain = 0;
                constexpr int kLooks = 3;
                for (int k = 0; k < kLooks; ++k)
                    gain += enlargeGain(engine, source, source->frames() * (2 * k + 1) / (2 * kLooks),
                                        source->format().frame(), t, knowing(r), {})
                                .overLanczos() /
                            kLooks;
                least = std::min(least, gain);
                each += (each.empty() ? "" : ", ") + std::string(name) + " " + fixedPoint(gain, 2);
            }
            add(std::string(method) + " against Lanczos",
                "the demo's masters shrunk to half and enlarged back, three frames each, PSNR-Y, dB", each, "no loss",
                least > 0);
        }
        for (const Row& r : networkRows(path("wheel.mp4"), work_.string()))
            add(r.what, r.how, r.value, r.reach, r.holds);
    }

    void light() {
        for (const Row& r : lightRows(path("masters/hands.mp4"))) add(r.what, r.how, r.value, r.reach, r.holds);
    }

    void follow() {
        makeLong("sixty.mp4", 1500);
        for (const Row& r : followRows((work_ / "sixty.mp4").string())) add(r.what, r.how, r.value, r.reach, r.holds);
    }

    void motion() {
        std::vector<std::string> samples;
        std::istringstream folders(std::getenv("ULMWOOD_SAMPLES") ? std::getenv("ULMWOOD_SAMPLES") : "");
        for (std::string folder; std::getline(folders, folder, ':');) samples.push_back(folder);
        std::vector<std::string> masters;
        for (const char* name : kClips) masters.push_back(path("masters/" + std::string(name) + ".mp4"));
        for (const Row& r : motionRows(masters, samples)) add(r.what, r.how, r.value, r.reach, r.holds);
    }

private:
    std::string path(const std::string& name) const { return (demo_ / name).string(); }
    std::shared_ptr<FrameReader> open(const std::string& name, PacketDecoder::Threads threads) const {
        return std::make_shared<FrameReader>(Clip::openVideo(path(name)), threads, std::size_t(64) << 20);
    }
    void add(const std::string& what, const std::string& how, const std::string& value, const std::string& reach,
             bool holds) {
        rows.push_back({what, how, value, reach, holds});
        std::cout << what << ": " << value
                  << (reach.empty() ? "" : " (" + reach + (holds ? ", holds)" : ", FALLS SHORT)")) << std::endl;
    }

    // The reference: decoder and encoder in one loop, with the threads and settings that ours use.
    static void transcodeDirectly(const std::string& in, const std::string& out) {
        const ClipPtr clip = Clip::openVideo(in);
        const av::Input input = openInput(in);
        PacketDecoder decoder(*input->streams[clip->videoStream()], in, PacketDecoder::Threads::Frames);
        VideoEncoding e;
        e.width = clip->facts().video.width;
        e.height = clip->facts().video.height;
        e.colour = clip->facts().video.colour;
        e.timeBase = clip->timeBase();
        e.fps = clip->facts().video.fps;
        MovieWriter w(out, "mp4", e, std::nullopt);
        decoder.decodeAll(*input, clip->videoStream(),
                          [&](AVFrame& f) { w.write(f, f.best_effort_timestamp, f.pkt_duration); });
        w.finish();
    }

    // A clip of 1920×1080, from the demo's `shelf`.
    void makeLarge(const std::string& name, int frames) {
        Ticket t;
        for (const std::string& s : {std::string("enlarge.size=1920x1080"), std::string("enlarge.method=bilinear"),
                                     std::string("sound.mode=drop"), std::string("stretch.from=0"),
                                     "stretch.to=" + fixedPoint(frames / 24.0, 3)})
            setByAssignment(t, s);
        exportClip({path("masters/shelf.mp4"), (work_ / name).string(), t, std::nullopt, nullptr, true}, {});
    }

    // A clip of any length, from the demo's `glaze` over and over.
    void makeLong(const std::string& name, int frames) {
        const auto reader = open("glaze.mp4", PacketDecoder::Threads::Frames);
        const VideoFacts& v = reader->clip().facts().video;
        VideoEncoding e;
        e.width = v.codedWidth;
        e.height = v.codedHeight;
        e.preset = "ultrafast";
        MovieWriter w((work_ / name).string(), "mp4", e, std::nullopt);
        for (int n = 0; n < frames; ++n) w.write(*reader->frame(n % reader->clip().frameCount(), {}).picture, n, 1);
        w.finish();
    }

    fs::path demo_, programs_, work_;
};

} // namespace

int main(int argc, char** argv) try {
    if (argc < 2) {
        std::cerr << "usage: ulmwood-bench DEMO-FOLDER [ROW…]\n";
        return 2;
    }
    ulm::recycleMatrices(); // as the programs do
    Bench bench(argv[1], fs::canonical("/proc/self/exe").parent_path().parent_path());
    const std::pair<const char*, void (Bench::*)()> all[] = {{"spots", &Bench::spots},
                                                             {"inspection", &Bench::inspection},
                                                             {"trials", &Bench::trials},
                                                             {"stall", &Bench::stall},
                                                             {"downstream", &Bench::downstream},
                                                             {"transcode", &Bench::transcode},
                                                             {"overlap", &Bench::overlap},
                                                             {"memory", &Bench::memory},
                                                             {"motion", &Bench::motion},
                                                             {"light", &Bench::light},
                                                             {"follow", &Bench::follow},
                                                             {"landing", &Bench::landing},
                                                             {"forecast", &Bench::forecast},
                                                             {"start", &Bench::start},
                                                             {"gains", &Bench::gains},
                                                             {"networks", &Bench::networks},
                                                             {"sizes", &Bench::sizes}};
    for (const auto& [name, row] : all) {
        bool wanted = argc == 2;
        for (int i = 2; i < argc; ++i) wanted |= std::string(argv[i]) == name;
        if (wanted) (bench.*row)();
    }
    writeReport(bench.rows, "docs", argc > 2);
    return 0;
} catch (const std::exception& e) {
    std::cerr << e.what() << "\n";
    return 5;
}
