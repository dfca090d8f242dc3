#include "core/deliver/export.h"

#include "core/codec/encoder.h"
#include "core/deliver/forecast.h"
#include "core/deliver/memory.h"
#include "core/deliver/output_file.h"
#include "core/deliver/size_plan.h"
#include "core/engine/work_plan.h"
#include "core/ticket/made_with.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <numeric>
#include <sstream>
#include <tbb/parallel_pipeline.h>

namespace ulm {
namespace {
namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

// Speed and time left over passes of different cost. A picture is half done when it was handed to an encoder, which
// holds dozens back, and done when it came out: so something is told from the first one on, and nothing is called done
// that is not. How fast they are handed over says how long the rest takes, and half as long each that is held back.
class ProgressMeter {
public:
    ProgressMeter(const std::function<void(const ExportProgress&)>& report, std::int64_t frames)
        : report_(report), frames_(frames) {}
    void plan(int passes) { total_ = frames_ * passes; }
    void begin(const std::string& phase) {
        phase_ = phase;
        start_ = Clock::now();
        last_ = {};
        before_ += written_;
        made_ = written_ = 0;
    }
    void made() { ++made_, tell(); }
    void written() { ++written_, tell(); }

private:
    void tell() {
        const auto now = Clock::now();
        const std::int64_t done = before_ + (made_ + written_) / 2;
        if (!report_ || (now - last_ < std::chrono::milliseconds(100) && done != total_)) return;
        last_ = now;
        total_ = std::max(total_, done);
        const double seconds = std::chrono::duration<double>(now - start_).count();
        const double rate = seconds > 0 ? double(made_) / seconds : 0;
        report_({phase_, done, total_, rate, rate > 0 ? double(total_ - done) / rate : -1});
    }

    const std::function<void(const ExportProgress&)>& report_;
    std::int64_t frames_, total_ = 0;
    std::int64_t before_ = 0, made_ = 0, written_ = 0; ///< done in phases before; of this one
    std::string phase_;
    Clock::time_point start_{}, last_{};
};

std::string oneDecimal(double v) {
    std::ostringstream s;
    s.precision(1);
    s << std::fixed << v;
    return s.str();
}

std::string megabytes(double bytes) {
    return bytes < 1e6 ? std::to_string(std::llround(bytes / 1e3)) + " KB" : oneDecimal(bytes / 1e6) + " MB";
}

class Exporter {
public:
    Exporter(const ExportJob& job, const CancelToken& cancel, const std::function<void(const ExportProgress&)>& report,
             const std::function<void(const Delivery&)>& onPlanned)
        : job_(job), cancel_(cancel), report_(report), onPlanned_(onPlanned), engine_(job.cacheBytes),
          output_(job.output, job.replace, {job.source}) {}

    ExportReport run() {
        clip_ = Clip::openVideo(job_.source, cancel_);
        try {
            return made();
        } catch (const Error& e) {
            if (e.fault != Fault::Input || !clip_->wasRewritten()) throw;
            throw Error(Fault::Input, job_.source, "it was written anew while it was rendered", "Render it once more.");
        }
    }

private:
    ExportReport made() {
        result_.source = job_.source;
        result_.output = job_.output;
        // Backwards every frame comes before the one that is decoded first: the more are kept, the less is decoded
        // twice.
        const Ticket::Motion asked = ticketFor(job_.ticket, job_.target ? job_.target->name : "").motion;
        const std::size_t kept = std::size_t(asked.on && asked.reverse ? 256 : 48) << 20;
        reader_ = std::make_shared<FrameReader>(clip_, PacketDecoder::Threads::Frames, kept);
        delivery_ = resolve(reader_, found(), job_.ticket, job_.target);
        const Delivery& d = *delivery_;
        result_.ticket = d.ticket;
        result_.readings = d.found->readings;
        result_.clean = d.ticket.clean.on ? cleanValues(d.ticket, *d.found) : CleanValues{};
        result_.remarks = d.remarks();
        if (onPlanned_) onPlanned_(d);
        checkPlanned();
        checkMemory();
        result_.limitBytes = d.sizeLimit();
        encoding_ = encodingFor(d);
        ProgressMeter meter(report_, d.frames());
        meter_ = &meter;
        encode();
        result_.frames = d.frames();
        result_.seconds = d.seconds();
        result_.lostFrames = reader_->lostFrames();
        result_.steps = engine_.spent();
        return result_;
    }

    std::shared_ptr<const Inspection> found() const {
        if (job_.inspection) return job_.inspection;
        if (!needsInspection(job_.ticket, job_.target, clip_->facts())) return nullptr;
        return std::make_shared<const Inspection>(
            inspectClip(clip_, cancel_, {[&](double done) { tell("measuring", done); }}));
    }

    // How far a phase is that is not counted in pictures of the movie.
    void tell(const char* phase, double done) const {
        if (report_) report_({phase, std::llround(done * 100), 100, 0, -1});
    }

    Forecast forecast() const {
        if (job_.forecasts)
            if (const auto known = job_.forecasts->of(*delivery_)) return *known;
        const Forecast f =
            forecastFor(engine_, delivery_, cancel_, {[&](double far) { tell("forecasting", far); }, {}});
        if (job_.forecasts) job_.forecasts->keep(*delivery_, f);
        return f;
    }

    void checkPlanned() const {
        const std::string ending = endingOf(delivery_->ticket.deliver.container);
        if (fs::path(job_.output).extension() != ending)
            throw Error(Fault::Usage, job_.output,
                        "its name says something else than what is delivered, " + delivery_->ticket.deliver.container,
                        "Name it " + fs::path(job_.output).stem().string() + ending + ".");
        for (const LimitCheck& c : delivery_->broken()) {
            std::string remedy = "Change the ticket, or choose another target.";
            if (c.limit == "duration_s")
                remedy = "Mark a stretch of at most " + oneDecimal(job_.target->maxSeconds) + " s.";
            throw Error(Fault::CannotFit, job_.source, job_.target->title + " " + c.told(), remedy);
        }
    }

    // Told before anything starts, not by a system that kills programs halfway.
    void checkMemory() const {
        const std::int64_t free = job_.memory.value_or(memoryToTake());
        const std::int64_t needed =
            renderBytes(*delivery_, workPlan().cores, static_cast<std::int64_t>(job_.cacheBytes));
        requireMemory(*delivery_, needed, free, job_.source);
    }

    SoundSource sound() const {
        const Delivery& d = *delivery_;
        const Ticket& t = d.ticket;
        SoundSource s;
        s.path = job_.source;
        for (const AudioFacts& a : d.facts.audio) s.tracks[a.stream] = soundPlan(t, a);
        s.whole = !t.stretch.on && !t.motion.reverse && t.stretch.without.empty();
        s.zero = clip_->fileSecondsAt(d.clock.sourceOf(d.clock.first()));
        s.from = s.zero;
        const double start = d.clock.clipSeconds(0);
        s.to = s.zero + d.clock.clipSeconds(d.seconds()) - start;
        s.stretched = changesTime(t);
        for (const LeftOut& p : d.clock.leftOut()) s.without.push_back({p.from - start, p.to - start});
        if (s.stretched || !s.without.empty())
            s.movieAt = [clock = d.clock, start](double since) { return clock.movieSeconds(start + since); };
        if (t.finish.on) s.fadeIn = t.finish.fade.in, s.fadeOut = t.finish.fade.out;
        s.seconds = d.seconds();
        return s;
    }

    // Hands every delivered frame to `take`, in order. Reading, stages and taking overlap; a few frames are in flight.
    void render(const std::function<void(const AVFrame&, std::int64_t k)>& take) {
        std::int64_t next = 0;
        struct Item {
            std::int64_t k;
            std::shared_ptr<AVFrame> picture;
        };
        tbb::parallel_pipeline(
            static_cast<std::size_t>(workPlan().cores) + 2,
            tbb::make_filter<void, Item>(tbb::filter_mode::serial_in_order, [&](tbb::flow_control& flow) -> Item {
                if (next == delivery_->frames() || cancel_.cancelled()) {
                    flow.stop();
                    return {};
                }
                return {next++, nullptr};
            }) & tbb::make_filter<Item, Item>(tbb::filter_mode::parallel, [&](Item item) {
                item.picture =
                    std::shared_ptr<AVFrame>(deliveredPicture(engine_, *delivery_, item.k, cancel_).release(),
                                             [](AVFrame* f) { av_frame_free(&f); });
                return item;
            }) & tbb::make_filter<Item, void>(tbb::filter_mode::serial_in_order, [&](const Item& item) {
                take(*item.picture, item.k);
            }));
        cancel_.check();
    }

    void finishWith(int attempt, const MovieWriter::Result& r) {
        result_.bytes = r.bytes;
        if (job_.target)
            result_.limits =
                checkLimits(*job_.target, deliveredFile(Clip::openVideo(output_.partPath(attempt), cancel_)->facts()));
        cancel_.check();
        result_.output = output_.keep(attempt);
        if (result_.output != job_.output)
            result_.later.push_back(job_.output + " appeared while this was rendered: it is delivered as " +
                                    fs::path(result_.output).filename().string());
        if (clip_->wasRewritten())
            result_.later.push_back("the clip was written anew while it was rendered: render it once more");
    }

    std::unique_ptr<MovieWriter> writer(const std::string& part) {
        auto w = std::make_unique<MovieWriter>(part, delivery_->ticket.deliver.container, encoding_, sound(), cancel_,
                                               job_.output);
        w->note(madeWith(delivery_->ticket));
        w->onWritten([this] { meter_->written(); });
        return w;
    }

    MovieWriter::Result encodeOnce(const std::string& part) {
        meter_->begin("rendering");
        const auto movie = writer(part);
        render([&](const AVFrame& f, std::int64_t k) {
            meter_->made();
            movie->write(f, delivery_->clock.pts(k), delivery_->clock.duration(k));
        });
        ++result_.encodes;
        return movie->finish();
    }

    void encode() {
        SizePlan plan = planSize(*delivery_, nullptr);
        if (needsForecast(*delivery_)) {
            if (report_) report_({"forecasting", 0, 0, 0, -1}); // a glance may do
            const bool known = job_.forecasts && job_.forecasts->of(*delivery_);
            if (!known && plan.way == SizePlan::Way::Unknown && clearlyFits(engine_, delivery_, plan.budget, cancel_)) {
                plan.way = SizePlan::Way::Quality;
            } else {
                const Forecast f = forecast();
                plan = planSize(*delivery_, &f);
            }
        }
        encoding_.crf = plan.crf;
        switch (plan.way) {
        case SizePlan::Way::Unknown: throw std::logic_error("a size is planned without the forecast it needs");
        case SizePlan::Way::CannotFit: cannotFit(plan.least - plan.sound - plan.container, plan.budget);
        case SizePlan::Way::Bitrate:
            encoding_.rate = VideoEncoding::Rate::Bitrate;
            encoding_.bitrate = plan.bitrate;
            encoding_.constant = delivery_->ticket.deliver.rate == "constant";
            if (plan.twoPass) return twoPasses(plan.bitrate, 0);
            break;
        case SizePlan::Way::Quality: encoding_.rate = VideoEncoding::Rate::Quality; break;
        case SizePlan::Way::Fit: return twoPasses(plan.bitrate, plan.limit);
        }
        meter_->plan(1);
        const MovieWriter::Result r = encodeOnce(output_.partPath());
        if (!plan.limit || r.bytes <= plan.limit) return finishWith(0, r);
        twoPasses(plan.bitrate, plan.limit); // the forecast was wrong by more than was allowed for
    }

    // Pass one while rendering, its statistics for as many second passes as landing under the limit takes.
    void twoPasses(double bitrate, std::int64_t limit) {
        meter_->plan(2);
        const WorkFolder work; // an encoder keeps its statistics in two files
        encoding_.rate = VideoEncoding::Rate::Bitrate;
        encoding_.bitrate = std::max(bitrate, 4000.0);
        encoding_.constant = false;
        encoding_.statistics = work.path() + "/statistics";
        encoding_.pass = 1;
        const fs::path folder = fs::path(job_.output).parent_path();
        const VanishingFile spill(folder.empty() ? "." : folder.string());
        meter_->begin("rendering");
        {
            // What was rendered is kept without loss, so that stages run once however often it is encoded.
            VideoEncoding lossless = encoding_;
            lossless.rate = VideoEncoding::Rate::Lossless;
            lossless.codec = kH264.name;
            lossless.pass = 0;
            lossless.timeBase = {1, 1000};
            MovieWriter keep(spill.path(), "matroska", lossless, std::nullopt, cancel_, job_.output);
            Encoder first(encoding_, false, cancel_); // pass one: its packets go nowhere
            const auto counted = [&](AVPacket&) {
                cancel_.check();
                meter_->written();
            };
            render([&](const AVFrame& f, std::int64_t k) {
                meter_->made();
                keep.write(f, 40 * k, 40);
                first.send(f, delivery_->clock.pts(k), counted);
            });
            first.finish(counted);
            keep.finish();
        }
        ++result_.encodes;
        encoding_.pass = 2;
        int best = -1;
        MovieWriter::Result bestResult;
        for (int attempt = 0; attempt < 5; ++attempt) {
            const MovieWriter::Result r = secondPass(spill.path(), output_.partPath(attempt));
            ++result_.encodes;
            const bool fits = !limit || r.bytes <= limit;
            if (fits && (best < 0 || r.bytes > bestResult.bytes)) best = attempt, bestResult = r;
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
        if (best < 0) cannotFit(double(limit) * 1.5, double(limit));
        finishWith(best, bestResult);
    }

    MovieWriter::Result secondPass(const std::string& spill, const std::string& part) {
        meter_->begin("fitting");
        const ClipPtr kept = Clip::openVideo(spill, cancel_);
        FrameReader frames(kept, PacketDecoder::Threads::Frames, std::size_t(32) << 20);
        const auto movie = writer(part);
        for (std::int64_t k = 0; k < delivery_->frames(); ++k) {
            cancel_.check();
            meter_->made();
            movie->write(*frames.frame(k, cancel_).picture, delivery_->clock.pts(k), delivery_->clock.duration(k));
        }
        return movie->finish();
    }

    [[noreturn]] void cannotFit(double needed, double budget) const {
        const double share = std::max(0.0, budget) / needed;
        const PictureFormat& f = delivery_->result->format();
        std::string offers = "What would fit: ";
        const double seconds = delivery_->seconds() * share;
        if (seconds >= 0.5) offers += "a stretch of " + oneDecimal(seconds) + " s; ";
        // Bytes fall a little slower than area: large pictures compress better.
        const double side = std::pow(share, 1 / 1.6);
        const int w = static_cast<int>(f.width * side) / 2 * 2, h = static_cast<int>(f.height * side) / 2 * 2;
        if (w >= 64 && h >= 64) offers += std::to_string(w) + "×" + std::to_string(h) + " pixels; ";
        const double fps = delivery_->fps() * std::pow(share, 1 / 0.6);
        if (fps >= 8) offers += oneDecimal(fps) + " frames a second; ";
        offers += "or a limit of " + megabytes(needed + (double(result_.limitBytes) - budget)) + ".";
        throw Error(Fault::CannotFit, job_.source,
                    "no acceptable quality fits " + megabytes(double(result_.limitBytes)), offers);
    }

    const ExportJob& job_;
    const CancelToken& cancel_;
    const std::function<void(const ExportProgress&)>& report_;
    const std::function<void(const Delivery&)>& onPlanned_;
    mutable Engine engine_;
    OutputFile output_;
    ClipPtr clip_;
    std::shared_ptr<FrameReader> reader_;
    DeliveryPtr delivery_;
    VideoEncoding encoding_;
    ProgressMeter* meter_ = nullptr;
    std::int64_t previousBytes_ = 0;
    ExportReport result_;
};

} // namespace

std::string endingOf(const std::string& container) { return "." + container; }

ExportReport exportClip(const ExportJob& job, const CancelToken& cancel,
                        const std::function<void(const ExportProgress&)>& report,
                        const std::function<void(const Delivery&)>& onPlanned) {
    return guarded(job.source, [&] { return Exporter(job, cancel, report, onPlanned).run(); });
}

nlohmann::json toJson(const ExportReport& r) {
    using nlohmann::json;
    json steps = json::array(), limits = json::array(), remarks = r.remarks;
    for (const std::string& remark : r.later) remarks.push_back(remark);
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
    return {{"source", r.source}, {"output", r.output},         {"frames", r.frames}, {"seconds", r.seconds},
            {"bytes", r.bytes},   {"ticket", toJson(r.ticket)}, {"steps", steps},     {"lost_frames", r.lostFrames},
            {"remarks", remarks}, {"encodes", r.encodes},       {"limits", limits}};
}

} // namespace ulm
