#include "core/inspect/camera.h"

#include "core/inspect/prints.h"
#include "core/media/frame_convert.h"
#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <random>

namespace ulm {
namespace {

constexpr int kSide = 320, kCells = 4, kInCell = 5, kFewest = 45, kAge = 10;
constexpr int kWindow = 11, kLevels = 3;
constexpr float kAgrees = 0.7f; // pixels of the small picture
constexpr double kAgreeing = 0.4, kSpread = 0.4;

using Points = std::vector<cv::Point2f>;

// x' = a x − b y + c, y' = b x + a y + d.
struct Similarity {
    double a = 1, b = 0, c = 0, d = 0;
    cv::Point2f operator()(cv::Point2f p) const { return {float(a * p.x - b * p.y + c), float(b * p.x + a * p.y + d)}; }
};

// Least squares over the pairs that count.
Similarity fitted(const Points& from, const Points& to, const std::vector<char>& counts) {
    double n = 0, fx = 0, fy = 0, tx = 0, ty = 0;
    for (std::size_t i = 0; i < from.size(); ++i)
        if (counts[i]) n += 1, fx += from[i].x, fy += from[i].y, tx += to[i].x, ty += to[i].y;
    if (n < 2) return {};
    fx /= n, fy /= n, tx /= n, ty /= n;
    double dot = 0, cross = 0, square = 0;
    for (std::size_t i = 0; i < from.size(); ++i) {
        if (!counts[i]) continue;
        const double px = from[i].x - fx, py = from[i].y - fy, qx = to[i].x - tx, qy = to[i].y - ty;
        dot += px * qx + py * qy, cross += px * qy - py * qx, square += px * px + py * py;
    }
    Similarity s;
    if (square > 1e-6) s.a = dot / square, s.b = cross / square;
    s.c = tx - (s.a * fx - s.b * fy), s.d = ty - (s.b * fx + s.a * fy);
    return s;
}

std::size_t agreeing(const Similarity& s, const Points& from, const Points& to, std::vector<char>& which) {
    std::size_t n = 0;
    for (std::size_t i = 0; i < from.size(); ++i) {
        const cv::Point2f off = s(from[i]) - to[i];
        which[i] = off.x * off.x + off.y * off.y < kAgrees * kAgrees;
        n += which[i];
    }
    return n;
}

// The best corners of each cell of a grid: what is rich in corners must not outvote the rest of the picture.
Points cornersOf(const cv::Mat& picture) {
    Points all, here;
    for (int j = 0; j < kCells; ++j)
        for (int i = 0; i < kCells; ++i) {
            const cv::Rect cell(i * picture.cols / kCells, j * picture.rows / kCells, picture.cols / kCells,
                                picture.rows / kCells);
            cv::goodFeaturesToTrack(picture(cell), here, kInCell, 0.02, kSide / 24.0);
            for (const cv::Point2f& p : here) all.push_back({p.x + float(cell.x), p.y + float(cell.y)});
        }
    return all;
}

// Share of the grid's cells with corners, in which some agree.
double spread(const Points& at, const std::vector<char>& which, cv::Size size) {
    int all[kCells * kCells] = {}, good[kCells * kCells] = {};
    for (std::size_t i = 0; i < at.size(); ++i) {
        const int k = std::clamp(int(at[i].x * kCells / float(size.width)), 0, kCells - 1) +
                      kCells * std::clamp(int(at[i].y * kCells / float(size.height)), 0, kCells - 1);
        ++all[k], good[k] += which[i];
    }
    int places = 0, agree = 0;
    for (int k = 0; k < kCells * kCells; ++k) places += all[k] > 0, agree += 2 * good[k] > all[k];
    return places ? double(agree) / places : 0;
}

} // namespace

struct CameraFinder::State {
    VideoFacts facts;
    cv::Size size; ///< of the small picture, as stored, square pixels
    std::vector<cv::Mat> last;
    Points corners;
    int age = 0;
    std::vector<CameraMove> moves;
    std::size_t understood = 0;

    cv::Mat small(const AVFrame& f) const;
    CameraMove moved(const Points& from, const Points& to, bool& sure) const;
};

CameraFinder::CameraFinder(const VideoFacts& v) : s_(std::make_unique<State>()) {
    s_->facts = v;
    const bool lies = v.rotation % 180 != 0;
    const double w = lies ? v.height : v.width, h = lies ? v.width : v.height, k = kSide / std::max({w, h, 1.0});
    s_->size = {std::max(16, int(std::lround(w * k))), std::max(16, int(std::lround(h * k)))};
}

CameraFinder::~CameraFinder() = default;

cv::Mat CameraFinder::State::small(const AVFrame& f) const {
    const int bytes = planarLumaBytes(f);
    cv::Mat shrunk, eight;
    if (bytes == 0) {
        Picture p = Picture::make(pictureFormatFor(static_cast<AVPixelFormat>(f.format), f.width, f.height, {}),
                                  {0, 0, f.width, f.height});
        toPicture(f, p);
        cv::resize(viewOf(p.planes[0]), shrunk, size, 0, 0, cv::INTER_AREA);
        shrunk.convertTo(eight, CV_8U, 255);
        return eight;
    }
    const cv::Mat luma(f.height, f.width, bytes == 2 ? CV_16U : CV_8U, f.data[0], std::size_t(f.linesize[0]));
    cv::resize(luma, shrunk, size, 0, 0, cv::INTER_AREA);
    if (bytes == 1) return shrunk;
    shrunk.convertTo(eight, CV_8U, 255.0 / ((1 << lumaDepth(f)) - 1));
    return eight;
}

CameraMove CameraFinder::State::moved(const Points& from, const Points& to, bool& sure) const {
    sure = false;
    if (from.size() < 12) return {};
    std::vector<char> which(from.size()), best(from.size());
    std::size_t most = 0;
    std::minstd_rand dice(1); // the same every time
    for (int round = 0; round < 80; ++round) {
        const std::size_t i = dice() % from.size(), j = dice() % from.size();
        const cv::Point2f p = from[j] - from[i], q = to[j] - to[i];
        const double square = double(p.x) * p.x + double(p.y) * p.y;
        if (square < 400) continue; // too near each other to tell turns by
        Similarity s;
        s.a = (p.x * q.x + p.y * q.y) / square, s.b = (p.x * q.y - p.y * q.x) / square;
        s.c = to[i].x - (s.a * from[i].x - s.b * from[i].y), s.d = to[i].y - (s.b * from[i].x + s.a * from[i].y);
        if (std::abs(std::hypot(s.a, s.b) - 1) > 0.15) continue;
        if (const std::size_t n = agreeing(s, from, to, which); n > most) most = n, best = which;
    }
    Similarity s;
    for (int round = 0; round < 3; ++round) {
        s = fitted(from, to, best);
        most = agreeing(s, from, to, best);
    }
    sure = double(most) >= kAgreeing * double(from.size()) && most >= 10 && spread(from, best, size) >= kSpread;
    if (!sure) return {};
    const cv::Point2f middle(float(size.width) / 2, float(size.height) / 2), to_ = s(middle);
    const double longer = std::max(size.width, size.height);
    CameraMove m{float((to_.x - middle.x) / longer), float((to_.y - middle.y) / longer), float(std::atan2(s.b, s.a)),
                 float(std::log(std::hypot(s.a, s.b)))};
    if (facts.mirrored) m.x = -m.x, m.turn = -m.turn;
    for (int turned = 0; turned < facts.rotation; turned += 90) {
        const float x = m.x;
        m.x = -m.y, m.y = x;
    }
    return m;
}

void CameraFinder::add(const AVFrame& frame) {
    State& s = *s_;
    const cv::Mat now = s.small(frame);
    std::vector<cv::Mat> pyramid;
    cv::buildOpticalFlowPyramid(now, pyramid, {kWindow, kWindow}, kLevels);
    CameraMove move;
    bool sure = s.moves.empty();
    Points there;
    if (!s.last.empty() && !s.corners.empty()) {
        std::vector<unsigned char> found;
        std::vector<float> error;
        cv::calcOpticalFlowPyrLK(s.last, pyramid, s.corners, there, found, error, {kWindow, kWindow}, kLevels,
                                 {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 10, 0.03});
        Points from, to;
        for (std::size_t i = 0; i < there.size(); ++i)
            if (found[i] && there[i].x >= 0 && there[i].y >= 0 && there[i].x < float(s.size.width) &&
                there[i].y < float(s.size.height))
                from.push_back(s.corners[i]), to.push_back(there[i]);
        move = s.moved(from, to, sure);
        there = std::move(to);
    }
    s.understood += sure;
    s.moves.push_back(move);
    if (!sure || s.age++ % kAge == 0 || there.size() < kFewest) there = cornersOf(now);
    s.corners = std::move(there);
    s.last = std::move(pyramid);
}

std::vector<CameraMove> CameraFinder::moves() const { return s_->moves; }

double CameraFinder::trust() const { return s_->moves.empty() ? 0 : double(s_->understood) / double(s_->moves.size()); }

Tremble trembleOf(const std::vector<CameraMove>& moves, const std::vector<std::int64_t>& cuts, double fps) {
    Tremble out;
    const auto half = std::max<std::int64_t>(2, std::llround(fps / 4));
    std::vector<std::int64_t> edges = cuts;
    edges.insert(edges.begin(), 0);
    edges.push_back(std::int64_t(moves.size()));
    double sum = 0, largest = 0;
    std::int64_t counted = 0;
    for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
        const std::int64_t n = edges[e + 1] - edges[e];
        if (n <= 2 * half) continue;
        std::vector<double> x(1, 0), y(1, 0);
        for (std::int64_t k = 1; k < n; ++k) {
            const CameraMove& m = moves[std::size_t(edges[e] + k)];
            x.push_back(x.back() + m.x), y.push_back(y.back() + m.y);
        }
        for (std::int64_t k = half; k + half < n; ++k) {
            double mx = 0, my = 0;
            for (std::int64_t j = k - half; j <= k + half; ++j) mx += x[std::size_t(j)], my += y[std::size_t(j)];
            const double dx = x[std::size_t(k)] - mx / double(2 * half + 1),
                         dy = y[std::size_t(k)] - my / double(2 * half + 1), square = dx * dx + dy * dy;
            sum += square;
            ++counted;
            if (square > largest) largest = square, out.most = edges[e] + k;
        }
    }
    if (counted) out.size = std::sqrt(sum / double(counted));
    return out;
}

} // namespace ulm
