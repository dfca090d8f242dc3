#include "core/media/sound_converter.h"

#include "core/base/error.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

#include <new>

namespace ulm {
namespace {

[[noreturn]] void refuse(int code) {
    throw Error(Fault::Input, "", "its sound cannot be converted (" + av::errorText(code) + ")",
                "Drop the sound in the Sound step, or export the clip again.");
}

std::string named(const AVChannelLayout& layout) {
    char text[128] = {};
    av_channel_layout_describe(&layout, text, sizeof text);
    return text;
}

} // namespace

SoundConverter::~SoundConverter() { av_channel_layout_uninit(&layout_); }

bool SoundConverter::sameKind(const AVFrame& f) const {
    return graph_ && f.sample_rate == rate_ && f.format == format_ &&
           av_channel_layout_compare(&f.ch_layout, &layout_) == 0;
}

void SoundConverter::build(const AVFrame& f, AVRational timeBase) {
    rate_ = f.sample_rate;
    format_ = f.format;
    av_channel_layout_uninit(&layout_);
    // Some files name so many channels and no order: the usual one for that many is meant.
    if (f.ch_layout.order == AV_CHANNEL_ORDER_UNSPEC)
        av_channel_layout_default(&layout_, f.ch_layout.nb_channels);
    else
        av_channel_layout_copy(&layout_, &f.ch_layout);
    const std::string source = "time_base=" + std::to_string(timeBase.num) + "/" + std::to_string(timeBase.den) +
                               ":sample_rate=" + std::to_string(rate_) +
                               ":sample_fmt=" + av_get_sample_fmt_name(static_cast<AVSampleFormat>(format_)) +
                               ":channel_layout=" + named(layout_);
    const bool both = wanted_.monoOnBoth && wanted_.channels == 2 && layout_.nb_channels == 1;
    const std::string chain = std::string(both ? "pan=stereo|c0=c0|c1=c0," : "") +
                              "aresample=" + std::to_string(wanted_.rate) +
                              ",aformat=sample_fmts=" + av_get_sample_fmt_name(wanted_.format) +
                              ":sample_rates=" + std::to_string(wanted_.rate) +
                              ":channel_layouts=" + (wanted_.channels == 1 ? "mono" : "stereo");
    if (const int e = graph_.build("abuffer", source, chain, "abuffersink"); e < 0) refuse(e);
}

void SoundConverter::drain(const OnSound& onSound) {
    const av::Frame f(av_frame_alloc());
    while (av_buffersink_get_frame(graph_.out(), f.get()) >= 0) {
        if (f->pts != AV_NOPTS_VALUE)
            f->pts = av_rescale_q(f->pts, av_buffersink_get_time_base(graph_.out()), {1, wanted_.rate});
        onSound(*f);
        av_frame_unref(f.get());
    }
}

void SoundConverter::send(AVFrame& frame, AVRational timeBase, const OnSound& onSound) {
    if (frame.sample_rate <= 0 || frame.ch_layout.nb_channels <= 0 || frame.nb_samples <= 0) return;
    if (frame.ch_layout.order == AV_CHANNEL_ORDER_UNSPEC)
        av_channel_layout_default(&frame.ch_layout, frame.ch_layout.nb_channels);
    if (!sameKind(frame)) {
        finish(onSound);
        build(frame, timeBase);
    }
    if (const int e = av_buffersrc_add_frame_flags(graph_.in(), &frame, AV_BUFFERSRC_FLAG_KEEP_REF); e < 0) refuse(e);
    drain(onSound);
}

void SoundConverter::finish(const OnSound& onSound) {
    if (!graph_) return;
    if (av_buffersrc_add_frame(graph_.in(), nullptr) >= 0) drain(onSound);
    graph_.clear();
}

} // namespace ulm
