#include "core/media/source_stage.h"

#include "core/media/frame_convert.h"

#include <algorithm>
#include <tuple>

namespace ulm {
namespace {

PictureFormat storedFormat(const Clip& clip) {
    const VideoFacts& v = clip.facts().video;
    return pictureFormatFor(av_get_pix_fmt(v.pixelFormat.c_str()), v.codedWidth, v.codedHeight, v.colour);
}

// Where a chroma sample lies in its block of two by two, in halves from left and top, by its kind (1 … 6).
constexpr int kSites[7][2] = {{0, 1}, {0, 1}, {1, 1}, {0, 0}, {1, 0}, {0, 2}, {1, 2}};

// Where it lies upright. On the right of its block, which no file can say, is written as "not told" (0); readers then
// take the left, half a chroma sample off. What is not told is taken for the left here, too.
int uprightSite(int site, int rotation, bool mirrored) {
    if (rotation == 0 && !mirrored) return site;
    int x = kSites[std::clamp(site, 0, 6)][0], y = kSites[std::clamp(site, 0, 6)][1];
    if (mirrored) x = 2 - x;
    for (int turned = 0; turned < rotation; turned += 90) std::tie(x, y) = std::pair(2 - y, x);
    for (int kind = 1; kind <= 6; ++kind)
        if (kSites[kind][0] == x && kSites[kind][1] == y) return kind;
    return 0;
}

PictureFormat uprightFormat(const Clip& clip) {
    PictureFormat f = storedFormat(clip);
    const auto [rotation, mirrored] = std::pair(clip.facts().video.rotation, clip.facts().video.mirrored);
    f.colour.chromaSite = uprightSite(f.colour.chromaSite, rotation, mirrored);
    if (rotation % 180) {
        std::swap(f.width, f.height);
        std::swap(f.subW, f.subH);
    }
    return f;
}

Key sourceKey(const Clip& clip) {
    return KeyMaker("source").add(clip.path()).add(clip.state().bytes).add(clip.state().written);
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
