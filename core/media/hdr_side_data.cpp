#include "core/media/hdr_side_data.h"

#include <algorithm>
#include <cmath>
#include <new>

namespace ulm {
namespace {

// Files are hostile: what is no place in the diagram and no light of a screen is not told on.
double within(AVRational v, double most) {
    const double value = v.den ? av_q2d(v) : 0;
    return std::isfinite(value) ? std::clamp(value, 0.0, most) : 0;
}

void read(const AVMasteringDisplayMetadata* m, const AVContentLightMetadata* light, HdrData& d) {
    if (m && m->has_primaries && m->has_luminance) {
        for (std::size_t c = 0; c < 3; ++c)
            d.primaries[c] = {within(m->display_primaries[c][0], 1), within(m->display_primaries[c][1], 1)};
        d.white = {within(m->white_point[0], 1), within(m->white_point[1], 1)};
        d.darkest = within(m->min_luminance, 10000), d.brightest = within(m->max_luminance, 10000);
        d.screen = d.brightest > d.darkest;
    }
    if (light) {
        d.mostLight = static_cast<int>(std::min(light->MaxCLL, 10000u));
        d.meanLight = static_cast<int>(std::min(light->MaxFALL, 10000u));
    }
}

template <class T>
T* added(T* made, AVStream& s, AVPacketSideDataType type, std::size_t size) {
    if (!made) throw std::bad_alloc();
    if (av_stream_add_side_data(&s, type, reinterpret_cast<std::uint8_t*>(made), size) < 0) {
        av_free(made);
        throw std::bad_alloc();
    }
    return made;
}

} // namespace

HdrData hdrDataOf(const AVStream& s) {
    HdrData d;
    read(reinterpret_cast<const AVMasteringDisplayMetadata*>(
             av_stream_get_side_data(&s, AV_PKT_DATA_MASTERING_DISPLAY_METADATA, nullptr)),
         reinterpret_cast<const AVContentLightMetadata*>(
             av_stream_get_side_data(&s, AV_PKT_DATA_CONTENT_LIGHT_LEVEL, nullptr)),
         d);
    return d;
}

HdrData hdrDataOf(const AVFrame& f) {
    const auto* m = av_frame_get_side_data(&f, AV_FRAME_DATA_MASTERING_DISPLAY_METADATA);
    const auto* light = av_frame_get_side_data(&f, AV_FRAME_DATA_CONTENT_LIGHT_LEVEL);
    HdrData d;
    read(m ? reinterpret_cast<const AVMasteringDisplayMetadata*>(m->data) : nullptr,
         light ? reinterpret_cast<const AVContentLightMetadata*>(light->data) : nullptr, d);
    return d;
}

void putHdrData(const HdrData& d, AVStream& s) {
    if (d.screen) {
        auto* m = added(av_mastering_display_metadata_alloc(), s, AV_PKT_DATA_MASTERING_DISPLAY_METADATA,
                        sizeof(AVMasteringDisplayMetadata));
        const auto point = [](const HdrData::Point& p, AVRational* to) {
            to[0] = av_make_q(static_cast<int>(std::lround(p.x * 50000)), 50000);
            to[1] = av_make_q(static_cast<int>(std::lround(p.y * 50000)), 50000);
        };
        for (std::size_t c = 0; c < 3; ++c) point(d.primaries[c], m->display_primaries[c]);
        point(d.white, m->white_point);
        m->min_luminance = av_make_q(static_cast<int>(std::lround(d.darkest * 10000)), 10000);
        m->max_luminance = av_make_q(static_cast<int>(std::lround(d.brightest * 10000)), 10000);
        m->has_primaries = m->has_luminance = 1;
    }
    if (d.mostLight > 0) {
        std::size_t size = 0;
        auto* light = added(av_content_light_metadata_alloc(&size), s, AV_PKT_DATA_CONTENT_LIGHT_LEVEL,
                            sizeof(AVContentLightMetadata));
        light->MaxCLL = static_cast<unsigned>(d.mostLight);
        light->MaxFALL = static_cast<unsigned>(d.meanLight);
    }
}

} // namespace ulm
