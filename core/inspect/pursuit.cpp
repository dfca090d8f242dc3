#include "core/inspect/pursuit.h"

#include "core/base/error.h"
#include "core/inspect/small_rgb.h"
#include "core/media/source_stage.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/tracking.hpp>
#include <tbb/parallel_invoke.h>

namespace ulm {
namespace {

constexpr int kLongSide = 320; // of the pictures that are searched
constexpr int kPatch = 24;
constexpr double kAlike = 0.35, kRenewed = 0.1;
constexpr double kFlat = 1; // 8-bit steps: what varies by less shows nothing that could be found again

cv::Mat patchAt(const cv::Mat& picture, const cv::Rect2d& box) {
    cv::Mat patch, grey;
    cv::getRectSubPix(picture, cv::Size(std::max(3, int(box.width)), std::max(3, int(box.height))),
                      cv::Point2f(float(box.x + box.width / 2), float(box.y + box.height / 2)), patch);
    cv::cvtColor(patch, grey, cv::COLOR_RGB2GRAY);
    cv::resize(grey, patch, {kPatch, kPatch}, 0, 0, cv::INTER_AREA);
    patch.convertTo(patch, CV_32F);
    return patch;
}

// Middles of patches count most.
const cv::Mat& window() {
    static const cv::Mat all = [] {
        cv::Mat w;
        cv::createHanningWindow(w, {kPatch, kPatch}, CV_32F);
        return w;
    }();
    return all;
}

cv::Mat standingOut(const cv::Mat& patch) { return (patch - patch.dot(window()) / cv::sum(window())[0]).mul(window()); }

bool isFlat(const cv::Mat& patch) { return cv::norm(standingOut(patch)) < kFlat * cv::norm(window()); }

// Correlation of two patches: [-1, 1], 0 where one is flat.
double likeness(const cv::Mat& a, const cv::Mat& b) {
    if (isFlat(a) || isFlat(b)) return 0;
    const cv::Mat p = standingOut(a), q = standingOut(b);
    return p.dot(q) / (cv::norm(p) * cv::norm(q));
}

// What was pointed at may be much smaller than the box around it, which is then mostly ground: where it is of one
// colour and so clearly set off that narrow and wide bounds of what is alike find the same (a stable region: Matas,
// Chum, Urban & Pajdla, "Robust wide baseline stereo from maximally stable extremal regions", BMVC 2002), the box is
// drawn to it.
cv::Rect fitted(const cv::Mat& picture, const cv::Rect& box, const cv::Point& pointed) {
    constexpr int kNarrow = 24, kWide = 40; // 8-bit steps
    constexpr int kLeast = 6;               // pixels: less is a detail of something
    constexpr double kStable = 1.3, kMuchSmaller = 0.25;
    const cv::Mat part = picture(box).clone();
    const auto alike = [&](int within) {
        cv::Mat mask = cv::Mat::zeros(part.rows + 2, part.cols + 2, CV_8U);
        cv::Rect bounds;
        const cv::Scalar each = cv::Scalar::all(within);
        cv::floodFill(part, mask, pointed - box.tl(), {}, &bounds, each, each,
                      4 | cv::FLOODFILL_MASK_ONLY | cv::FLOODFILL_FIXED_RANGE | (255 << 8));
        return bounds;
    };
    const cv::Rect narrow = alike(kNarrow), wide = alike(kWide);
    const bool apart = wide.x > 0 && wide.y > 0 && wide.br().x < part.cols && wide.br().y < part.rows;
    const bool stable = wide.width <= kStable * narrow.width + 2 && wide.height <= kStable * narrow.height + 2;
    if (!apart || !stable || std::min(narrow.width, narrow.height) < kLeast || wide.area() > kMuchSmaller * box.area())
        return box;
    const int w = std::min(picture.cols, std::max(8, wide.width * 3 / 2)),
              h = std::min(picture.rows, std::max(8, wide.height * 3 / 2)); // all of it inside
    return {std::clamp(box.x + wide.x + wide.width / 2 - w / 2, 0, picture.cols - w),
            std::clamp(box.y + wide.y + wide.height / 2 - h / 2, 0, picture.rows - h), w, h};
}

class Follower {
public:
    Follower(const cv::Mat& picture, const cv::Rect& box) : box_(box), seen_(patchAt(picture, box)) {
        cv::TrackerCSRT::Params how;
        how.template_size = 100; // pictures are small, and nobody waits long
        tracker_ = cv::TrackerCSRT::create(how);
        tracker_->init(picture, box);
    }
    // False where nothing is found any more.
    bool follow(const cv::Mat& picture) {
        cv::Rect at;
        if (!tracker_->update(picture, at) || at.empty()) return false;
        box_ = at;
        const cv::Mat now = patchAt(picture, at);
        alike_ = likeness(seen_, now) > kAlike;
        if (alike_) seen_ += kRenewed * (now - seen_);
        return true;
    }
    bool alike() const { return alike_; }
    const cv::Rect& box() const { return box_; }

private:
    cv::Rect box_;
    cv::Mat seen_;
    bool alike_ = true;
    cv::Ptr<cv::TrackerCSRT> tracker_;
};

void smooth(std::vector<SubjectPlace>& v) {
    const std::vector<SubjectPlace> was = v;
    const int last = int(v.size()) - 1;
    for (int i = 0; i <= last; ++i) {
        const int reach = std::min({2, i, last - i}); // the same on both sides, so that ends do not lag
        float x = 0, y = 0;
        for (int k = i - reach; k <= i + reach; ++k) x += was[std::size_t(k)].x, y += was[std::size_t(k)].y;
        v[std::size_t(i)].x = x / float(2 * reach + 1), v[std::size_t(i)].y = y / float(2 * reach + 1);
    }
}

} // namespace

Pursuit pursue(const ClipPtr& clip, std::int64_t frame, const SubjectPlace& place, std::int64_t first,
               std::int64_t past, const CancelToken& cancel, const std::function<void(double)>& onProgress) {
    const SourceStage source(
        std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(24) << 20));
    const Rect whole = source.format().frame();
    const double scale = std::min(1.0, double(kLongSide) / std::max(whole.w, whole.h));
    const cv::Size size(std::max(16, int(std::lround(whole.w * scale))),
                        std::max(16, int(std::lround(whole.h * scale))));
    Picture picture = Picture::make(source.format(), whole);
    // Backwards needs all frames up to here: small, and only those.
    const auto smallAt = [&](std::int64_t n) {
        cancel.check();
        source.compute(n, {}, picture, cancel);
        cv::Mat small;
        smallRgb(picture, whole, size).convertTo(small, CV_8U, 255);
        return small;
    };
    frame = std::clamp(frame, first, past - 1);
    std::vector<cv::Mat> before;
    for (std::int64_t n = first; n <= frame; ++n) before.push_back(smallAt(n));

    const int w = std::clamp(int(std::lround(place.w * float(size.width))), 8, size.width),
              h = std::clamp(int(std::lround(place.h * float(size.height))), 8, size.height);
    const cv::Rect around(std::clamp(int(std::lround(place.x * float(size.width))) - w / 2, 0, size.width - w),
                          std::clamp(int(std::lround(place.y * float(size.height))) - h / 2, 0, size.height - h), w, h);
    const cv::Point pointed(std::clamp(int(place.x * float(size.width)), around.x, around.br().x - 1),
                            std::clamp(int(place.y * float(size.height)), around.y, around.br().y - 1));
    const cv::Rect box = fitted(before.back(), around, pointed);
    if (isFlat(patchAt(before.back(), box)))
        throw Error(Fault::Input, clip->path(), "what you clicked on looks the same all over and cannot be followed",
                    "Click on something that stands out, or drag the crop.");
    const auto patience = std::size_t(std::max(3.0, clip->facts().video.fps / 2));
    const auto told = [&](const cv::Rect& b) {
        return SubjectPlace{(float(b.x) + float(b.width) / 2) / float(size.width),
                            (float(b.y) + float(b.height) / 2) / float(size.height), float(b.width) / float(size.width),
                            float(b.height) / float(size.height)};
    };
    std::atomic<std::int64_t> followed = 1;
    const auto along = [&](std::int64_t count, const auto& pictureAt) {
        std::vector<SubjectPlace> places;
        Follower follower(before.back(), box);
        std::size_t doubtful = 0;
        for (std::int64_t k = 0; k < count && doubtful < patience; ++k) {
            cancel.check();
            if (!follower.follow(pictureAt(k))) break;
            places.push_back(told(follower.box()));
            doubtful = follower.alike() ? 0 : doubtful + 1;
            if (onProgress) onProgress(double(++followed) / double(past - first));
        }
        places.resize(places.size() - doubtful);
        return places;
    };
    std::vector<SubjectPlace> back, on;
    tbb::parallel_invoke(
        [&] {
            back = along(frame - first, [&](std::int64_t k) { return before[std::size_t(frame - first - 1 - k)]; });
        },
        [&] { on = along(past - 1 - frame, [&](std::int64_t k) { return smallAt(frame + 1 + k); }); });
    Pursuit p;
    p.first = frame - std::int64_t(back.size());
    p.places.assign(back.rbegin(), back.rend());
    p.places.push_back(told(box));
    p.places.insert(p.places.end(), on.begin(), on.end());
    smooth(p.places); // places are whole pixels of small pictures
    return p;
}

} // namespace ulm
