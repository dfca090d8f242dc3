#include "core/media/sound_stretcher.h"

#include "core/base/error.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/samplefmt.h>
}

#include <algorithm>
#include <new>
#include <string>

namespace ulm {
namespace {

void check(int e) {
    if (e < 0)
        throw Error(Fault::Output, "", "its sound cannot be stretched (" + av::errorText(e) + ")",
                    "Drop the sound in the Sound step.");
}

// Overlap and add takes half to a hundred times the speed at once.
std::string overlapped(double speed) {
    std::string chain;
    for (; speed < 0.5; speed /= 0.5) chain += "atempo=0.5,";
    return chain + "atempo=" + std::to_string(speed);
}

} // namespace

SoundStretcher::SoundStretcher(int rate, const AVChannelLayout& layout, double speed) : rate_(rate), speed_(speed) {
    char channels[128] = {};
    av_channel_layout_describe(&layout, channels, sizeof channels);
    const std::string source = "time_base=1/" + std::to_string(rate) + ":sample_rate=" + std::to_string(rate) +
                               ":sample_fmt=fltp:channel_layout=" + channels;
    const std::string stretch = avfilter_get_by_name("rubberband")
                                    ? "rubberband=tempo=" + std::to_string(speed) + ":window=short"
                                    : overlapped(speed);
    check(graph_.build("abuffer", source, stretch + ",aformat=sample_fmts=fltp", "abuffersink"));
}

void SoundStretcher::drain(const OnSound& onSound) {
    const av::Frame f(av_frame_alloc());
    const auto due = static_cast<std::int64_t>(double(sent_) / speed_);
    while (av_buffersink_get_frame(graph_.out(), f.get()) >= 0) {
        f->nb_samples = static_cast<int>(std::clamp<std::int64_t>(due - given_, 0, f->nb_samples));
        given_ += f->nb_samples;
        if (f->nb_samples > 0) onSound(*f);
        av_frame_unref(f.get());
    }
}

void SoundStretcher::send(AVFrame& frame, const OnSound& onSound) {
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
