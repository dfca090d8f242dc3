#include "core/inspect/faces.h"

#include "core/inspect/small_rgb.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <mutex>
#include <opencv2/core/utils/logger.hpp>
#include <opencv2/dnn.hpp>

// The network's file is built in, so that nothing is searched for at run time.
asm(".section .rodata\n.balign 16\nulm_face_network:\n.incbin \"" FACE_NETWORK
    "\"\nulm_face_network_end:\n.byte 0\n.previous\n");
extern "C" {
extern const char ulm_face_network[], ulm_face_network_end[];
}

namespace ulm {
namespace {

constexpr int kSide = 192, kCells = 48;
constexpr float kScore = 0.6f, kSame = 0.3f; // as published: what counts, and overlap from which two are one face
constexpr float kHint = 0.1f;                // of an animal, of which a part is asked for that is most like a face

// A network keeps what it computes, so each use gets one of its own; reading it is slow, so few are made.
class Networks {
public:
    std::unique_ptr<cv::dnn::Net> take() {
        {
            std::lock_guard lock(mutex_);
            if (!idle_.empty()) {
                auto n = std::move(idle_.back());
                idle_.pop_back();
                return n;
            }
        }
        cv::utils::logging::setLogLevel(cv::utils::logging::LOG_LEVEL_SILENT);
        auto n = std::make_unique<cv::dnn::Net>(
            cv::dnn::readNetFromONNX(ulm_face_network, std::size_t(ulm_face_network_end - ulm_face_network)));
        n->setPreferableBackend(cv::dnn::DNN_BACKEND_OPENCV);
        return n;
    }
    void giveBack(std::unique_ptr<cv::dnn::Net> n) {
        std::lock_guard lock(mutex_);
        idle_.push_back(std::move(n));
    }

private:
    std::mutex mutex_;
    std::vector<std::unique_ptr<cv::dnn::Net>> idle_;
};

// A part of the picture, luma pixels, as the network takes it: in the middle of a square, R'G'B' in [-1, 1].
struct Shrunk {
    cv::Mat planes;    ///< 1×3×kSide×kSide
    float scale = 1;   ///< network pixels a luma pixel
    float left, upper; ///< of the part in the square
};

Shrunk shrunk(const Picture& p, const Rect& part) {
    Shrunk s;
    s.scale = float(kSide) / float(std::max(part.w, part.h));
    const cv::Size size(std::max(1, int(std::lround(float(part.w) * s.scale))),
                        std::max(1, int(std::lround(float(part.h) * s.scale))));
    const int left = (kSide - size.width) / 2, upper = (kSide - size.height) / 2;
    s.left = float(left), s.upper = float(upper);
    cv::Mat square(kSide, kSide, CV_32FC3, cv::Scalar::all(0.5)); // grey around it
    smallRgb(p, part, size).copyTo(square(cv::Rect(left, upper, size.width, size.height)));
    s.planes = cv::dnn::blobFromImage(square, 2, {}, cv::Scalar::all(0.5));
    return s;
}

// The whole picture, and where it is much longer than wide, squares along it: small faces would be lost in the whole.
std::vector<Rect> parts(const Rect& r) {
    std::vector<Rect> all = {r};
    const int side = std::min(r.w, r.h), length = std::max(r.w, r.h);
    if (2 * length < 3 * side) return all;
    constexpr int kMost = 4; // along a panorama they stand apart
    const int count = std::clamp((5 * length + 6 * side - 1) / (6 * side), 2, kMost);
    for (int k = 0; k < count; ++k) {
        const int at = (length - side) * k / (count - 1);
        all.push_back(r.w > r.h ? Rect{r.x + at, r.y, side, side} : Rect{r.x, r.y + at, side, side});
    }
    return all;
}

// Eyes, nose and mouth of a face that is turned aside lie to one side of its head, whose middle lies between the ears,
// which the network finds too, hidden or not. How far that is from the box's middle along the line through both ears;
// `v`: what the network says of a place.
cv::Point2f towardsEars(const float* v) {
    const cv::Point2f middle(v[0], v[1]), right(v[12], v[13]), left(v[14], v[15]), line = left - right;
    const float length = line.dot(line);
    constexpr float kMost = 0.3f; // of the box's width
    if (!(length > 0)) return {};
    const cv::Point2f away = line * (((left + right) * 0.5f - middle).dot(line) / length);
    const float far = std::hypot(away.x, away.y), most = kMost * std::abs(v[2]);
    if (!std::isfinite(far)) return {};
    return far > most ? away * (most / far) : away;
}

bool isTiny(const Rect& r) { return r.w < 40 || r.h < 40; }

std::vector<Mark> facesIn(const Picture& p, std::int64_t frame, const std::vector<Rect>& looked, float least = kScore) {
    static Networks networks;
    const Rect all = p.planes[0].area();
    auto network = networks.take();
    std::vector<cv::Rect> boxes;
    std::vector<cv::Point2f> toMiddle;
    std::vector<float> scores;
    for (const Rect& part : looked) {
        const Shrunk s = shrunk(p, part);
        network->setInput(s.planes);
        std::vector<cv::Mat> out;
        network->forward(out, network->getUnconnectedOutLayersNames());
        const bool scoresFirst = out[0].size[2] == 1;
        const cv::Mat &score = out[scoresFirst ? 0 : 1], &box = out[scoresFirst ? 1 : 0];
        for (int k = 0; k < kCells * kCells; ++k) {
            const float sure = 1 / (1 + std::exp(-*score.ptr<float>(0, k)));
            if (!(sure >= least)) continue;
            const float* v = box.ptr<float>(0, k);
            constexpr float kCell = float(kSide) / kCells;
            const float x = (float(k % kCells) + 0.5f) * kCell + v[0] - v[2] / 2 - s.left,
                        y = (float(k / kCells) + 0.5f) * kCell + v[1] - v[3] / 2 - s.upper;
            boxes.emplace_back(part.x + int(std::lround(x / s.scale)), part.y + int(std::lround(y / s.scale)),
                               int(std::lround(v[2] / s.scale)), int(std::lround(v[3] / s.scale)));
            toMiddle.push_back(towardsEars(v) / s.scale);
            scores.push_back(sure);
        }
    }
    networks.giveBack(std::move(network));
    std::vector<int> kept;
    cv::dnn::NMSBoxes(boxes, scores, least, kSame, kept);
    std::vector<Mark> found;
    for (const int k : kept) {
        const cv::Rect& b = boxes[std::size_t(k)];
        const cv::Point2f across = 2 * toMiddle[std::size_t(k)]; // as far beyond the head's middle as before it
        const Rect face{b.x, b.y, b.width, b.height},
            beyond{b.x + int(std::lround(across.x)), b.y + int(std::lround(across.y)), b.width, b.height};
        const Rect box = face.united(beyond).intersected(all);
        if (!box.empty()) found.push_back({frame, box, scores[std::size_t(k)]});
    }
    std::ranges::sort(found, std::greater{}, [](const Mark& m) { return m.box.pixels(); });
    return found;
}

} // namespace

std::vector<Mark> findFaces(const Picture& p, std::int64_t frame) {
    const Rect all = p.planes[0].area();
    return isTiny(all) ? std::vector<Mark>{} : facesIn(p, frame, parts(all));
}

std::optional<Rect> findHead(const Picture& p, const Rect& box) {
    const Rect all = p.planes[0].area();
    if (isTiny(all)) return {};
    std::vector<Mark> found = facesIn(p, 0, {all}, kHint);
    std::erase_if(found, [&](const Mark& m) {
        return !box.contains({m.box.x + m.box.w / 2, m.box.y + m.box.h / 2, 1, 1});
    });
    if (found.empty()) return {};
    return std::ranges::max_element(found, {}, &Mark::confidence)->box;
}

std::vector<Mark> findFacesInTurn(const Picture& p, std::int64_t frame, int turn) {
    const Rect all = p.planes[0].area();
    if (isTiny(all)) return {};
    const std::vector<Rect> each = parts(all);
    return facesIn(p, frame, {each[std::size_t(turn) % each.size()]});
}

} // namespace ulm
