#include "core/media/frame_convert.h"

#include "core/base/error.h"
#include "core/picture/colour.h"

#include <cmath>
#include <cstring>
#include <new>
#include <vector>

namespace ulm {
namespace {

bool isRgb(const AVPixFmtDescriptor& d) { return d.flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL); }

// Planar little-endian Y'CbCr, one component a plane: what nearly every clip is.
bool isPlainPlanar(const AVPixFmtDescriptor& d) {
    if (isRgb(d) || d.nb_components < 3 || !(d.flags & AV_PIX_FMT_FLAG_PLANAR) ||
        (d.flags & (AV_PIX_FMT_FLAG_BE | AV_PIX_FMT_FLAG_FLOAT | AV_PIX_FMT_FLAG_BITSTREAM | AV_PIX_FMT_FLAG_HWACCEL)))
        return false;
    for (int c = 0; c < 3; ++c)
        if (d.comp[c].plane != c || d.comp[c].shift != 0 || d.comp[c].offset != 0) return false;
    return true;
}

void fill(Plane& plane, float value) {
    for (int y = plane.area().y; y < plane.area().bottom(); ++y) std::fill_n(plane.row(y), plane.area().w, value);
}

template <class Code>
void readPlane(const std::uint8_t* data, std::ptrdiff_t bytesPerRow, const Rect& have, CodeScale s, Plane& out) {
    const Rect r = out.area().intersected(have);
    if (r != out.area()) fill(out, 0.f);
    const float scale = static_cast<float>(1.0 / s.scale), offset = static_cast<float>(-s.offset / s.scale);
    for (int y = r.y; y < r.bottom(); ++y) {
        const Code* from = reinterpret_cast<const Code*>(data + y * bytesPerRow) + r.x;
        float* to = out.row(y) + (r.x - out.area().x);
        for (int x = 0; x < r.w; ++x) to[x] = static_cast<float>(from[x]) * scale + offset;
    }
}

// Any other format, through libavutil's component reader.
void readGeneric(const AVFrame& f, const AVPixFmtDescriptor& d, Picture& out) {
    const bool rgb = isRgb(d);
    const bool grey = d.nb_components < 3 && !(d.flags & AV_PIX_FMT_FLAG_PAL);
    const int depth = (d.flags & AV_PIX_FMT_FLAG_PAL) ? 8 : d.comp[0].depth;
    std::vector<std::uint16_t> codes(static_cast<std::size_t>(f.width) + 16);
    for (int c = 0; c < 3; ++c) {
        Plane& plane = out.planes[c];
        if (grey && c > 0) {
            fill(plane, 0.f);
            continue;
        }
        const CodeScale s =
            rgb ? CodeScale{double((1 << depth) - 1), 0, false} : codeScale(depth, out.format.colour.fullRange, c > 0);
        const int sw = c ? out.format.subW : 0, sh = c ? out.format.subH : 0;
        const Rect have{0, 0, (f.width + (1 << sw) - 1) >> sw, (f.height + (1 << sh) - 1) >> sh};
        const Rect r = plane.area().intersected(have);
        if (r != plane.area()) fill(plane, 0.f);
        const auto** data = const_cast<const std::uint8_t**>(f.data);
        for (int y = r.y; y < r.bottom(); ++y) {
            av_read_image_line2(codes.data(), data, f.linesize, &d, r.x, y, c, r.w,
                                (d.flags & AV_PIX_FMT_FLAG_PAL) ? 1 : 0, 2);
            float* to = plane.row(y) + (r.x - plane.area().x);
            for (int x = 0; x < r.w; ++x) to[x] = static_cast<float>((codes[x] - s.offset) / s.scale);
        }
    }
    if (rgb) rgbToYcc(out, matrixWeights(out.format.colour.matrix));
}

template <class Code>
void writePlane(const Plane& in, CodeScale s, int most, std::uint8_t* data, std::ptrdiff_t bytesPerRow) {
    const float scale = static_cast<float>(s.scale), offset = static_cast<float>(s.offset) + 0.5f;
    const float top = static_cast<float>(most) + 0.5f;
    for (int y = 0; y < in.area().h; ++y) {
        const float* from = in.row(y + in.area().y);
        Code* to = reinterpret_cast<Code*>(data + (y + in.area().y) * bytesPerRow) + in.area().x;
        for (int x = 0; x < in.area().w; ++x)
            to[x] = static_cast<Code>(static_cast<int>(std::min(std::max(from[x] * scale + offset, 0.5f), top)));
    }
}

} // namespace

PictureFormat pictureFormatFor(AVPixelFormat format, int width, int height, const ColourDescription& colour) {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(format);
    PictureFormat f{width, height, 0, 0, 8, colour};
    if (!d) return f;
    f.bitDepth = (d->flags & AV_PIX_FMT_FLAG_PAL) ? 8 : std::clamp(d->comp[0].depth, 8, 16);
    if (isRgb(*d)) {
        f.colour.matrix = 1;
        f.colour.fullRange = false;
        f.colour.chromaSite = 0;
        if (colour.primaries == 2) f.colour.primaries = 1;
        if (colour.transfer == 2) f.colour.transfer = 1;
    } else if (d->nb_components >= 3) {
        f.subW = d->log2_chroma_w;
        f.subH = d->log2_chroma_h;
    }
    return f;
}

void toPicture(const AVFrame& frame, Picture& out) {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(frame.format));
    if (!d) throw Error(Fault::Input, "", "its pixel format is not known", "Export it again as 4:2:0 H.264.");
    const bool sameShape = d->nb_components < 3 || isRgb(*d) ||
                           (d->log2_chroma_w == out.format.subW && d->log2_chroma_h == out.format.subH);
    if (!sameShape) { // a stream that changes its format half way: its frames cannot be placed
        for (Plane& p : out.planes) fill(p, 0.f);
        return;
    }
    if (!isPlainPlanar(*d)) return readGeneric(frame, *d, out);
    const int depth = d->comp[0].depth;
    for (int c = 0; c < 3; ++c) {
        const int sw = c ? d->log2_chroma_w : 0, sh = c ? d->log2_chroma_h : 0;
        const Rect have{0, 0, (frame.width + (1 << sw) - 1) >> sw, (frame.height + (1 << sh) - 1) >> sh};
        const CodeScale s = codeScale(depth, out.format.colour.fullRange, c > 0);
        if (depth <= 8)
            readPlane<std::uint8_t>(frame.data[c], frame.linesize[c], have, s, out.planes[c]);
        else
            readPlane<std::uint16_t>(frame.data[c], frame.linesize[c], have, s, out.planes[c]);
    }
}

av::Frame emptyFrame(int width, int height, AVPixelFormat format) {
    av::Frame f(av_frame_alloc());
    if (!f) throw std::bad_alloc();
    f->format = format;
    f->width = width;
    f->height = height;
    if (av_frame_get_buffer(f.get(), 0) < 0) throw std::bad_alloc();
    return f;
}

void writeInto(AVFrame& f, const Picture& in) {
    const int depth = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(f.format))->comp[0].depth;
    for (int c = 0; c < 3; ++c) {
        const CodeScale s = codeScale(depth, in.format.colour.fullRange, c > 0);
        if (depth <= 8)
            writePlane<std::uint8_t>(in.planes[c], s, (1 << depth) - 1, f.data[c], f.linesize[c]);
        else
            writePlane<std::uint16_t>(in.planes[c], s, (1 << depth) - 1, f.data[c], f.linesize[c]);
    }
}

av::Frame toFrame(const Picture& in, AVPixelFormat format) {
    av::Frame f = emptyFrame(in.format.width, in.format.height, format);
    writeInto(*f, in);
    return f;
}

} // namespace ulm
