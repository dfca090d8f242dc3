#include "core/finish/curve.h"

#include "core/base/words.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {

constexpr std::size_t kMost = 16;
constexpr double kApart = 0.005; // of the signal

std::string read(const std::string& text, std::vector<CurvePoint>& points) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        std::string_view left = word;
        const auto from = takeNumber(left, ':'), to = from ? takeNumber(left, 0) : std::nullopt;
        if (!to) return "must be TONE:TONE … in percent, such as 0:0 25:20 100:100";
        if (*from < 0 || *from > 100 || *to < 0 || *to > 100) return "must have tones in 0…100";
        if (!points.empty() && *from / 100 < points.back().from + kApart)
            return "must go from dark to bright, half a percent apart at least";
        if (points.size() == kMost) return "must not have more than 16 places";
        points.push_back({*from / 100, *to / 100});
    }
    return points.size() == 1 ? "must have two places at least" : "";
}

} // namespace

std::string curveWrong(const std::string& text) {
    std::vector<CurvePoint> points;
    return read(text, points);
}

std::vector<CurvePoint> curveFrom(const std::string& text) {
    std::vector<CurvePoint> points;
    return read(text, points).empty() ? points : std::vector<CurvePoint>{};
}

std::string curveText(const std::vector<CurvePoint>& points) {
    const bool straight =
        std::ranges::all_of(points, [](const CurvePoint& p) { return std::abs(p.to - p.from) < 5e-4; });
    if (straight && !points.empty() && points.front().from < 5e-4 && points.back().from > 1 - 5e-4) return "";
    std::ostringstream text;
    for (const CurvePoint& p : points)
        text << (text.tellp() ? " " : "") << std::lround(1000 * p.from) / 10.0 << ':'
             << std::lround(1000 * p.to) / 10.0;
    return text.str();
}

ToneCurve::ToneCurve(std::vector<CurvePoint> points) : points_(std::move(points)), slopes_(points_.size(), 0) {
    if (points_.size() < 2) {
        points_.clear();
        return;
    }
    std::vector<double> steep;
    for (std::size_t i = 0; i + 1 < points_.size(); ++i)
        steep.push_back((points_[i + 1].to - points_[i].to) / (points_[i + 1].from - points_[i].from));
    slopes_.front() = steep.front(), slopes_.back() = steep.back();
    for (std::size_t i = 1; i + 1 < points_.size(); ++i)
        slopes_[i] = steep[i - 1] * steep[i] <= 0 ? 0 : (steep[i - 1] + steep[i]) / 2;
    for (std::size_t i = 0; i < steep.size(); ++i) {
        if (steep[i] == 0) {
            slopes_[i] = slopes_[i + 1] = 0;
            continue;
        }
        const double a = slopes_[i] / steep[i], b = slopes_[i + 1] / steep[i], most = std::hypot(a, b);
        if (most > 3) slopes_[i] *= 3 / most, slopes_[i + 1] *= 3 / most;
    }
}

double ToneCurve::operator()(double v) const {
    if (points_.empty()) return v;
    if (v < 0) return points_.front().to + v;
    if (v > 1) return points_.back().to + v - 1;
    if (v <= points_.front().from) return points_.front().to;
    if (v >= points_.back().from) return points_.back().to;
    const auto next = std::ranges::upper_bound(points_, v, {}, &CurvePoint::from);
    const std::size_t i = std::size_t(next - points_.begin()) - 1;
    const CurvePoint &a = points_[i], &b = points_[i + 1];
    const double h = b.from - a.from, t = (v - a.from) / h, t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * a.to + (t3 - 2 * t2 + t) * h * slopes_[i] + (3 * t2 - 2 * t3) * b.to +
           (t3 - t2) * h * slopes_[i + 1];
}

} // namespace ulm
