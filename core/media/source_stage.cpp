#include "core/media/source_stage.h"

#include "core/media/frame_convert.h"

#include <filesystem>

namespace ulm {
namespace {

PictureFormat storedFormat(const Clip& clip) {
    const VideoFacts& v = clip.facts().video;
    return pictureFormatFor(av_get_pix_fmt(v.pixelFormat.c_str()), v.codedWidth, v.codedHeight, v.colour);
}

// Where a chroma sample lies after turning its block clockwise: columns of the table are 0, 90, 180 and 270 degrees.
int turnedSite(int site, int rotation) {
    static constexpr int kTurned[7][4] = {{0, 4, 0, 6}, {1, 4, 0, 6}, {2, 2, 2, 2}, {3, 0, 0, 5},
                                          {4, 0, 6, 1}, {5, 3, 0, 0}, {6, 1, 4, 0}};
    return kTurned[std::clamp(site, 0, 6)][rotation / 90];
}

// Where it lies after left and right are exchanged. On the right of its block, which no file can say, is written as
// "not told"; readers then take the left, half a chroma sample off.
int mirroredSite(int site) { return site == 1 || site == 3 || site == 5 ? 0 : site; }

PictureFormat uprightFormat(const Clip& clip) {
    PictureFormat f = storedFormat(clip);
    const auto [rotation, mirrored] = std::pair(clip.facts().video.rotation, clip.facts().video.mirrored);
    if (mirrored) f.colour.chromaSite = mirroredSite(f.colour.chromaSite);
    if (rotation % 180) {
        std::swap(f.width, f.height);
        std::swap(f.subW, f.subH);
    }
    if (rotation) f.colour.chromaSite = turnedSite(f.colour.chromaSite, rotation);
    return f;
}

Key sourceKey(const Clip& clip) {
    std::error_code ec;
    const auto written = std::filesystem::last_write_time(clip.path(), ec).time_since_epoch().count();
    return KeyMaker("source").add(clip.path()).add(clip.facts().bytes).add(static_cast<std::int64_t>(written));
}

// Where sample (x, y) of the upright plane (w × h) comes from in the stored one.
void turnPlane(const Plane& stored, int rotation, bool mirrored, int w, int h, Plane& out) {
    for (int y = out.area().y; y < out.area().bottom(); ++y)
        for (int x = out.area().x; x < out.area().right(); ++x) {
            int sx = x, sy = y;
            if (rotation == 90) sx = y, sy = w - 1 - x;
            if (rotation == 180) sx = w - 1 - x, sy = h - 1 - y;
            if (rotation == 270) sx = h - 1 - y, sy = x;
            if (mirrored) sx = stored.area().w - 1 - sx;
            out.row(y)[x - out.area().x] = stored.at(sx, sy);
        }
}

} // namespace

SourceStage::SourceStage(std::shared_ptr<FrameReader> reader)
    : Stage({}, uprightFormat(reader->clip()), sourceKey(reader->clip())), reader_(std::move(reader)),
      stored_(storedFormat(reader_->clip())) {}

void SourceStage::compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken& cancel) const {
    const DecodedFrame frame = reader_->frame(n, cancel);
    const VideoFacts& v = reader_->clip().facts().video;
    if (v.upright()) return toPicture(*frame.picture, out);
    // A turned chroma plane of odd size starts at the other end of its block, so whole frames are converted.
    Picture stored = Picture::make(stored_, stored_.frame());
    toPicture(*frame.picture, stored);
    for (int c = 0; c < 3; ++c) {
        const Rect whole = out.planeArea(c, out.format.frame());
        turnPlane(stored.planes[c], v.rotation, v.mirrored, whole.w, whole.h, out.planes[c]);
    }
}

} // namespace ulm
