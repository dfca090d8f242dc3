#include "core/deliver/export.h"

#include "core/deliver/forecast.h"
#include "core/deliver/memory.h"
#include "core/deliver/output_file.h"
#include "core/deliver/sound_track.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <numeric>
#include <sstream>
#include <tbb/parallel_pipeline.h>
#include <thread>
#include <unistd.h>

namespace ulm {
namespace {
namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

// Speed and time left over passes of different cost.
class ProgressMeter {
public:
    ProgressMeter(const std::function<void(const ExportProgress&)>& report, std::int64_t frames)
        : report_(report), frames_(frames) {}
    void plan(int passes) { total_ = frames_ * passes; }
    void begin(const std::string& phase) {
        phase_ = phase;
        start_ = last_ = Clock::now();
        startedAt_ = done_;
    }
    void step() {
        ++done_;
        const auto now = Clock::now();
        if (!report_ || (now - last_ < std::chrono::milliseconds(100) && done_ != total_)) return;
        last_ = now;
        total_ = std::max(total_, done_);
        const double seconds = std::chrono::duration<double>(now - start_).count();
        const double rate = seconds > 0 ? double(done_ - startedAt_) / seconds : 0;
        report_({phase_, done_, total_, rate, rate > 0 ? double(total_ - done_) / rate : -1});
    }

private:
    const std::function<void(const ExportProgress&)>& report_;
    std::int64_t frames_, done_ = 0, total_ = 0, startedAt_ = 0;
    std::string phase_;
    Clock::time_point start_{}, last_{};
};

// An encoder whose packets go nowhere: pass one.
class StatisticsPass {
public:
    explicit StatisticsPass(const VideoEncoding& e) : codec_(openVideoEncoder(e, false)), packet_(av_packet_alloc()) {}
    void write(const AVFrame& picture, std::int64_t pts) {
        const av::Frame f(av_frame_clone(&picture));
        f->pts = pts;
        f->pict_type = AV_PICTURE_TYPE_NONE;
        send(f.get());
    }
    void finish() { send(nullptr); }

private:
    void send(const AVFrame* f) {
        avcodec_send_frame(codec_.get(), f);
        while (avcodec_receive_packet(codec_.get(), packet_.get()) >= 0) av_packet_unref(packet_.get());
    }
    av::Codec codec_;
    av::Packet packet_;
};

// x264 keeps two files of statistics; both go when this does.
class StatisticsFile {
public:
    StatisticsFile() {
        std::string name = (fs::temp_directory_path() / "ulmwood-pass-XXXXXX").string();
        const int fd = ::mkstemp(name.data());
        if (fd < 0)
            throw Error(Fault::Output, name, "no temporary file can be made", "Make room in the temporary folder.");
        ::close(fd);
        path_ = name;
    }
    ~StatisticsFile() {
        std::error_code ec;
        for (const char* more : {"", ".mbtree", ".temp", ".mbtree.temp"}) fs::remove(path_ + more, ec);
    }
    const std::string& path() const { return path_; }

private:
    std::string path_;
};

std::string oneDecimal(double v) {
    std::ostringstream s;
    s.precision(1);
    s << std::fixed << v;
    return s.str();
}

std::string megabytes(double bytes) { return oneDecimal(bytes / 1e6) + " MB"; }

class Exporter {
public:
    Exporter(const ExportJob& job, const CancelToken& cancel, const std::function<void(const ExportProgress&)>& report)
        : job_(job), cancel_(cancel), report_(report), engine_(job.cacheBytes),
          output_(job.output, job.replace, job.source) {}

    ExportReport run() {
        clip_ = Clip::openVideo(job_.source, cancel_);
        result_.source = job_.source;
        result_.output = job_.output;
        result_.ticket = job_.target ? fitToTarget(job_.ticket, *job_.target, clip_->facts()) : job_.ticket;
        measure();
        reader_ = std::make_shared<FrameReader>(clip_, PacketDecoder::Threads::Frames, std::size_t(48) << 20);
        pipeline_ = buildPipeline(reader_, result_.ticket, result_.readings);
        result_.clean = result_.ticket.clean.on ? cleanValues(result_.ticket, result_.readings) : CleanValues{};
        result_.networkNote = pipeline_.note;
        checkPlanned();
        checkMemory();
        limit_ = sizeLimit(result_.ticket, job_.target);
        result_.limitBytes = limit_;
        encoding_ = encodingFor(pipeline_);
        ProgressMeter meter(report_, static_cast<std::int64_t>(pipeline_.frames.size()));
        meter_ = &meter;
        encode();
        result_.frames = static_cast<std::int64_t>(pipeline_.frames.size());
        result_.seconds = pipeline_.seconds();
        result_.lostFrames = reader_->lostFrames();
        result_.steps = engine_.spent();
        return result_;
    }

private:
    void measure() {
        if (job_.inspection)
            result_.readings = job_.inspection->readings;
        else if (needsReadings(result_.ticket))
            result_.readings = inspectClip(clip_, cancel_, {[&](double done) {
                                               if (report_)
                                                   report_({"measuring", std::llround(done * 100), 100, 0, -1});
                                           }})
                                   .readings;
    }

    void checkPlanned() const {
        if (!job_.target) return;
        for (const LimitCheck& c : checkLimits(*job_.target, plannedDelivery(pipeline_))) {
            if (c.holds) continue;
            std::string remedy = "Change the ticket, or choose another target.";
            if (c.limit == "duration_s")
                remedy = "Mark a stretch of at most " + oneDecimal(job_.target->maxSeconds) + " s.";
            throw Error(Fault::CannotFit, job_.source,
                        job_.target->title + " allows " + c.limit + " " + c.allowed + "; this would be " + c.value,
                        remedy);
        }
    }

    // Told before anything starts, not by a system that kills programs halfway.
    void checkMemory() const {
        const auto free = job_.memory ? job_.memory : freeBytes();
        const std::int64_t needed = renderBytes(pipeline_, cores(), static_cast<std::int64_t>(job_.cacheBytes));
        if (free) requireMemory(pipeline_, needed, *free, job_.source);
    }
    static int cores() { return static_cast<int>(std::clamp(std::thread::hardware_concurrency(), 1u, 16u)); }

    SoundSource sound() const {
        const Ticket& t = result_.ticket;
        SoundSource s;
        s.path = job_.source;
        s.mode = !t.sound.on || t.sound.mode == "drop" ? SoundMode::Drop
                 : t.sound.mode == "aac"               ? SoundMode::Aac
                                                       : SoundMode::Keep;
        const auto& all = clip_->frames();
        const auto time = [&](std::int64_t pts) { return double(pts) * av_q2d(clip_->timeBase()); };
        s.whole = !t.stretch.on;
        s.zero = time(all[static_cast<std::size_t>(pipeline_.frames.front().source)].pts);
        s.from = s.zero;
        s.to = s.zero + pipeline_.seconds();
        return s;
    }

    // Hands every delivered frame to `take`, in order. Reading, stages and taking overlap; a few frames are in flight.
    void render(const std::function<void(const AVFrame&, const DeliveredFrame&)>& take) {
        std::size_t next = 0;
        struct Item {
            const DeliveredFrame* frame;
            std::shared_ptr<AVFrame> picture;
        };
        tbb::parallel_pipeline(
            static_cast<std::size_t>(cores()) + 2,
            tbb::make_filter<void, Item>(tbb::filter_mode::serial_in_order, [&](tbb::flow_control& flow) -> Item {
                if (next == pipeline_.frames.size() || cancel_.cancelled()) {
                    flow.stop();
                    return {};
                }
                return {&pipeline_.frames[next++], nullptr};
            }) & tbb::make_filter<Item, Item>(tbb::filter_mode::parallel, [&](Item item) {
                item.picture =
                    std::shared_ptr<AVFrame>(deliveredPicture(engine_, pipeline_, *item.frame, cancel_).release(),
                                             [](AVFrame* f) { av_frame_free(&f); });
                return item;
            }) & tbb::make_filter<Item, void>(tbb::filter_mode::serial_in_order, [&](const Item& item) {
                take(*item.picture, *item.frame);
                meter_->step();
            }));
        cancel_.check();
    }

    void finishWith(const std::string& part, const MovieWriter::Result& r) {
        result_.bytes = r.bytes;
        result_.soundNote = r.soundNote;
        if (job_.target) {
            Delivery d = deliveryOf(Clip::openVideo(part, cancel_)->facts());
            result_.limits = checkLimits(*job_.target, d);
        }
        output_.keep(part);
    }

    MovieWriter::Result encodeOnce(const std::string& part) {
        meter_->begin("rendering");
        MovieWriter writer(part, "mp4", encoding_, sound());
        render([&](const AVFrame& f, const DeliveredFrame& d) { writer.write(f, d.pts, d.duration); });
        ++result_.encodes;
        return writer.finish();
    }

    Forecast foretold(const std::vector<double>& crfs) {
        const Ticket stand = withoutNetworks(result_.ticket);
        standsIn_ = !(stand == result_.ticket);
        return standsIn_ ? forecastSize(engine_, buildPipeline(reader_, stand, result_.readings), crfs, cancel_)
                         : forecastSize(engine_, pipeline_, crfs, cancel_);
    }

    void encode() {
        const Ticket::Deliver& d = result_.ticket.deliver;
        const double seconds = pipeline_.seconds();
        const bool byBitrate = d.rate == "variable" || d.rate == "constant";
        double ceiling = d.rate == "size" ? crfFor("best") : crfFor(d.quality);
        if (byBitrate) {
            encoding_.rate = VideoEncoding::Rate::Bitrate;
            encoding_.bitrate = d.bitrate * 1000;
            encoding_.constant = d.rate == "constant";
        }
        const double budget = limit_ ? double(limit_) - soundBytes() - containerBytes() : 0;
        const bool bitrateFits = byBitrate && (!limit_ || d.bitrate * 1000 / 8 * seconds < budget * 0.97);
        if (bitrateFits) {
            if (d.rate == "variable" && d.twoPass) return twoPasses(d.bitrate * 1000, 0);
            meter_->plan(1);
            return finishWith(output_.partPath(), encodeOnce(output_.partPath()));
        }
        if (!limit_) {
            encoding_.crf = ceiling;
            meter_->plan(1);
            return finishWith(output_.partPath(), encodeOnce(output_.partPath()));
        }
        if (byBitrate) ceiling = crfFor("best");
        const Forecast forecast = foretold({ceiling, kFloorCrf});
        if (budget <= 0 || forecast.bytesAt(kFloorCrf) * (standsIn_ ? 0.8 : 0.92) > budget)
            cannotFit(forecast.bytesAt(kFloorCrf), budget);
        if (forecast.bytesAt(ceiling) < budget * 0.9) {
            // The best this ticket asks for fits with room to spare: no rate needs to be held.
            encoding_.rate = VideoEncoding::Rate::Quality;
            encoding_.crf = ceiling;
            meter_->plan(1);
            const std::string part = output_.partPath();
            const auto r = encodeOnce(part);
            if (r.bytes <= limit_) return finishWith(part, r);
        }
        twoPasses(budget * 0.985 * 8 / seconds, limit_);
    }

    // Pass one while rendering, its statistics for as many second passes as landing under the limit takes.
    void twoPasses(double bitrate, std::int64_t limit) {
        meter_->plan(2);
        StatisticsFile statistics;
        encoding_.rate = VideoEncoding::Rate::Bitrate;
        encoding_.bitrate = std::max(bitrate, 4000.0);
        encoding_.constant = false;
        encoding_.statistics = statistics.path();
        encoding_.pass = 1;
        std::error_code ec;
        const fs::path folder = fs::path(job_.output).parent_path();
        const VanishingFile spill(folder.empty() ? "." : folder.string());
        meter_->begin("rendering");
        {
            // What was rendered is kept without loss, so that stages run once however often it is encoded.
            VideoEncoding lossless = encoding_;
            lossless.rate = VideoEncoding::Rate::Lossless;
            lossless.pass = 0;
            lossless.timeBase = {1, 1000};
            MovieWriter keep(spill.path(), "matroska", lossless, std::nullopt);
            StatisticsPass first(encoding_);
            std::int64_t n = 0;
            render([&](const AVFrame& f, const DeliveredFrame& d) {
                keep.write(f, 40 * n++, 40);
                first.write(f, d.pts);
            });
            first.finish();
            keep.finish();
        }
        ++result_.encodes;
        encoding_.pass = 2;
        std::string best;
        MovieWriter::Result bestResult;
        for (int attempt = 0; attempt < 5; ++attempt) {
            const std::string part = output_.partPath(attempt);
            const MovieWriter::Result r = secondPass(spill.path(), part);
            ++result_.encodes;
            const bool fits = !limit || r.bytes <= limit;
            if (fits && (best.empty() || r.bytes > bestResult.bytes)) best = part, bestResult = r;
            if (!limit || (fits && double(r.bytes) >= 0.975 * double(limit))) break;
            const double rest = double(r.bytes - r.videoBytes);
            const double wanted = double(limit) * (0.992 - 0.004 * attempt) - rest;
            if (wanted <= 0) break;
            const double factor = wanted / std::max<double>(1, double(r.videoBytes));
            // Asked for more and given no more: the pictures are as good as the encoder makes them.
            if (fits && attempt > 0 && double(r.bytes) < 1.003 * double(previousBytes_)) break;
            previousBytes_ = r.bytes;
            encoding_.bitrate = std::max(encoding_.bitrate * std::clamp(factor, 0.3, 3.0), 1000.0);
        }
        if (best.empty()) cannotFit(double(limit) * 1.5, double(limit));
        finishWith(best, bestResult);
    }

    MovieWriter::Result secondPass(const std::string& spill, const std::string& part) {
        meter_->begin("fitting");
        const ClipPtr kept = Clip::openVideo(spill, cancel_);
        FrameReader frames(kept, PacketDecoder::Threads::Frames, std::size_t(32) << 20);
        MovieWriter writer(part, "mp4", encoding_, sound());
        for (std::size_t n = 0; n < pipeline_.frames.size(); ++n) {
            cancel_.check();
            const DeliveredFrame& d = pipeline_.frames[n];
            writer.write(*frames.frame(static_cast<std::int64_t>(n), cancel_).picture, d.pts, d.duration);
            meter_->step();
        }
        return writer.finish();
    }

    double soundBytes() const {
        const SoundSource s = sound();
        if (s.mode == SoundMode::Drop) return 0;
        double bits = 0;
        for (const AudioFacts& a : clip_->facts().audio) {
            const AVCodecDescriptor* codec = avcodec_descriptor_get_by_name(a.codec.c_str());
            const bool copy = s.mode == SoundMode::Keep && codec && mp4CanHold(codec->id);
            bits += copy && a.bitrate > 0 ? double(a.bitrate) : 192000;
        }
        return bits / 8 * pipeline_.seconds();
    }

    double containerBytes() const {
        return 3000 + 16.0 * double(pipeline_.frames.size()) + 4.0 * pipeline_.seconds() * 50;
    }

    [[noreturn]] void cannotFit(double needed, double budget) const {
        const double share = std::max(0.0, budget) / needed;
        const PictureFormat& f = pipeline_.result->format();
        std::string offers = "What would fit: ";
        const double seconds = pipeline_.seconds() * share;
        if (seconds >= 0.5) offers += "a stretch of " + oneDecimal(seconds) + " s; ";
        // Bytes fall a little slower than area: large pictures compress better.
        const double side = std::pow(share, 1 / 1.6);
        const int w = static_cast<int>(f.width * side) / 2 * 2, h = static_cast<int>(f.height * side) / 2 * 2;
        if (w >= 64 && h >= 64) offers += std::to_string(w) + "×" + std::to_string(h) + " pixels; ";
        const double fps = pipeline_.fps() * std::pow(share, 1 / 0.6);
        if (fps >= 8) offers += oneDecimal(fps) + " frames a second; ";
        offers += "or a limit of " + megabytes(needed + (double(limit_) - budget)) + ".";
        throw Error(Fault::CannotFit, job_.source, "no acceptable quality fits " + megabytes(double(limit_)), offers);
    }

    const ExportJob& job_;
    const CancelToken& cancel_;
    const std::function<void(const ExportProgress&)>& report_;
    Engine engine_;
    OutputFile output_;
    ClipPtr clip_;
    std::shared_ptr<FrameReader> reader_;
    Pipeline pipeline_;
    VideoEncoding encoding_;
    ProgressMeter* meter_ = nullptr;
    std::int64_t limit_ = 0, previousBytes_ = 0;
    bool standsIn_ = false; // the forecast was made with filters in the networks' place
    ExportReport result_;
};

} // namespace

std::int64_t sizeLimit(const Ticket& t, const std::optional<Target>& target) {
    std::int64_t limit = t.deliver.rate == "size" ? static_cast<std::int64_t>(t.deliver.sizeMb * 1e6) : 0;
    if (target && target->maxMb > 0) limit = limit ? std::min(limit, target->maxBytes()) : target->maxBytes();
    return limit;
}

Ticket fitToTarget(const Ticket& ticket, const Target& target, const MediaFacts& facts) {
    Ticket t = ticket;
    if (target.maxFps > 0 && (t.motion.on ? t.motion.fps : facts.video.fps) > target.maxFps * 1.0005) {
        t.motion.on = true;
        t.motion.fps = target.maxFps;
    }
    FramingPlan plan = framingOf(t, facts.video);
    const auto deliver = [&](Size s) {
        t.frame.on = true;
        t.frame.size = s;
        const int g = std::gcd(s.w, s.h);
        t.frame.aspect = {s.w / g, s.h / g};
    };
    if (target.size) {
        if (plan.width != target.size->w || plan.height != target.size->h) deliver(*target.size);
        return t;
    }
    if (!target.aspects.empty()) {
        Target shape;
        shape.aspects = target.aspects;
        if (!allHold(checkLimits(shape, {plan.width, plan.height, 0, 0, 0, "", "", true}))) {
            t.frame.on = true;
            t.frame.size.reset();
            t.frame.aspect = target.aspects.front();
            plan = framingOf(t, facts.video);
        }
    }
    double scale = 1;
    if (target.maxWidth) scale = std::min(scale, double(target.maxWidth) / plan.width);
    if (target.maxHeight) scale = std::min(scale, double(target.maxHeight) / plan.height);
    if (target.maxLines) scale = std::min(scale, double(target.maxLines) / std::min(plan.width, plan.height));
    if (scale < 1) {
        const Size s{std::max(2, static_cast<int>(plan.width * scale + 0.01) / 2 * 2),
                     std::max(2, static_cast<int>(plan.height * scale + 0.01) / 2 * 2)};
        if (t.frame.on)
            deliver(s);
        else {
            t.enlarge.on = true;
            t.enlarge.size = s;
        }
    }
    return t;
}

Delivery plannedDelivery(const Pipeline& p) {
    const PictureFormat& f = p.result->format();
    return {f.width, f.height, p.fps(), p.seconds(), 0, "h264", "mp4", true};
}

ExportReport exportClip(const ExportJob& job, const CancelToken& cancel,
                        const std::function<void(const ExportProgress&)>& report) {
    return Exporter(job, cancel, report).run();
}

nlohmann::json toJson(const ExportReport& r) {
    using nlohmann::json;
    json steps = json::array(), limits = json::array();
    for (const auto& [name, s] : r.steps)
        steps.push_back({{"step", name},
                         {"readings", json::object()},
                         {"ms_per_frame", r.frames ? s.seconds * 1000 / double(r.frames) : 0}});
    if (r.ticket.clean.on)
        steps.insert(steps.begin(), json{{"step", "clean"},
                                         {"readings",
                                          {{"blocking", r.readings.blocking},
                                           {"noise_sigma", r.readings.noise},
                                           {"blocks_used", r.clean.blocks},
                                           {"noise_used", r.clean.noise}}},
                                         {"ms_per_frame", 0}});
    for (const auto& l : r.limits)
        limits.push_back({{"limit", l.limit}, {"allowed", l.allowed}, {"value", l.value}, {"holds", l.holds}});
    return {{"source", r.source},   {"output", r.output},         {"frames", r.frames},   {"seconds", r.seconds},
            {"bytes", r.bytes},     {"ticket", toJson(r.ticket)}, {"steps", steps},       {"lost_frames", r.lostFrames},
            {"sound", r.soundNote}, {"networks", r.networkNote},  {"encodes", r.encodes}, {"limits", limits}};
}

} // namespace ulm
