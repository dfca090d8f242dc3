#include "core/motion/field.h"

#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <opencv2/imgproc.hpp>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/motion/field.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace ulm {
namespace HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Between line[at] and the one after, by `share` of that. Columns of a field that is spread lie close together: then a
// vector of them is at hand, and nothing need be gathered. Behind the line's end a vector may be read.
void SpreadRow(const float* line, const std::int32_t* at, const float* share, float* out, int count) {
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    const int n = static_cast<int>(hn::Lanes(d));
    int x = 0;
    for (; x + n <= count; x += n) {
        auto i = hn::LoadU(di, at + x);
        hn::Vec<decltype(d)> a, b;
        if (at[x + n - 1] - at[x] < n) {
            i = hn::Sub(i, hn::Set(di, at[x]));
            const auto lanes = hn::IndicesFromVec(d, i);
            a = hn::TableLookupLanes(hn::LoadU(d, line + at[x]), lanes);
            b = hn::TableLookupLanes(hn::LoadU(d, line + at[x] + 1), lanes);
        } else {
            a = hn::GatherIndex(d, line, i), b = hn::GatherIndex(d, line + 1, i);
        }
        hn::StoreU(hn::MulAdd(hn::LoadU(d, share + x), hn::Sub(b, a), a), d, out + x);
    }
    for (; x < count; ++x) out[x] = line[at[x]] + share[x] * (line[at[x] + 1] - line[at[x]]);
}

} // namespace HWY_NAMESPACE
} // namespace ulm
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace ulm {
HWY_EXPORT(SpreadRow);

constexpr std::size_t kMostLanes = 64; // of any processor's vectors

PictureFormat reduced(const PictureFormat& f, int divisor) {
    PictureFormat r = f;
    r.width = std::max(1, (f.width + divisor - 1) / divisor);
    r.height = std::max(1, (f.height + divisor - 1) / divisor);
    r.subW = r.subH = 0;
    return r;
}

namespace {

// The two places of a line of `size` that a sample lies between, and the share of the second.
struct Tap {
    int a, b;
    float share;
};
Tap tapOf(int at, int size, double factor) {
    const float h = std::clamp(static_cast<float>((at + 0.5) / factor - 0.5), 0.f, float(size - 1));
    const int i = std::min(static_cast<int>(h), size - 1);
    return {i, std::min(i + 1, size - 1), h - float(i)};
}

} // namespace

Spread::Spread(cv::Size field, const Rect& to, double across, double down) : to_(to) {
    for (int x = to.x; x < to.right(); ++x) {
        const Tap t = tapOf(x, field.width, across);
        columns_.push_back(t.a), shares_.push_back(t.share);
    }
    for (int y = to.y; y < to.bottom(); ++y) {
        const Tap t = tapOf(y, field.height, down);
        rows_.push_back({t.a, t.b, t.share});
    }
    first_ = columns_.front(), past_ = std::min(columns_.back() + 2, field.width);
    for (std::int32_t& c : columns_) c -= first_;
}

bool Spread::isZero(const Plane& p) const {
    for (int y = rows_.front().a; y <= rows_.back().b; ++y) {
        const float* const line = p.row(p.area().y + y);
        if (!std::all_of(line + first_, line + past_, [](float v) { return v == 0; })) return false;
    }
    return true;
}

cv::Mat Spread::operator()(const Plane& p) const {
    cv::Mat out(to_.h, to_.w, CV_32F);
    const std::size_t count = std::size_t(past_ - first_);
    std::vector<float> line(count + 1 + kMostLanes);
    for (int y = 0; y < to_.h; ++y) {
        const Row& r = rows_[std::size_t(y)];
        const float *top = p.row(p.area().y + r.a) + first_, *low = p.row(p.area().y + r.b) + first_;
        for (std::size_t x = 0; x < count; ++x) line[x] = top[x] + r.share * (low[x] - top[x]);
        line[count] = line[count - 1]; // the rim goes on
        HWY_DYNAMIC_DISPATCH(SpreadRow)(line.data(), columns_.data(), shares_.data(), out.ptr<float>(y), to_.w);
    }
    return out;
}

cv::Mat spreadField(const Plane& p, const Rect& to, double across, double down) {
    return Spread({p.area().w, p.area().h}, to, across, down)(p);
}

cv::Mat shrunkField(const cv::Mat& field, const Rect& luma, const Rect& area, int plane, const PictureFormat& f) {
    if (plane == 0 || (f.subW == 0 && f.subH == 0)) return field;
    cv::Mat out(area.h, area.w, CV_32F);
    const int w = 1 << f.subW, h = 1 << f.subH;
    for (int y = 0; y < area.h; ++y)
        for (int x = 0; x < area.w; ++x) {
            float sum = 0;
            for (int j = 0; j < h; ++j)
                for (int i = 0; i < w; ++i)
                    sum += field.at<float>(std::min((area.y + y) * h + j - luma.y, luma.h - 1),
                                           std::min((area.x + x) * w + i - luma.x, luma.w - 1));
            out.at<float>(y, x) = sum / float(w * h);
        }
    return out;
}

} // namespace ulm
#endif
