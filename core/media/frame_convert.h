#pragma once

#include "core/media/av.h"
#include "core/picture/picture.h"

namespace ulm {

/// The picture format in which frames of this pixel format are handled: the same chroma subsampling and depth for
/// Y'CbCr; 4:4:4 Y'CbCr BT.709 for RGB, palettes and grey with alpha.
PictureFormat pictureFormatFor(AVPixelFormat format, int width, int height, const ColourDescription& colour);

/// Fills `out` (any area inside the frame) from a decoded frame of any pixel format libavutil describes. Samples that
/// the frame does not have (it is smaller than the format says) are black. Integer codes map exactly: see Picture.
void toPicture(const AVFrame& frame, Picture& out);

/// A frame whose samples are not set. Throws std::bad_alloc.
av::Frame emptyFrame(int width, int height, AVPixelFormat format);
/// Rounds `in` (4:2:0, any even part of the frame) to codes of the frame's format (AV_PIX_FMT_YUV420P or …P10), without
/// dither, and writes them in their place.
void writeInto(AVFrame& frame, const Picture& in);
/// Both: `in` is the whole frame.
av::Frame toFrame(const Picture& in, AVPixelFormat format);

} // namespace ulm
