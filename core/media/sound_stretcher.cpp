#include "core/media/sound_stretcher.h"

#include "core/base/error.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/samplefmt.h>
}

#include <algorithm>
#include <cmath>
#include <new>
#include <string>

namespace ulm {
namespace {

void check(int e) {
    if (e < 0)
        throw Error(Fault::Output, "", "its sound cannot be stretched (" + av::errorText(e) + ")",
                    "Drop the sound in the Sound step.");
}

// Overlap and add takes half to a hundred times the speed at once: three of them take an eighth and more.
constexpr int kOverlaps = 3;

double speedAt(const SoundStretcher::Due& due, double seconds, double length) {
    const double takes = due(seconds + length) - due(seconds);
    return std::clamp(takes > 0 ? length / takes : 1.0, 0.01, 100.0);
}

} // namespace

SoundStretcher::SoundStretcher(int rate, const AVChannelLayout& layout, Due due)
    : rate_(rate), due_(std::move(due)), speed_(speedAt(due_, 0, 0.1)) {
    char channels[128] = {};
    av_channel_layout_describe(&layout, channels, sizeof channels);
    const std::string source = "time_base=1/" + std::to_string(rate) + ":sample_rate=" + std::to_string(rate) +
                               ":sample_fmt=fltp:channel_layout=" + channels;
    const bool rubber = avfilter_get_by_name("rubberband");
    filter_ = rubber ? "rubberband" : "atempo";
    std::string stretch = "rubberband=tempo=" + std::to_string(speed_) + ":window=short";
    if (!rubber) {
        const std::string part = "atempo=" + std::to_string(std::clamp(std::cbrt(speed_), 0.5, 100.0));
        stretch = part;
        for (int k = 1; k < kOverlaps; ++k) stretch += "," + part;
    }
    check(graph_.build("abuffer", source, stretch + ",aformat=sample_fmts=fltp", "abuffersink"));
}

void SoundStretcher::drain(const OnSound& onSound) {
    const av::Frame f(av_frame_alloc());
    const auto due = static_cast<std::int64_t>(due_(double(sent_) / rate_) * rate_);
    while (av_buffersink_get_frame(graph_.out(), f.get()) >= 0) {
        f->nb_samples = static_cast<int>(std::clamp<std::int64_t>(due - given_, 0, f->nb_samples));
        given_ += f->nb_samples;
        if (f->nb_samples > 0) onSound(*f);
        av_frame_unref(f.get());
    }
}

// Where the speed changes on the way the filter is told so before every piece.
void SoundStretcher::setSpeed(int samples) {
    const double speed = speedAt(due_, double(sent_) / rate_, double(samples) / rate_);
    if (std::abs(speed / speed_ - 1) < 1e-3) return;
    speed_ = speed;
    const std::string tempo = std::to_string(filter_ == "atempo" ? std::clamp(std::cbrt(speed), 0.5, 100.0) : speed);
    check(avfilter_graph_send_command(graph_.in()->graph, filter_.c_str(), "tempo", tempo.c_str(), nullptr, 0, 0));
}

void SoundStretcher::send(AVFrame& frame, const OnSound& onSound) {
    setSpeed(frame.nb_samples);
    frame.pts = sent_;
    sent_ += frame.nb_samples;
    check(av_buffersrc_add_frame_flags(graph_.in(), &frame, AV_BUFFERSRC_FLAG_KEEP_REF));
    drain(onSound);
}

// The filter keeps what it heard last for itself: silence behind the sound pushes it out.
void SoundStretcher::pushOut() {
    const av::Frame quiet(av_frame_alloc());
    if (!quiet) throw std::bad_alloc();
    quiet->format = AV_SAMPLE_FMT_FLTP;
    quiet->sample_rate = rate_;
    quiet->nb_samples = rate_ / 2;
    quiet->pts = sent_;
    check(av_channel_layout_copy(&quiet->ch_layout, &graph_.in()->outputs[0]->ch_layout));
    check(av_frame_get_buffer(quiet.get(), 0));
    av_samples_set_silence(quiet->extended_data, 0, quiet->nb_samples, quiet->ch_layout.nb_channels,
                           AV_SAMPLE_FMT_FLTP);
    check(av_buffersrc_add_frame(graph_.in(), quiet.get()));
}

void SoundStretcher::finish(const OnSound& onSound) {
    if (sent_ == 0) return;
    pushOut();
    drain(onSound);
}

} // namespace ulm
