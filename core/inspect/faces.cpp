#include "core/inspect/face_cascade.h"
#include "core/inspect/marks.h"

#include <cmath>
#include <mutex>
#include <opencv2/objdetect.hpp>

namespace ulm {
namespace {

// A detector keeps scratch memory, so each use gets one of its own; parsing the cascade is slow, so few are made.
class Detectors {
public:
    std::unique_ptr<cv::CascadeClassifier> take() {
        {
            std::lock_guard lock(mutex_);
            if (!idle_.empty()) {
                auto d = std::move(idle_.back());
                idle_.pop_back();
                return d;
            }
        }
        auto d = std::make_unique<cv::CascadeClassifier>();
        const cv::FileStorage file(faceCascade(), cv::FileStorage::READ | cv::FileStorage::MEMORY);
        d->read(file.getFirstTopLevelNode());
        return d;
    }
    void giveBack(std::unique_ptr<cv::CascadeClassifier> d) {
        std::lock_guard lock(mutex_);
        idle_.push_back(std::move(d));
    }

private:
    std::mutex mutex_;
    std::vector<std::unique_ptr<cv::CascadeClassifier>> idle_;
};

} // namespace

std::vector<Mark> findFaces(const Plane& p, std::int64_t frame) {
    static Detectors detectors;
    const Rect r = p.area();
    const double shrink = std::max(1.0, std::max(r.w, r.h) / 320.0);
    const int w = static_cast<int>(r.w / shrink), h = static_cast<int>(r.h / shrink);
    if (w < 40 || h < 40) return {};
    cv::Mat grey(h, w, CV_8UC1);
    for (int y = 0; y < h; ++y) {
        const int y0 = r.y + static_cast<int>(y * shrink),
                  y1 = std::max(y0 + 1, r.y + static_cast<int>((y + 1) * shrink));
        for (int x = 0; x < w; ++x) {
            const int x0 = static_cast<int>(x * shrink), x1 = std::max(x0 + 1, static_cast<int>((x + 1) * shrink));
            float sum = 0;
            for (int j = y0; j < std::min(y1, r.bottom()); ++j)
                for (int i = x0; i < std::min(x1, r.w); ++i) sum += p.row(j)[i];
            grey.at<std::uint8_t>(y, x) = cv::saturate_cast<std::uint8_t>(255 * sum / float((y1 - y0) * (x1 - x0)));
        }
    }
    auto detector = detectors.take();
    std::vector<cv::Rect> boxes;
    std::vector<int> votes;
    const int least = std::max(24, std::min(w, h) / 12);
    detector->detectMultiScale(grey, boxes, votes, 1.15, 5, 0, {least, least});
    detectors.giveBack(std::move(detector));
    std::vector<Mark> out;
    for (std::size_t i = 0; i < boxes.size(); ++i)
        out.push_back({frame,
                       Rect{r.x + static_cast<int>(boxes[i].x * shrink), r.y + static_cast<int>(boxes[i].y * shrink),
                            static_cast<int>(boxes[i].width * shrink), static_cast<int>(boxes[i].height * shrink)}
                           .intersected(r),
                       std::min(0.95, 0.4 + 0.03 * votes[i])});
    std::ranges::sort(out, std::greater{}, [](const Mark& m) { return m.box.pixels(); });
    return out;
}

} // namespace ulm
